// Package printing has what becomes a new recording of what lies in a reel: which clips, of which takes, into which channels of
// which files, and how the print is laid in their place. A print is rendered like a delivery, as a plan of one file, and read
// back and compared like one.
package printing

import (
	"cmp"
	"fmt"
	"slices"
	"strings"

	"zestyloom/core/audio"
	"zestyloom/core/delivery"
	"zestyloom/core/edit"
	"zestyloom/core/naming"
	"zestyloom/core/reel"
	"zestyloom/core/snag"
	"zestyloom/core/timecode"
	"zestyloom/core/weave"
)

// Order says what is to be printed: clips, all that lies on tracks, or what a bus carries.
type Order struct {
	Clips  []string `json:"clips,omitempty"`
	Alone  bool     `json:"alone,omitempty"` // without the kin of the clips
	Tracks []string `json:"tracks,omitempty"`
	Bus    string   `json:"bus,omitempty"`
	// From and To bound what is printed, in samples of the reel's time; both 0 for as far as it reaches.
	From int64 `json:"from,omitempty"`
	To   int64 `json:"to,omitempty"`
	// Plain leaves out what was done to the clips: gains, envelopes, ranges off, polarity, and fades but for crossfades.
	Plain bool `json:"plain,omitempty"`
}

// Print is one file that is to be printed.
type Print struct {
	Name   string        `json:"name"` // of the take it is made of, or the bus
	Of     []string      `json:"of"`   // labels of the tracks, in the order of the channels
	Plan   delivery.Plan `json:"plan"`
	Edit   edit.Printed  `json:"edit"`   // its clips have no strands yet
	Widths []int         `json:"widths"` // of what Edit lays, in channels of the file from the first on
}

// Context is what is known beside the reel.
type Context struct {
	Titles  delivery.Titles
	Rate    timecode.Rate
	Samples int // sample rate in Hz
	Date    string
	Time    string
	// TakeOf says which take a strand is of, and what that is called.
	TakeOf func(strand string) (id, name string)
	NewID  func() string
}

// Make works out what an order comes to: a file for each take that something is chosen of, or one for a bus.
func Make(r reel.Reel, o Order, c Context) ([]Print, error) {
	if o.To < o.From || o.From < 0 {
		return nil, snag.Refuse("bad_span", "a span ends after it begins")
	}
	if o.Bus != "" {
		p, err := bus(r, o, c)
		return []Print{p}, err
	}
	groups, order := map[string][]piece{}, []string{}
	which := map[string]bool{}
	if o.Alone {
		for _, id := range o.Clips {
			which[id] = true
		}
	} else {
		which = r.Kin(o.Clips)
	}
	for i, t := range r.Tracks {
		for _, clip := range t.Clips {
			p := piece{i, clip, max(clip.At, o.From), clip.End()}
			if o.To > 0 {
				p.to = min(p.to, o.To)
			}
			if p.to <= p.from || !which[clip.ID] && !slices.Contains(o.Tracks, t.ID) {
				continue
			}
			take, _ := c.TakeOf(clip.Strands[0])
			if groups[take] == nil {
				order = append(order, take)
			}
			groups[take] = append(groups[take], p)
		}
	}
	if len(order) == 0 {
		return nil, snag.Refuse("nothing_chosen", "choose clips, or a span over tracks, that sound: nothing lies there to be printed")
	}
	var out []Print
	for _, take := range order {
		_, name := c.TakeOf(groups[take][0].clip.Strands[0])
		p, err := c.print(r, groups[take], o.Plain, name)
		if err != nil {
			return nil, err
		}
		out = append(out, p)
	}
	return out, nil
}

// piece is what of a clip is printed.
type piece struct {
	track    int
	clip     reel.Clip
	from, to int64
}

