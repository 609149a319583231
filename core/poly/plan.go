package poly

import (
	"slices"
	"strconv"
	"strings"

	"zestyloom/core/audio"
	"zestyloom/core/naming"
	"zestyloom/core/snag"
	"zestyloom/core/source"
	"zestyloom/core/take"
)

// Packing is how a take's strands are put into files.
type Packing string

// Packings: one file for all, one for each, or one for each but for stereo pairs that stand beside each other.
const (
	Together Packing = "poly"
	Each     Packing = "mono"
	Pairs    Packing = "pairs"
)

// TakePattern names files by their take. A pattern may have {scene}, {take}, {roll}, {name}, {production}, and {channel}
// and {label} of the strands in a file.
const TakePattern = "{roll}_{name}_{channel}_{label}"

// Recorded is a take that is to be written.
type Recorded struct {
	Name     string
	Facts    source.Facts // of which Project, Scene, Take and Roll may stand in names
	Readings []take.Reading
	Strands  []Placed
}

// Placed is a strand with its place in its take.
type Placed struct {
	Strand
	Position int // from 1
}

// Without is a take without some of its strands, and those that are left out. What is read together stays together: of a pair, a
// surround or a sound field all are left out, or none.
func (r Recorded) Without(out func(Placed) bool) (now Recorded, left []Placed) {
	of := map[int]Placed{}
	for _, s := range r.Strands {
		of[s.Position] = s
	}
	keep := map[int]bool{}
	now = r
	now.Readings = nil
	for _, t := range r.Readings {
		if slices.ContainsFunc(t.Positions, func(p int) bool { s, there := of[p]; return there && !out(s) }) {
			now.Readings = append(now.Readings, t)
			for _, p := range t.Positions {
				keep[p] = true
			}
		}
	}
	now.Strands = nil
	for _, s := range r.Strands {
		if out(s) && !keep[s.Position] {
			left = append(left, s)
		} else {
			now.Strands = append(now.Strands, s)
		}
	}
	return now, left
}

// Plan says which files a take becomes, named by a pattern (TakePattern where it is empty) without a folder. Where there
// is one file for all, {channel} and {label} stand for nothing.
//
// Errors: bad_pattern.
func Plan(r Recorded, packing Packing, pattern string) ([]Out, error) {
	if pattern == "" {
		pattern = TakePattern
	}
	outs := packed(r, packing)
	for i, out := range outs {
		fields := map[string]string{
			"scene": r.Facts.Scene, "take": r.Facts.Take, "roll": r.Facts.Roll, "name": r.Name, "production": r.Facts.Project, "channel": "", "label": "",
		}
		if packing != Together {
			fields["channel"], fields["label"] = strings.Join(out.positions, "-"), strings.Join(out.labels, "+")
		}
		name, err := naming.Expand(pattern, fields)
		if err != nil {
			return nil, snag.Refuse("bad_pattern", "%w", err)
		}
		outs[i].Path = name + ".wav"
	}
	files := make([]Out, len(outs))
	for i, out := range outs {
		files[i] = out.Out
	}
	return files, nil
}

// pack is a file with what names it.
type pack struct {
	Out
	positions, labels []string
}

func (p *pack) add(s Placed) {
	p.Strands = append(p.Strands, s.Strand)
	p.positions = append(p.positions, strconv.Itoa(s.Position))
	if s.Label != "" {
		p.labels = append(p.labels, s.Label)
	}
}

// packed divides a take's strands into files.
func packed(r Recorded, packing Packing) (out []pack) {
	if packing == Together {
		all := pack{Out: Out{Order: wholeOrder(r)}}
		for _, s := range r.Strands {
			all.add(s)
		}
		return []pack{all}
	}
	right := func(left Placed) func(take.Reading) bool {
		return func(t take.Reading) bool {
			return t.Kind == take.Stereo && t.Positions[0] == left.Position && t.Positions[1] == left.Position+1
		}
	}
	for i := 0; i < len(r.Strands); i++ {
		one := pack{}
		one.add(r.Strands[i])
		if packing == Pairs && i+1 < len(r.Strands) && slices.ContainsFunc(r.Readings, right(r.Strands[i])) {
			i++
			one.add(r.Strands[i])
			one.Order = []audio.Speaker{"L", "R"}
		}
		out = append(out, one)
	}
	return out
}

// wholeOrder is the order of speakers of a take that is read as one thing, nil for any other.
func wholeOrder(r Recorded) []audio.Speaker {
	if len(r.Readings) != 1 || len(r.Readings[0].Positions) != len(r.Strands) {
		return nil
	}
	if r.Readings[0].Kind == take.Stereo {
		return []audio.Speaker{"L", "R"}
	}
	return r.Readings[0].Order
}
