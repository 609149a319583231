package edit

import (
	"slices"

	"zestyloom/core/reel"
	"zestyloom/core/snag"
)

// Printed lays a print, a recording that was made of what lies in a span, where that lay. What it takes the place of is not lost:
// it goes onto tracks of its own below, which are off.
type Printed struct {
	From  int64   `json:"from"`
	To    int64   `json:"to"`
	Aside []Aside `json:"aside"`
	// Tracks are new ones that the print is laid on, as of a bus; Lay says what of it lies where.
	Tracks []reel.AddTrack `json:"tracks,omitempty"`
	Lay    []LaidPrint     `json:"lay"`
}

// Aside are clips of a track that are put aside between From and To.
type Aside struct {
	Track string `json:"track"`
	// Clips are as they were when the print was made: where one is something else by now, nothing is laid.
	Clips []reel.Clip `json:"clips"`
}

// LaidPrint is a stretch of a print's strands on a track.
type LaidPrint struct {
	Track string    `json:"track"`
	Clip  reel.Clip `json:"clip"`
}

func (o *Printed) plan(d *draft) error {
	if o.To <= o.From || len(o.Lay) == 0 {
		return snag.Refuse("bad_span", "a span ends after it begins")
	}
	for _, a := range o.Aside {
		if err := o.aside(d, a); err != nil {
			return err
		}
	}
	for i := range o.Tracks {
		t := o.Tracks[i]
		if err := d.do(reel.Op{AddTrack: &t}); err != nil {
			return err
		}
	}
	tie := ""
	if len(o.Lay) > 1 {
		tie = d.NewID()
	}
	for _, l := range o.Lay {
		c := l.Clip
		c.ID, c.Tie = d.NewID(), tie
		if err := d.do(reel.Op{AddClips: &reel.AddClips{Track: l.Track, Clips: []reel.Clip{c}}}); err != nil {
			return err
		}
	}
	return nil
}

// aside cuts what reaches over an end of the span, and moves what lies within onto a track below that is off.
func (o *Printed) aside(d *draft, a Aside) error {
	i := slices.IndexFunc(d.Tracks, func(t reel.Track) bool { return t.ID == a.Track })
	if i < 0 {
		return snag.Refuse("no_such_track", "one of the tracks that were printed is not in this reel any more")
	}
	ids := map[string]bool{}
	for _, c := range a.Clips {
		k := slices.IndexFunc(d.Tracks[i].Clips, func(x reel.Clip) bool { return x.ID == c.ID })
		if k < 0 || !d.Tracks[i].Clips[k].Same(c) {
			return snag.Refuse("changed_since", "%s on track %s has been edited since it was printed: nothing was laid; the print is among the takes", c.Name, d.Tracks[i].Label)
		}
		ids[c.ID] = true
	}
	for _, at := range []int64{o.From, o.To} {
		over := d.find([]int{i}, func(c reel.Clip) bool { return ids[c.ID] && across(c, at) })
		if len(over) == 0 {
			continue
		}
		there := map[string]bool{}
		for _, c := range d.Tracks[i].Clips {
			there[c.ID] = true
		}
		if err := d.cut(over, at); err != nil {
			return err
		}
		for _, c := range d.Tracks[i].Clips {
			if !there[c.ID] { // what was cut off of those that are meant
				ids[c.ID] = true
			}
		}
	}
	var moved []string
	var clips []reel.Clip
	for _, s := range d.find([]int{i}, func(c reel.Clip) bool { return ids[c.ID] && c.At >= o.From && c.End() <= o.To }) {
		moved, clips = append(moved, s.ID), append(clips, s.Clip)
	}
	if len(moved) == 0 {
		return nil
	}
	below := reel.Track{ID: d.NewID(), Label: asideLabel(d.Tracks[i].Label), Layout: d.Tracks[i].Layout, Off: true}
	if i+1 < len(d.Tracks) && o.takes(d.Tracks[i+1], below, clips) {
		below = d.Tracks[i+1]
	} else if err := d.do(reel.Op{AddTrack: &reel.AddTrack{Index: i + 1, Track: below}}); err != nil {
		return err
	}
	return d.do(reel.Op{Move: &reel.Move{IDs: moved, Onto: map[string]string{a.Track: below.ID}}})
}

// takes reports whether a track is one for what was put aside, and has room for some more.
func (o *Printed) takes(t, like reel.Track, clips []reel.Clip) bool {
	return t.Off && t.Label == like.Label && t.Layout == like.Layout && !slices.ContainsFunc(t.Clips, func(x reel.Clip) bool {
		return slices.ContainsFunc(clips, func(c reel.Clip) bool { return x.At < c.End() && c.At < x.End() })
	})
}

// asideLabel is what the track is called that has what a print of a track was made of.
func asideLabel(label string) string {
	const after = ", before print"
	for len(label) > 200-len(after) {
		label = label[:len(label)-1]
	}
	return label + after
}
