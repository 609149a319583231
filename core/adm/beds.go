package adm

import (
	"math"
	"regexp"
	"slices"
	"strconv"
	"strings"

	"zestyloom/core/audio"
)

// common are labels of channel formats that are common to all and not written into files (ITU-R BS.2094), by ID: those of its first
// block, which programs refer to.
var common = map[string]string{
	"AC_00010001": "M+030", "AC_00010002": "M-030", "AC_00010003": "M+000", "AC_00010004": "LFE1", "AC_00010005": "M+110", "AC_00010006": "M-110",
	"AC_00010007": "M+022", "AC_00010008": "M-022", "AC_00010009": "M+180", "AC_0001000a": "M+090", "AC_0001000b": "M-090",
	"AC_0001000c": "T+000", "AC_0001000d": "U+030", "AC_0001000e": "U+000", "AC_0001000f": "U-030", "AC_00010010": "U+110", "AC_00010011": "U+180",
	"AC_00010012": "U-110", "AC_00010013": "U+090", "AC_00010014": "U-090", "AC_00010015": "B+000", "AC_00010016": "B+045", "AC_00010017": "B-045",
}

// bed takes the tracks of a pack of speakers over: as a layout of ours where they are one, in its order or another, else as speakers of
// their own.
func (r *reader) bed(e Element, p xmlPack, uids []string) {
	speakers := make([]speaker, len(uids))
	for i, uid := range uids {
		id := r.channelOf(uid)
		sp, ok := r.speaker(id)
		if !ok {
			r.snag("%s: where track %d stands is not said (%s): its tracks are taken over without places", e.Name, e.Tracks[i]+1, id)
			e.Layout = discrete(len(uids))
			r.scene.Elements = append(r.scene.Elements, e)
			return
		}
		speakers[i] = sp
	}
	// Matrixed pairs have the places of others: their name tells.
	candidates := audio.Beds()
	if own, err := audio.ParseLayout(p.Name); err == nil && own.Kind == audio.Bed {
		candidates = append([]audio.Layout{own}, candidates...)
	}
	for _, l := range candidates {
		if tracks, ok := arranged(l, speakers, e.Tracks); ok {
			e.Layout, e.Tracks = l, tracks
			r.scene.Elements = append(r.scene.Elements, e)
			return
		}
	}
	e.Layout = custom(speakers)
	r.scene.Elements = append(r.scene.Elements, e)
}

// arranged puts tracks into the order of a layout, where they are exactly its speakers.
func arranged(l audio.Layout, speakers []speaker, tracks []int) ([]int, bool) {
	if l.Count != len(speakers) {
		return nil, false
	}
	out := make([]int, l.Count)
	taken := make([]bool, len(speakers))
	for i := range out {
		want, ok := speakerOf(l, i)
		if !ok {
			return nil, false
		}
		k := slices.IndexFunc(speakers, func(s speaker) bool { return same(s, want) })
		if k < 0 || taken[k] {
			return nil, false
		}
		out[i], taken[k] = tracks[k], true
	}
	return out, true
}

// same reports whether two speakers are one: both for the low end, or near enough to each other to be none but that one. Around the
// listener speakers of ours stand 20° apart and more; above, a front and a back pair far from each other, which layouts of BS.2051 put
// at 30° or 45°, and at 110° or 135°.
func same(a, b speaker) bool {
	if a.lfe || b.lfe {
		return a.lfe == b.lfe
	}
	turn := math.Abs(math.Mod(a.at.Azimuth-b.at.Azimuth+540, 360) - 180)
	near := 9.0
	if b.at.Elevation > 15 {
		near = 30
	}
	return turn <= near && math.Abs(a.at.Elevation-b.at.Elevation) <= 20 && (a.at.Elevation > 15) == (b.at.Elevation > 15)
}

// custom is a layout of speakers that are none of ours together.
func custom(speakers []speaker) audio.Layout {
	words := []string{"custom"}
	used := map[string]bool{}
	for i, s := range speakers {
		name := strings.NewReplacer("+", "", "-", "m").Replace(s.label)
		if s.lfe {
			name = "LFE"
		}
		if own, ok := ours(s); ok && !used[own] {
			used[own] = true
			words = append(words, own)
			continue
		}
		if used[name] || name == "" {
			name = "Track" + strconv.Itoa(i+1)
		}
		used[name] = true
		if name != "LFE" {
			name += "@" + strconv.FormatFloat(math.Round(s.at.Azimuth*10)/10, 'f', -1, 64) + "/" + strconv.FormatFloat(math.Round(s.at.Elevation*10)/10, 'f', -1, 64)
		}
		words = append(words, name)
	}
	l, err := audio.ParseLayout(strings.Join(words, " "))
	if err != nil {
		return discrete(len(speakers))
	}
	return l
}

