package edit

import (
	"slices"

	"zestyloom/core/cutlist"
	"zestyloom/core/reel"
)

// Followed is what became of an event of a cut list when the reel followed a later version of it.
type Followed struct {
	Name string
	// Kind is same, moved, trimmed, both (moved and trimmed), new or gone.
	Kind string
	// By is how many samples later what moved lies; Head and Tail how much later it begins and ends in its take.
	By, Head, Tail int64
	At             int64 // where it lies now, or lay
}

// laying is a cutting as it is remembered.
func (c Cutting) laying() reel.Laying {
	l := reel.Laying{Name: c.Take.Name, From: c.From, At: c.At, Length: c.Length}
	for _, s := range c.Take.Strands {
		l.Strands = append(l.Strands, s.ID)
	}
	return l
}

// compared finds for each cutting which laying of before it is. -1 for one that is new.
func compared(was []reel.Laying, now []Cutting) []int {
	stretch := func(l reel.Laying) cutlist.Stretch {
		s := cutlist.Stretch{In: l.From, At: l.At, Length: l.Length}
		if len(l.Strands) > 0 {
			s.Source = l.Strands[0]
		}
		return s
	}
	var before, after []cutlist.Stretch
	for _, o := range was {
		before = append(before, stretch(o))
	}
	for _, c := range now {
		after = append(after, stretch(c.laying()))
	}
	return cutlist.Pair(before, after)
}

// Compare says what a later version of a cut list would change, event by event, and then what would go.
func Compare(was []reel.Laying, now []Cutting) []Followed {
	match := compared(was, now)
	var out []Followed
	used := map[int]bool{}
	for i, c := range now {
		f := Followed{Name: c.Take.Name, Kind: "new", At: c.At}
		if k := match[i]; k >= 0 {
			used[k] = true
			o := was[k]
			f.By = (c.At - c.From) - (o.At - o.From)
			f.Head, f.Tail = c.From-o.From, c.From+c.Length-o.From-o.Length
			moved, trimmed := f.By != 0, f.Head != 0 || f.Tail != 0
			f.Kind = map[[2]bool]string{{}: "same", {true, false}: "moved", {false, true}: "trimmed", {true, true}: "both"}[[2]bool{moved, trimmed}]
		}
		out = append(out, f)
	}
	for k, o := range was {
		if !used[k] {
			out = append(out, Followed{Name: o.Name, Kind: "gone", At: o.At})
		}
	}
	return out
}

// Follow makes a reel follow a later version of the cut list that is laid in it: what moved is moved with all that was done
// to it, what was trimmed is trimmed at its outer edges, what went goes, and what came is laid. Where nothing is laid of a
// list yet, all of it is.
func Follow(r reel.Reel, now []Cutting, day int64, newID func() string) (Planned, error) {
	d := &draft{Reel: r, Context: Context{NewID: newID}}
	match := compared(r.Cut, now)
	used := map[int]bool{}
	type put struct {
		track reel.Track // that it lay on
		clip  reel.Clip
	}
	var again []put
	var gone []spot
	for i, c := range now {
		k := match[i]
		if k < 0 {
			continue
		}
		used[k] = true
		o := r.Cut[k]
		l := c.laying()
		if l.At == o.At && l.From == o.From && l.Length == o.Length {
			continue
		}
		for _, s := range d.of(o) {
			gone = append(gone, s)
			if clip, ok := followed(s.Clip, o, l); ok {
				again = append(again, put{d.Tracks[s.track], clip})
			}
		}
	}
	for k, o := range r.Cut {
		if !used[k] {
			gone = append(gone, d.of(o)...)
		}
	}
	if err := d.take(unique(gone)); err != nil {
		return Planned{}, err
	}
	for _, p := range again {
		if err := d.lay(p.track, p.clip); err != nil {
			return Planned{}, err
		}
	}
	var come []Cutting
	for i, c := range now {
		if match[i] < 0 {
			come = append(come, c)
		}
	}
	if err := d.conform(come, day); err != nil {
		return Planned{}, err
	}
	var cut []reel.Laying
	for _, c := range now {
		cut = append(cut, c.laying())
	}
	if err := d.do(reel.Op{SetCut: &reel.SetCut{Cut: cut}}); err != nil {
		return Planned{}, err
	}
	return d.planned(), nil
}

func unique(all []spot) []spot {
	seen := map[string]bool{}
	return slices.DeleteFunc(all, func(s spot) bool {
		was := seen[s.ID]
		seen[s.ID] = true
		return was
	})
}

// of finds the clips of an event: those that play its take where it laid it, and what lies within them on the same tracks
// without a tie of its own, such as a line that was borrowed.
func (d *draft) of(o reel.Laying) (out []spot) {
	place := o.At - o.From
	for i, t := range d.Tracks {
		first := len(out)
		for k, c := range t.Clips {
			if slices.Contains(o.Strands, c.Strands[0]) && c.At-c.In-c.Away == place && c.In < o.From+o.Length && o.From < c.In+c.Length {
				out = append(out, spot{i, k, c})
			}
		}
		if len(out) == first {
			continue
		}
		for k, c := range t.Clips {
			guest := c.Tie == "" && c.At >= o.At && c.End() <= o.At+o.Length
			if guest && !slices.ContainsFunc(out[first:], func(s spot) bool { return s.ID == c.ID }) {
				out = append(out, spot{i, k, c})
			}
		}
	}
	return out
}

// followed is a clip of an event as it is laid now: moved with it, and kept as far as the event goes. Where the event has
// become longer, what began or ended with it does so still. False where nothing is left.
func followed(c reel.Clip, o, l reel.Laying) (reel.Clip, bool) {
	by := (l.At - l.From) - (o.At - o.From)
	start, end := c.At-c.Away, c.End()-c.Away // where it would lie at home
	c.At += by
	head, tail := l.At, l.At+l.Length
	from, to := start+by, end+by
	own := slices.Contains(o.Strands, c.Strands[0])
	if own && start <= o.At { // it began with the event, or a handle before it
		from = max(head-(o.At-start), from-c.In)
	} else {
		from = max(from, head)
	}
	if own && end >= o.At+o.Length {
		to = tail + end - (o.At + o.Length)
	} else {
		to = min(to, tail)
	}
	if to <= from {
		return c, false
	}
	shift := from - (start + by)
	c.At, c.In, c.Length = c.At+shift, c.In+shift, to-from
	return fit(c), true
}

// lay puts a clip on a track, or where something lies there on another of the same label, or on a new one below that is sent
// as it is.
func (d *draft) lay(t reel.Track, c reel.Clip) error {
	free := func(o reel.Track) bool {
		return !slices.ContainsFunc(o.Clips, func(x reel.Clip) bool { return x.At < c.End() && c.At < x.End() })
	}
	own := slices.IndexFunc(d.Tracks, func(o reel.Track) bool { return o.ID == t.ID })
	at := own
	if own < 0 || !free(d.Tracks[own]) {
		at = slices.IndexFunc(d.Tracks, func(o reel.Track) bool {
			return o.Label == t.Label && o.Layout == t.Layout && o.Off == t.Off && free(o)
		})
	}
	if at >= 0 {
		return d.do(reel.Op{AddClips: &reel.AddClips{Track: d.Tracks[at].ID, Clips: []reel.Clip{c}}})
	}
	sends := d.Weave.Sends[t.ID]
	t.ID, t.Clips = d.NewID(), []reel.Clip{c}
	return d.do(reel.Op{AddTrack: &reel.AddTrack{Index: own + 1, Track: t, Sends: sends}})
}
