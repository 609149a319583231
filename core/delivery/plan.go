package delivery

import (
	"fmt"
	"slices"

	"zestyloom/core/audio"
	"zestyloom/core/mix"
	"zestyloom/core/naming"
	"zestyloom/core/reel"
	"zestyloom/core/snag"
	"zestyloom/core/timecode"
	"zestyloom/core/treat"
	"zestyloom/core/wave"
)

// Titles are the words that name patterns and metadata take from the production.
type Titles struct {
	Production string `json:"production"`
	Episode    string `json:"episode"`
	Reel       string `json:"reel"`
}

// Order is what a person asks for.
type Order struct {
	Spec    Spec    `json:"spec"`
	Packing Packing `json:"packing"`
	Pattern string  `json:"pattern"` // the spec's when empty
	Titles  Titles  `json:"titles"`
	Date    string  `json:"date"` // of the order, yyyy-mm-dd, for the files' metadata
	Time    string  `json:"time"` // hh:mm:ss
}

// File is one file of a plan.
type File struct {
	Name    string `json:"name"`
	Outputs []int  `json:"outputs"` // from 0, in the order of the file's channels
}

// Plan is what will be written: enough to render it, and to check it afterwards.
type Plan struct {
	Order  Order         `json:"order"`
	Reel   reel.Reel     `json:"reel"` // as it stood when ordered
	Rate   timecode.Rate `json:"rate"`
	Start  int64         `json:"start"`  // samples since midnight
	Frames int64         `json:"frames"` // of every file
	Files  []File        `json:"files"`
	// Sources are what the reel's strands were when it was ordered, by their names: made again, it is of the same sound.
	// A plan of before there were any has none.
	Sources map[string]Source `json:"sources,omitempty"`
}

// Source is a strand's sound, frozen: which file, by the caller's name for it and by its hash, and what is done to it.
type Source struct {
	File    string          `json:"file"`
	Name    string          `json:"name"`    // of the file, for people
	Hash    string          `json:"hash"`    // xxHash-64 of the whole file, 16 hexadecimal digits
	Channel int             `json:"channel"` // from 0
	Treat   treat.Treatment `json:"treat,omitzero"`
	Drift   float64         `json:"drift,omitempty"` // ppm
}

// Resolve gives the sources of a plan that has them frozen. locate finds where a file lies now, and its hash; a file that
// is another by now is refused, before anything is read of it.
func (p Plan) Resolve(locate func(file string) (path, hash string, err error)) mix.Sources {
	return func(strand string) (mix.Source, error) {
		s, ok := p.Sources[strand]
		if !ok {
			return mix.Source{}, snag.Refuse("no_such_strand", "the strand %q was not among those that were ordered", strand)
		}
		path, hash, err := locate(s.File)
		if err != nil {
			return mix.Source{}, err
		}
		if hash != s.Hash {
			return mix.Source{}, snag.Refuse("source_changed", "%s is not the file that was ordered any more (its hash was %s and is %s): order the delivery anew, or bring the file back", s.Name, s.Hash, hash)
		}
		return mix.Source{Path: path, Channel: s.Channel, Treat: s.Treat, Drift: s.Drift}, nil
	}
}

// Make works out a plan. Every file of it has the reel's start and the same length.
func Make(o Order, r reel.Reel, rate timecode.Rate) (Plan, error) {
	if o.Pattern == "" {
		o.Pattern = o.Spec.Pattern
	}
	s := o.Spec
	s.Pattern = o.Pattern
	if err := s.Check(); err != nil {
		return Plan{}, err
	}
	if !slices.Contains(s.Packings, o.Packing) {
		return Plan{}, snag.Refuse("bad_packing", "this spec is delivered as %v, not as %q", s.Packings, o.Packing)
	}
	start, end := r.Span()
	p := Plan{Order: o, Reel: r, Rate: rate, Start: start, Frames: end - start, Files: []File{}}
	outs := r.Weave.Outputs
	fields := map[string]string{
		"production": o.Titles.Production, "episode": o.Titles.Episode, "reel": o.Titles.Reel,
		"spec": o.Spec.Name, "number": "", "output": "",
	}
	add := func(outputs ...int) error {
		name, err := naming.Expand(o.Pattern, fields)
		if err != nil {
			return snag.Refuse("bad_pattern", "%w", err)
		}
		p.Files = append(p.Files, File{Name: name + ".wav", Outputs: outputs})
		return nil
	}
	if o.Packing == Poly {
		all := make([]int, len(outs))
		for i := range all {
			all[i] = i
		}
		return p, add(all...)
	}
	var names []string
	for i, out := range outs {
		fields["number"], fields["output"] = fmt.Sprintf("%02d", i+1), out.Name
		if err := add(i); err != nil {
			return Plan{}, err
		}
		names = append(names, p.Files[i].Name)
	}
	if n := naming.Clash(names); n != "" {
		return Plan{}, snag.Refuse("names_clash", "two outputs would both be written to %s: put {number} or {output} into the name pattern", n)
	}
	return p, nil
}

// Coding is the samples' coding in every file.
func (p Plan) Coding() audio.Coding {
	c, _ := audio.ParseCoding(p.Order.Spec.Coding) // checked by Make
	return c
}

// Options is what a file of the plan holds beside its samples.
func (p Plan) Options(f File) wave.Options {
	format := wave.Format{Coding: p.Coding(), SampleRate: p.Order.Spec.SampleRate, Channels: len(f.Outputs)}
	x := wave.NewIXML()
	x.Set("PROJECT", p.Order.Titles.Production)
	x.Set("NOTE", p.Order.Spec.Name)
	x.SetSpeed(format.SampleRate, format.Bits(), p.Start, p.Rate)
	var tracks []wave.IXMLTrack
	var lines []wave.Track
	for c, o := range f.Outputs {
		name := p.Reel.Weave.Outputs[o].Name
		tracks = append(tracks, wave.IXMLTrack{Recorder: o + 1, Interleave: c + 1, Name: name})
		lines = append(lines, wave.Track{Number: o + 1, Name: name})
	}
	x.SetTracks(tracks)
	return wave.Options{
		Format: format,
		IXML:   x,
		Bext: &wave.Bext{
			Description: wave.Description{}.WithTracks(lines, [2]string{"PROJECT", p.Order.Titles.Production}).String(),
			Originator:  "Zesty Loom", OriginationDate: p.Order.Date, OriginationTime: p.Order.Time,
			TimeReference: uint64(p.Start), Version: 1,
			CodingHistory: format.CodingHistory(),
		},
	}
}

// Bytes is how large the files will be, but for their metadata.
func (p Plan) Bytes() (n int64) {
	for _, f := range p.Files {
		n += p.Frames * int64(len(f.Outputs)*p.Coding().Bytes())
	}
	return n
}