// ours is the name of a speaker of ours that stands exactly there.
func ours(s speaker) (string, bool) {
	for _, name := range []string{"7.1.4", "5.1"} {
		l, _ := audio.ParseLayout(name)
		for i := range l.Count {
			if at, ok := l.Direction(i); ok && !s.lfe && at == s.at {
				return string(l.Speakers[i]), true
			}
		}
	}
	return "", false
}

var labelForm = regexp.MustCompile(`^([MUBT])([+-])(\d{3})$`)

// speaker is what a channel format of the type of speakers stands for.
func (r *reader) speaker(id string) (speaker, bool) {
	c, there := r.channels[id]
	number, _ := strings.CutPrefix(id, "AC_")
	label := common["AC_"+strings.ToLower(number)]
	if !there || len(c.Blocks) == 0 {
		return labelled(label)
	}
	b := c.Blocks[0]
	for _, l := range b.Labels {
		label = strings.TrimSpace(l)
		if i := strings.LastIndexByte(label, ':'); i >= 0 { // urn:itu:bs:2051:0:speaker:M+030
			label = label[i+1:]
		}
	}
	sp, known := labelled(label)
	for _, f := range c.Lowest {
		sp.lfe = sp.lfe || f.Type == "lowPass"
	}
	if at, ok := b.direction(); ok {
		sp.at, known = at.Direction, true
		if sp.label == "" {
			sp.label = label
		}
	}
	if sp.label == "" {
		sp.label = labelFor(sp.at)
	}
	return sp, known || sp.lfe
}

// labelled is a speaker by its label of BS.2051.
func labelled(text string) (speaker, bool) {
	switch strings.ToUpper(text) {
	case "LFE1", "LFE2", "LFE", "LFEL", "LFER":
		return speaker{label: "LFE1", lfe: true, at: audio.Direction{Elevation: -30}}, true
	}
	m := labelForm.FindStringSubmatch(text)
	if m == nil {
		return speaker{}, false
	}
	az, _ := strconv.ParseFloat(m[2]+m[3], 64) // digits, by the expression
	if az > 180 || az < -180 {
		return speaker{}, false
	}
	at := audio.Direction{Azimuth: az}
	switch m[1] {
	case "U":
		at.Elevation = 30
	case "B":
		at.Elevation = -30
	case "T":
		at = audio.Direction{Elevation: 90}
	}
	return speaker{label: text, at: at}, true
}

// direction is where a block says that it is, by angles or by a point of a cube.
func (b xmlBlock) direction() (o Object, ok bool) {
	o.Distance = 1
	of := map[string]float64{}
	for _, p := range b.Positions {
		if p.Bound != "" { // how far it may be away from there
			continue
		}
		v, err := strconv.ParseFloat(strings.TrimSpace(p.Value), 64)
		if err != nil || math.IsNaN(v) || math.IsInf(v, 0) {
			return o, false
		}
		of[p.Of] = v
	}
	if az, angles := of["azimuth"]; angles {
		o.Azimuth, o.Elevation = az, of["elevation"]
		if d, ok := of["distance"]; ok {
			o.Distance = d
		}
		return o, math.Abs(o.Azimuth) <= 180 && math.Abs(o.Elevation) <= 90
	}
	x, okX := of["X"]
	y, okY := of["Y"]
	if !okX || !okY {
		return o, false
	}
	z := of["Z"]
	o.Distance = math.Max(math.Abs(x), math.Max(math.Abs(y), math.Abs(z)))
	o.Azimuth = math.Atan2(-x, y) * 180 / math.Pi
	o.Elevation = math.Atan2(z, math.Hypot(x, y)) * 180 / math.Pi
	return o, true
}

// placed is where an object stands: where it begins, where it moves.
func (r *reader) placed(name, channel string) *Object {
	c := r.channels[channel]
	if len(c.Blocks) == 0 {
		r.snag("%s: where it stands is not said", name)
		return nil
	}
	o, ok := c.Blocks[0].direction()
	if !ok {
		r.snag("%s: where it stands is not understood", name)
		return nil
	}
	gain, ok := c.Blocks[0].Gain.decibels()
	if !ok {
		r.snag("%s: its gain is not understood, and taken for 0 dB", name)
	}
	o.GainDB = gain
	for _, b := range c.Blocks[1:] {
		next, ok := b.direction()
		level, _ := b.Gain.decibels()
		if o.Moves = o.Moves || ok && next.Direction != o.Direction || level != gain; o.Moves {
			r.snag("%s moves, or its gain does: it is taken over where it begins, and does not move", name)
			break
		}
	}
	return &o
}
