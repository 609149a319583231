package delivery

import (
	"fmt"
	"maps"
	"path"
	"slices"

	"zestyloom/core/audio"
	"zestyloom/core/mix"
	"zestyloom/core/naming"
	"zestyloom/core/picture"
	"zestyloom/core/reel"
	"zestyloom/core/resample"
	"zestyloom/core/snag"
	"zestyloom/core/source"
	"zestyloom/core/timecode"
	"zestyloom/core/treat"
	"zestyloom/core/weave"
)

// Titles are the words that name patterns and metadata take from the production.
type Titles struct {
	Production string `json:"production"`
	Episode    string `json:"episode"`
	Reel       string `json:"reel"`
}

// Order is what a person asks for.
type Order struct {
	Spec    Spec   `json:"spec"`
	Packing string `json:"packing"` // the spec's first when empty
	Pattern string `json:"pattern"` // for the names of all files; those of the spec when empty
	Titles  Titles `json:"titles"`
	Date    string `json:"date"` // of the order, yyyy-mm-dd, for the files' metadata
	Time    string `json:"time"` // hh:mm:ss
	// Recipient is to whom it goes, for the papers.
	Recipient string `json:"recipient,omitempty"`
	Version   int    `json:"version,omitempty"` // how many deliveries of the reel to this spec there have been, with this
	// Span makes it a test: this stretch alone, at the reel's rate, and everything else alike, but for the picture.
	Span *Span `json:"span,omitempty"`
	// Cut makes it a cut-down of Span, and no test: with the picture, cut to the same edges, which are whole frames of it then.
	Cut bool `json:"cut,omitempty"`
	// Only are the tracks and buses, by their IDs, that rules for each of them make files or groups of; all where there are none.
	Only []string `json:"only,omitempty"`
	// Accept are the codes of what stands in the way and somebody has said is to be so.
	Accept  []string `json:"accept,omitempty"`
	Picture *Picture `json:"picture,omitempty"` // for containers that can hold one
	// Black has frames of black made where the reel reaches beyond the picture, which is coded anew with them.
	Black bool `json:"black,omitempty"`
}

// Span is a stretch of a reel in its samples since midnight.
type Span struct {
	From int64 `json:"from"`
	To   int64 `json:"to"`
}

// Picture is the file whose picture goes along, untouched but for its edges where it is cut.
type Picture struct {
	File string `json:"file"` // the caller's name for it
	Name string `json:"name"` // for people
	Hash string `json:"hash"`
	// Span is what it covers of the reel's time: what is delivered has that start and that length.
	Span Span          `json:"span"`
	Rate timecode.Rate `json:"rate,omitzero"` // of its frames
	// Cut is the stretch of it that goes along; nil for all of it.
	Cut *picture.Cutting `json:"cut,omitempty"`
	// Headset is how it is marked to be seen with a headset, and Mark that it is so by this order, as it was not before.
	Headset *picture.Headset `json:"headset,omitempty"`
	Mark    bool             `json:"mark,omitempty"`
}

// File is one file of a plan.
type File struct {
	Name      string      `json:"name"` // with its folder
	Container string      `json:"container"`
	Coding    string      `json:"coding"`
	Channels  []Channel   `json:"channels"`
	Groups    []FileGroup `json:"groups,omitempty"`  // of its channels, in order; streams where the container has them
	Picture   string      `json:"picture,omitempty"` // as its rule says
}

// Channel is a channel of a file.
type Channel struct {
	Name    string `json:"name"` // in the file's metadata
	Speaker string `json:"speaker,omitempty"`
	Number  int    `json:"number"` // in the file's metadata, from 1
	// Output is that of the weave that it is, from 0; -1 for one that is none.
	Output int `json:"output"`
	// Signal is the ID of a bus or track, Of its channel from 0; empty for an output and for silence.
	Signal string `json:"signal,omitempty"`
	Of     int    `json:"of,omitempty"`
}

// FileGroup is a run of a file's channels that belong together.
type FileGroup struct {
	Name   string `json:"name"`
	Layout string `json:"layout"`
	Count  int    `json:"count"`
	// HeadLocked is a pair that goes in the stream of the sound field before it.
	HeadLocked bool `json:"head_locked,omitempty"`
}