// print is that of the pieces of one take: a channel of the file for each channel of their tracks.
func (c Context) print(r reel.Reel, pieces []piece, plain bool, name string) (Print, error) {
	p := Print{Name: name}
	from, to := pieces[0].from, pieces[0].to
	for _, x := range pieces {
		from, to = min(from, x.from), max(to, x.to)
	}
	graph := reel.New() // the tracks as they are, before all routing
	var channels []delivery.Channel
	p.Edit = edit.Printed{From: from, To: to}
	for i, t := range r.Tracks {
		var mine []piece
		for _, x := range pieces {
			if x.track == i {
				mine = append(mine, x)
			}
		}
		if mine == nil {
			continue
		}
		chosen := map[string]bool{}
		aside := edit.Aside{Track: t.ID}
		for _, x := range mine {
			chosen[x.clip.ID] = true
			aside.Clips = append(aside.Clips, x.clip)
		}
		p.Edit.Aside = append(p.Edit.Aside, aside)
		layout := t.Channels()
		for n, channel := range layout.Channels() {
			label := t.Label
			if layout.Count > 1 {
				label += " " + channel
			}
			channels = append(channels, delivery.Channel{Name: label, Number: len(channels) + 1, Output: -1, Signal: t.ID, Of: n})
		}
		p.Of = append(p.Of, t.Label)
		rendered := reel.Track{ID: t.ID, Label: t.Label, Layout: t.Layout, Clips: []reel.Clip{}}
		for k, clip := range t.Clips {
			if !chosen[clip.ID] {
				continue
			}
			// A fade into a clip that stays as it is stays a fade, of the print.
			in, out := fades(t.Clips, k, chosen)
			rendered.Clips = append(rendered.Clips, baked(clip, in, out, plain))
		}
		graph.Tracks = append(graph.Tracks, rendered)
		for _, run := range runs(mine) {
			laid := reel.Clip{Name: printed(name), At: run.from, In: run.from - from, Length: run.to - run.from}
			if layout.Count > 1 {
				laid.Layout = t.Layout
			}
			first, last := run.first.clip, run.last.clip
			if in, _ := fades(t.Clips, index(t.Clips, first), chosen); in == stays && run.from == first.At {
				laid.FadeIn = first.FadeIn
			}
			if _, out := fades(t.Clips, index(t.Clips, last), chosen); out == stays && run.to == last.End() {
				laid.FadeOut = last.FadeOut
			}
			p.Edit.Lay = append(p.Edit.Lay, edit.LaidPrint{Track: t.ID, Clip: laid})
			p.Widths = append(p.Widths, layout.Count)
		}
	}
	p.Plan = c.plan(graph, name+" printed", channels, from, to, fmt.Sprintf("printed from %s, %s", c.Titles.Reel, name))
	return p, nil
}

// printed is what the clips of a print are called.
func printed(name string) string {
	if strings.HasSuffix(name, ", printed") {
		return name
	}
	return name + ", printed"
}

// fate is what becomes of a fade.
type fate int

const (
	done    fate = iota // it is rendered, as what was done to the clip
	stays               // it is that of the print: what it fades into stays as it is
	crosses             // it fades into a clip that is printed along
)

// fades says what becomes of the fades of the k-th clip of a track.
func fades(clips []reel.Clip, k int, chosen map[string]bool) (in, out fate) {
	of := func(other int, over bool) fate {
		switch {
		case !over:
			return done
		case chosen[clips[other].ID]:
			return crosses
		}
		return stays
	}
	return of(k-1, k > 0 && clips[k-1].End() > clips[k].At), of(k+1, k+1 < len(clips) && clips[k].End() > clips[k+1].At)
}

// baked is a clip as it is rendered.
func baked(c reel.Clip, in, out fate, plain bool) reel.Clip {
	if in == stays || plain && in == done {
		c.FadeIn = reel.Fade{}
	}
	if out == stays || plain && out == done {
		c.FadeOut = reel.Fade{}
	}
	if plain {
		c.GainDB, c.Gain, c.Invert, c.Off = 0, nil, false, nil
	}
	c.Tie, c.Away = "", 0
	return c
}

// run is what lies in one piece on a track.
type run struct {
	from, to    int64
	first, last piece
}

func runs(pieces []piece) (out []run) {
	slices.SortFunc(pieces, func(a, b piece) int { return cmp.Compare(a.from, b.from) })
	for _, x := range pieces {
		if n := len(out); n > 0 && x.from <= out[n-1].to {
			if x.to > out[n-1].to {
				out[n-1].to, out[n-1].last = x.to, x
			}
			continue
		}
		out = append(out, run{x.from, x.to, x, x})
	}
	return out
}

func index(clips []reel.Clip, c reel.Clip) int {
	return slices.IndexFunc(clips, func(x reel.Clip) bool { return x.ID == c.ID })
}