// Measured is a group of channels, in one file or in several, that is measured as one.
type Measured struct {
	Name   string  `json:"name"`
	Layout string  `json:"layout"`
	Bus    string  `json:"bus,omitempty"`  // its ID, where it is a bus as a whole
	Role   string  `json:"role,omitempty"` // of the bus
	Places []Place `json:"places"`         // in the order of the layout
}

// Place is a channel of a plan.
type Place struct {
	File    int `json:"file"` // from 0
	Channel int `json:"channel"`
}

// Rates are sample rates in Hz.
type Rates struct {
	Reel  int `json:"reel"`
	Files int `json:"files"`
}

// Plan is what will be written: enough to render it, and to check it afterwards.
type Plan struct {
	Order Order         `json:"order"`
	Reel  reel.Reel     `json:"reel"` // as it stood when ordered
	Rate  timecode.Rate `json:"rate"`
	Rates Rates         `json:"rates"`
	Start int64         `json:"start"` // of every file, samples since midnight at the files' rate
	// Frames is the length of every file, Lead what of it stands before the programme, and Tail what stands after it.
	Frames int64 `json:"frames"`
	Lead   int64 `json:"lead,omitempty"`
	Tail   int64 `json:"tail,omitempty"`
	// From and To are the programme, at the reel's rate.
	From  int64      `json:"from"`
	To    int64      `json:"to"`
	Files []File     `json:"files"`
	Sets  []Measured `json:"sets,omitempty"`
	Tones []Tone     `json:"tones,omitempty"`
	// Sources are what the reel's strands were when it was ordered, by their names: made again, it is of the same sound.
	// A plan of before there were any has none.
	Sources map[string]Source `json:"sources,omitempty"`
	// CutSays says how the picture of a cut-down is cut.
	CutSays string `json:"cut_says,omitempty"`
	// Problems are why the reel can't be delivered to the spec as it stands, or not as it is meant.
	Problems []Problem `json:"-"`
}

// Problem is what of a reel and its weave does not fit a spec.
type Problem struct {
	snag.Snag
	Stops bool
	// Asks says that it stops the order until somebody says, by its code, that it is to be so.
	Asks  bool
	Stage string // where it is mended: reel, weave or delivery
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

// FileIDs are the callers' names of the files that a plan's sources are of, each once.
func (p Plan) FileIDs() []string {
	of := map[string]bool{}
	for _, s := range p.Sources {
		of[s.File] = true
	}
	return slices.Sorted(maps.Keys(of))
}

// Located is where a file of a plan lies now.
type Located struct {
	Path, Hash string // Hash is what the caller has noted of it
	// Known is by which it is compared as it is read. It is asked for once the hash is that of the order.
	Known func() (*source.Known, error)
}

// Resolve gives the sources of a plan that has them frozen. locate finds where a file lies now, and its hash; a file that
// is another by now is refused, before anything is read of it.
func (p Plan) Resolve(locate func(file string) (Located, error)) mix.Sources {
	return func(strand string) (mix.Source, error) {
		s, ok := p.Sources[strand]
		if !ok {
			return mix.Source{}, snag.Refuse("no_such_strand", "the strand %q was not among those that were ordered", strand)
		}
		at, err := locate(s.File)
		if err != nil {
			return mix.Source{}, err
		}
		if at.Hash != s.Hash {
			return mix.Source{}, snag.Refuse("source_changed", "%s is not the file that was ordered any more (its hash was %s and is %s): order the delivery anew, or bring the file back", s.Name, s.Hash, at.Hash)
		}
		known, err := at.Known()
		return mix.Source{Path: at.Path, Channel: s.Channel, Treat: s.Treat, Drift: s.Drift, Known: known}, err
	}
}

// Make works out a plan of a reel whose samples are at a rate. Every file of it has the same start and the same length.
// What of the reel does not fit the spec is among the plan's problems.
func Make(o Order, r reel.Reel, rate timecode.Rate, sampleRate int) (Plan, error) {
	if err := o.Spec.Check(); err != nil {
		return Plan{}, err
	}
	packing, ok := o.Spec.Packing(o.Packing)
	if !ok {
		var ids []string
		for _, p := range o.Spec.Packings {
			ids = append(ids, p.ID)
		}
		return Plan{}, snag.Refuse("bad_packing", "this spec is delivered as %v, not as %q", ids, o.Packing)
	}
	o.Packing = packing.ID
	for _, title := range []*string{&o.Titles.Production, &o.Titles.Episode, &o.Titles.Reel, &o.Recipient} {
		*title = naming.OneLine(*title)
	}
	p := Plan{Order: o, Reel: r, Rate: rate, Rates: Rates{sampleRate, o.Spec.SampleRate}, Files: []File{}}
	p.outputs()
	if err := p.place(); err != nil {
		return Plan{}, err
	}
	for _, rule := range packing.Files {
		if o.Pattern != "" {
			rule.Name = o.Pattern
		}
		if err := p.add(rule); err != nil {
			return Plan{}, err
		}
	}
	p.undescribed()
	p.leftOut()
	p.implausible()
	return p, p.clash()
}

func (p *Plan) problem(stops bool, stage, code, format string, args ...any) {
	p.Problems = append(p.Problems, Problem{snag.New(code, format, args...), stops, false, stage})
}

// ask adds what has to be answered before the order: it stops unless somebody has accepted its code.
func (p *Plan) ask(stage, code, format string, args ...any) {
	p.Problems = append(p.Problems, Problem{snag.New(code, format, args...), false, true, stage})
}

// outputs compares the weave's outputs with those that are demanded.
func (p *Plan) outputs() {
	s, outs := p.Order.Spec, p.Reel.Weave.Outputs
	if len(s.Outputs) == 0 {
		return
	}
	if len(outs) != len(s.Outputs) {
		p.problem(true, "weave", "width", "the weave has %d outputs and the spec asks for %d", len(outs), len(s.Outputs))
	}
	for i, name := range s.Outputs {
		if i < len(outs) && !sameName(outs[i].Name, name) {
			p.problem(true, "weave", "order", "output %d is %s and the spec asks for %s there", i+1, outs[i].Name, name)
		}
	}
}

// place works out where the programme lies in the files.
func (p *Plan) place() error {
	shape := p.Order.Spec.Programme
	start, end := p.Reel.Span()
	if shape.Length == "programme" {
		r := p.Reel
		r.Length = nil
		_, end = r.Span()
	}
	if shape.Start != "" {
		asked, err := p.Rate.Parse(shape.Start)
		if err != nil {
			return snag.Refuse("bad_spec", "spec %s: %s is no timecode at %s: %w", p.Order.Spec.Name, shape.Start, p.Rate, err)
		}
		if at := p.Rate.SampleAt(asked, int64(p.Rates.Reel)); at != start {
			p.problem(true, "reel", "start_differs", "the reel starts at %s and the spec asks for %s", p.says(start), shape.Start)
		}
	}
	convert, err := resample.New(p.Rates.Reel, p.Rates.Files)
	if err != nil {
		return snag.Refuse("bad_spec", "spec %s: %w", p.Order.Spec.Name, err)
	}
	count := func(segments []Segment) (frames int64) {
		for _, s := range segments {
			frames += p.framesIn(s.Seconds)
		}
		return frames
	}
	before, after := count(shape.Before), count(shape.After)
	switch {
	case p.Order.Picture != nil && p.Order.Span == nil:
		// What stands before and after the programme is in the picture already.
		s := p.Order.Picture.Span
		if p.Order.Black {
			s = p.reach(start, end, before, after)
		}
		start, end = p.at(s.From, before, p.Rates.Reel), p.at(s.To, -after, p.Rates.Reel)
		if start >= end {
			return snag.Refuse("picture_short", "the picture %s is shorter than what has to stand before and after the programme", p.Order.Picture.Name)
		}
	case p.Order.Span != nil:
		if start, end = max(start, p.Order.Span.From), min(end, p.Order.Span.To); start >= end {
			return snag.Refuse("empty_span", "the span from %d to %d holds nothing of the reel", p.Order.Span.From, p.Order.Span.To)
		}
		switch {
		case !p.pictured() && p.framed():
			// What starts within a frame can't say so in a track of timecode.
			rate := int64(p.Rates.Reel)
			frame := p.Rate.FrameAt(start, rate)
			if at := p.Rate.SampleAt(frame, rate); at < start { // in the timecode of the day, as the files count
				start = at
			}
			if last := p.Rate.SampleAt(p.Rate.FrameAt(end, rate), rate); last < end {
				end = p.at(end, 1, p.Rates.Reel) - (end - last)
			}
		case p.pictured():
			if start, end, err = p.cut(start, end); err != nil {
				return err
			}
			if before+after > 0 {
				p.problem(true, "delivery", "no_lead", "the spec has %d frames before and after the programme, where a picture that is cut has nothing to show: order it without the picture, or to a spec without", before+after)
			}
		}
	}
	p.From, p.To = start, max(start, end)
	rate := p.Rates.Files
	programme := scaled(p.From, p.Rates.Files, p.Rates.Reel)
	frames := convert.Frames(p.To - p.From)
	if shape.WholeFrames && (p.Order.Picture == nil || p.Order.Picture.Cut == nil) { // those of a picture are whole
		n := p.Rate.FrameAt(frames, int64(rate))
		for p.at(programme, n, rate)-programme < frames {
			n++
		}
		frames = p.at(programme, n, rate) - programme
	}
	first, last := p.at(programme, -before, rate), programme+frames
	p.Lead, p.Tail = programme-first, p.at(last, after, rate)-last
	p.Frames = p.Lead + frames + p.Tail
	if p.Start = first; first < 0 {
		p.Start += 24 * 3600 * int64(rate)
	}
	p.tones(programme, last)
	return nil
}

// scaled is n·to/from, rounded down.
func scaled(n int64, to, from int) int64 {
	if to == from {
		return n
	}
	return n/int64(from)*int64(to) + n%int64(from)*int64(to)/int64(from)
}

// framesIn is how many frames of timecode some seconds are: those that it counts, to the nearest frame.
func (p Plan) framesIn(seconds float64) int64 { return int64(seconds*float64(p.Rate.Base()) + 0.5) }

// at is where frames of timecode after a sample lie: where it is within a frame, so is what is found.
func (p Plan) at(sample, frames int64, sampleRate int) int64 {
	day, rate := p.Rate.DayFrames(), int64(sampleRate)
	f := p.Rate.FrameAt(sample, rate)
	// A day is added so that nothing lies before its beginning.
	return sample + p.Rate.SampleAt(f+frames+day, rate) - p.Rate.SampleAt(f+day, rate)
}

// add adds the files of a rule.
func (p *Plan) add(rule FileRule) error {
	n := 0
	if rule.Picture == PictureAlone {
		return p.alone(rule)
	}
	for _, d := range p.drafts(rule) {
		if !rule.Split {
			if err := p.file(rule, d.fields, d.groups...); err != nil {
				return err
			}
			continue
		}
		for _, g := range d.groups {
			set := g.measured(p.Reel.Weave)
			set.Places = make([]Place, len(g.channels))
			for _, k := range g.order {
				n++
				ch := g.channels[k]
				fields := d.fields.with("speaker", ch.Speaker).with("output", ch.Name).with("number", fmt.Sprintf("%02d", n))
				if g.bus.ID != "" {
					fields = p.busFields(fields, g.bus)
				}
				set.Places[k] = Place{File: len(p.Files)}
				if err := p.file(rule, fields, group{layout: mono, channels: []Channel{ch}, order: []int{0}, name: ch.Name, alone: true}); err != nil {
					return err
				}
			}
			p.Sets = append(p.Sets, set)
		}
	}
	return nil
}

var mono, _ = audio.ParseLayout("mono")

// file adds one file of groups.
func (p *Plan) file(rule FileRule, fields fields, groups ...group) error {
	name, err := p.name(rule, fields)
	if err != nil {
		return err
	}
	f := File{Name: name, Container: rule.Container, Coding: p.Order.Spec.codingOf(rule), Picture: rule.Picture}
	for _, g := range groups {
		set := g.measured(p.Reel.Weave)
		set.Places = make([]Place, len(g.channels))
		for _, k := range g.order {
			set.Places[k] = Place{len(p.Files), len(f.Channels)}
			ch := g.channels[k]
			ch.Name = naming.OneLine(ch.Name) // of before line breaks were refused
			f.Channels = append(f.Channels, ch)
		}
		f.Groups = append(f.Groups, FileGroup{Name: g.name, Layout: g.inOrder(), Count: len(g.channels), HeadLocked: g.headLocked})
		if !g.alone {
			p.Sets = append(p.Sets, set)
		}
	}
	kind := Containers[f.Container]
	p.tagged(f)
	if kind.Needs && !p.pictured() {
		p.problem(true, "delivery", "no_picture", "%s is an %s, which is written with a picture only, and a test has none: choose a picture, or another container", path.Base(name), kind.Names[0])
	}
	if f.Coding == "aac" {
		for _, st := range streamsOf(f.Groups) {
			if st.field != nil && !st.field.InAAC() {
				p.problem(true, "delivery", "bad_field", "%s would have a sound field of %d channels as AAC, which holds 4, 6 and 16: deliver it in a MOV, or in another order", path.Base(name), st.count)
			}
		}
	}
	if kind.Channels > 0 && len(f.Channels) > kind.Channels {
		p.problem(true, "delivery", "too_wide", "%s would have %d channels, and a %s has at most %d", path.Base(name), len(f.Channels), kind.Names[0], kind.Channels)
	}
	p.Files = append(p.Files, f)
	return nil
}

// group is a group of channels before it is in a file.
type group struct {
	name       string
	layout     audio.Layout
	channels   []Channel // in the order of the layout
	order      []int     // in which they stand in the file
	bus        weave.Bus // where it is a bus as a whole
	alone      bool      // it is measured with others, or as part of something else
	headLocked bool      // goes in the stream of the field before it
	each       Each      // it stands for a group for each of what no other is
}

// inOrder is the name of the layout whose channels stand as these do.
func (g group) inOrder() string {
	if slices.IsSorted(g.order) || g.layout.Kind != audio.Bed {
		return g.layout.Name
	}
	var speakers []audio.Speaker
	for _, k := range g.order {
		speakers = append(speakers, g.layout.Speakers[k])
	}
	if l, err := audio.InOrder(speakers); err == nil {
		return l.Name
	}
	return g.layout.Name
}

func (g group) measured(w weave.Weave) Measured {
	m := Measured{Name: g.name, Layout: g.layout.Name, Bus: g.bus.ID, Role: string(g.bus.Role)}
	if m.Bus != "" || len(g.channels) == 0 {
		return m
	}
	// Outputs that are a bus's channels, all of them and as they are, are that bus.
	bus := ""
	for c, ch := range g.channels {
		if ch.Output < 0 || ch.Output >= len(w.Outputs) {
			return m
		}
		o := w.Outputs[ch.Output]
		if o.Factor() != 1 || o.Delay != 0 || o.Channel != c || c > 0 && o.Bus != bus {
			return m
		}
		bus = o.Bus
	}
	if b, ok := w.Bus(bus); ok && b.Channels().Count == len(g.channels) {
		m.Bus, m.Role, m.Layout = b.ID, string(b.Role), b.Layout
		if m.Name == "" || len(g.channels) > 1 {
			m.Name = b.Name
		}
	}
	return m
}

// programmeEnd is where the programme ends in the files; it begins at Lead.
func (p Plan) programmeEnd() int64 { return p.Frames - p.Tail }

// coding is that of a file's samples as it is rendered.
func (f File) coding() audio.Coding {
	if f.Coding == "aac" {
		return audio.F32
	}
	c, _ := audio.ParseCoding(f.Coding) // checked by Make
	return c
}

// Bytes is how large the files will be, but for their metadata.
func (p Plan) Bytes() (n int64) {
	for _, f := range p.Files {
		each := p.Frames * int64(len(f.Channels)*f.coding().Bytes())
		if Containers[f.Container].Beside {
			each *= 3
		}
		n += each
	}
	return n
}

// Test reports whether a plan is of a span alone, to try it.
func (p Plan) Test() bool { return p.Order.Span != nil && !p.Order.Cut }

// CutDown reports whether a plan is of a span alone, to be delivered.
func (p Plan) CutDown() bool { return p.Order.Span != nil && p.Order.Cut }

// Carried are the buses and tracks that are in some file, by their IDs.
func (p Plan) Carried() map[string]bool {
	out := map[string]bool{}
	for _, f := range p.Files {
		for _, c := range f.Channels {
			switch {
			case c.Signal != "":
				out[c.Signal] = true
			case c.Output >= 0 && c.Output < len(p.Reel.Weave.Outputs):
				out[p.Reel.Weave.Outputs[c.Output].Bus] = true
			}
		}
	}
	delete(out, "")
	return out
}

// Outputs says of each output of the weave whether it is in some file.
func (p Plan) Outputs() []bool {
	out := make([]bool, len(p.Reel.Weave.Outputs))
	for _, f := range p.Files {
		for _, c := range f.Channels {
			if c.Signal == "" && c.Output >= 0 && c.Output < len(out) {
				out[c.Output] = true
			}
		}
	}
	return out
}