// bus is the print of what feeds a bus, before the bus's own level: laid on a track that feeds it in place of what did.
func bus(r reel.Reel, o Order, c Context) (Print, error) {
	b, ok := r.Weave.Bus(o.Bus)
	if !ok {
		return Print{}, snag.Refuse("no_such_bus", "the bus is not in this reel any more")
	}
	from, to := r.Span()
	if o.To > 0 {
		from, to = max(from, o.From), min(to, o.To)
	}
	if to <= from {
		return Print{}, snag.Refuse("bad_span", "the span lies outside of the reel")
	}
	p := Print{Name: b.Name, Of: []string{b.Name}}
	graph := r
	graph.Weave = r.Weave.WithoutGains(b.ID)
	layout := b.Channels()
	var channels []delivery.Channel
	for n, channel := range layout.Channels() {
		label := b.Name
		if layout.Count > 1 {
			label += " " + channel
		}
		channels = append(channels, delivery.Channel{Name: label, Number: n + 1, Output: -1, Signal: b.ID, Of: n})
	}
	p.Plan = c.plan(graph, b.Name+" printed", channels, from, to, fmt.Sprintf("printed from %s, bus %s", c.Titles.Reel, b.Name))
	p.Edit = edit.Printed{From: from, To: to}
	track := reel.Track{ID: c.NewID(), Label: b.Name + " print", Layout: b.Layout}
	var sends []weave.Send
	if b.Role == weave.Mix {
		track.Off = true // its stems sound as they did: it would be heard twice
	} else {
		sends = []weave.Send{{To: b.ID}}
		for _, t := range r.Tracks {
			if r.Weave.Paths(t.ID, b.ID) == 0 || t.Off {
				continue
			}
			if also := elsewhere(r.Weave, t.ID, b.ID); also != "" {
				return Print{}, snag.Refuse("goes_elsewhere", "track %s goes to %s beside %s: what takes its place would be missing there; print the track, or take that send away", t.Label, also, b.Name)
			}
			aside := edit.Aside{Track: t.ID}
			for _, clip := range t.Clips {
				if clip.At < to && from < clip.End() {
					aside.Clips = append(aside.Clips, clip)
				}
			}
			if aside.Clips != nil {
				p.Edit.Aside = append(p.Edit.Aside, aside)
			}
		}
		if p.Edit.Aside == nil {
			return Print{}, snag.Refuse("nothing_chosen", "nothing that sounds goes to %s there", b.Name)
		}
	}
	p.Edit.Tracks = []reel.AddTrack{{Index: len(r.Tracks) + 1000, Track: track, Sends: sends}}
	laid := reel.Clip{Name: printed(b.Name), At: from, Length: to - from}
	if layout.Count > 1 {
		laid.Layout = b.Layout
	}
	p.Edit.Lay = []edit.LaidPrint{{Track: track.ID, Clip: laid}}
	p.Widths = []int{layout.Count}
	return p, nil
}

// elsewhere names a bus that a track reaches by a way that does not lead through another; empty for none.
func elsewhere(w weave.Weave, track, through string) string {
	seen := map[string]bool{}
	var look func(id string) string
	look = func(id string) string {
		for _, s := range w.Sends[id] {
			if s.To == through || seen[s.To] {
				continue
			}
			seen[s.To] = true
			if w.Paths(s.To, through) == 0 {
				b, _ := w.Bus(s.To)
				return b.Name
			}
			if name := look(s.To); name != "" {
				return name
			}
		}
		return ""
	}
	return look(track)
}

// plan is that of one file of 32 bits floating point: sums and gains beyond full scale are kept, and 24 bits at rest are exact.
func (c Context) plan(r reel.Reel, name string, channels []delivery.Channel, from, to int64, note string) delivery.Plan {
	r.Start = &from
	length := to - from
	r.Length = &length
	spec := delivery.Spec{
		Format: delivery.SpecFormat, Name: note, Version: 1, SampleRate: c.Samples, Coding: "f32", Programme: delivery.Programme{Length: "reel"},
		Packings: []delivery.Packing{{ID: "print", Says: "one file", Files: []delivery.FileRule{{Container: "wav", Name: "print"}}}},
	}
	group := delivery.FileGroup{Name: name, Layout: fmt.Sprint("discrete ", len(channels)), Count: len(channels)}
	if l, err := audio.DiscreteLayout(len(channels)); err == nil {
		group.Layout = l.Name
	}
	file := strings.TrimSpace(naming.Clean(name)) + "_" + strings.NewReplacer(":", "", ";", "").Replace(c.Rate.FormatSamples(from, int64(c.Samples))) + ".wav"
	return delivery.Plan{
		Order: delivery.Order{Spec: spec, Packing: "print", Titles: c.Titles, Date: c.Date, Time: c.Time},
		Reel:  r, Rate: c.Rate, Rates: delivery.Rates{Reel: c.Samples, Files: c.Samples},
		Start: from, Frames: length, From: from, To: to,
		Files: []delivery.File{{Name: file, Container: "wav", Coding: "f32", Channels: channels, Groups: []delivery.FileGroup{group}}},
	}
}

// Laid is the edit that lays a print, once its file's channels are strands.
func (p Print) Laid(strand func(channel int) string) edit.Printed {
	e := p.Edit
	e.Lay = slices.Clone(e.Lay)
	at, last := 0, ""
	for i := range e.Lay {
		if l := &e.Lay[i]; last != "" && l.Track != last {
			at += p.Widths[i-1]
		}
		last = e.Lay[i].Track
		e.Lay[i].Clip.Strands = nil
		for k := range p.Widths[i] {
			e.Lay[i].Clip.Strands = append(e.Lay[i].Clip.Strands, strand(at+k))
		}
	}
	return e
}
