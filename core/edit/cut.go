package edit

import (
	"slices"

	"zestyloom/core/reel"
	"zestyloom/core/snag"
)

// Cut cuts clips in two. A fade that is cut into ends at the cut.
type Cut struct {
	At     int64    `json:"at"`
	Clips  []string `json:"clips,omitempty"`  // with their kin; none for all that sound there
	Tracks []string `json:"tracks,omitempty"` // without clips: on these; none for all
	Alone  bool     `json:"alone,omitempty"`
}

func (o *Cut) plan(d *draft) error {
	ids := o.Clips
	if len(ids) == 0 {
		on, err := d.on(o.Tracks)
		if err != nil {
			return err
		}
		ids = idsOf(d.find(on, func(c reel.Clip) bool { return across(c, o.At) }))
		if len(ids) == 0 {
			return snag.Refuse("nothing_to_cut", "nothing lies there that could be cut")
		}
	}
	clips, err := d.chosen(ids, o.Alone)
	if err != nil {
		return err
	}
	return d.cut(clips, o.At)
}

// cut cuts those of some clips that lie at a sample.
func (d *draft) cut(clips []spot, at int64) error {
	into := map[string]string{}
	var faded []spot
	for _, s := range clips {
		n := at - s.At
		if n <= 0 || n >= s.Length {
			continue
		}
		into[s.ID] = d.NewID()
		if s.FadeIn.Length > n || s.FadeOut.Length > s.Length-n {
			s.FadeIn.Length, s.FadeOut.Length = min(s.FadeIn.Length, n), min(s.FadeOut.Length, s.Length-n)
			faded = append(faded, s)
		}
	}
	if len(into) == 0 {
		return snag.Refuse("nothing_to_cut", "what is chosen does not lie there")
	}
	if err := d.set(faded); err != nil {
		return err
	}
	op := reel.Split{At: at, Into: into}
	behind := d.tieAnew(&op)
	if err := d.do(reel.Op{Split: &op}); err != nil {
		return err
	}
	return d.set(behind)
}

// tieAnew gives the second parts of a cut ties of their own where it goes through all kin that lie there. Kin that lie
// behind the cut are tied with them.
func (d *draft) tieAnew(op *reel.Split) (behind []spot) {
	cut, whole := map[string]bool{}, map[string]bool{}
	for _, t := range d.Tracks {
		for _, c := range t.Clips {
			if op.Into[c.ID] != "" {
				cut[c.Tie] = true
			} else if across(c, op.At) {
				whole[c.Tie] = true
			}
		}
	}
	delete(cut, "")
	op.Ties = map[string]string{}
	for tie := range cut {
		if !whole[tie] {
			op.Ties[tie] = d.NewID()
		}
	}
	behind = d.find(d.all(), func(c reel.Clip) bool { return op.Ties[c.Tie] != "" && c.At >= op.At })
	for i := range behind {
		behind[i].Tie = op.Ties[behind[i].Tie]
	}
	return behind
}

// cutAcross cuts what lies across a sample on some tracks, but for some clips.
func (d *draft) cutAcross(on []int, at int64, but ...string) error {
	over := d.find(on, func(c reel.Clip) bool { return across(c, at) && !slices.Contains(but, c.ID) })
	if len(over) == 0 {
		return nil
	}
	return d.cut(over, at)
}

// cutSpan cuts everything on some tracks that reaches over an end of a span, and gives what then lies within.
func (d *draft) cutSpan(on []int, from, to int64) ([]spot, error) {
	for _, at := range []int64{from, to} {
		if err := d.cutAcross(on, at); err != nil {
			return nil, err
		}
	}
	return d.find(on, func(c reel.Clip) bool { return c.At >= from && c.End() <= to }), nil
}

// Join makes one clip again of those that were cut: each chosen clip with the next one, where that goes on where it ends.
type Join struct {
	Clips []string `json:"clips"`
	Alone bool     `json:"alone,omitempty"`
}

func (o *Join) plan(d *draft) error {
	clips, err := d.chosen(o.Clips, o.Alone)
	if err != nil {
		return err
	}
	which := map[string]bool{}
	for _, s := range clips {
		which[s.ID] = true
	}
	single := map[int]bool{} // tracks where one clip is chosen: it is joined with what follows, or else with what it follows
	for _, s := range clips {
		_, twice := single[s.track]
		single[s.track] = !twice
	}
	joined := 0
	for i := range d.Tracks {
		for k := 0; k+1 < len(d.Tracks[i].Clips); {
			a, b := d.Tracks[i].Clips[k], d.Tracks[i].Clips[k+1]
			if !(which[a.ID] && (which[b.ID] || single[i])) {
				k++
				continue
			}
			if d.do(reel.Op{Join: &reel.Join{Second: map[string]string{a.ID: b.ID}}}) != nil {
				k++
				continue
			}
			joined++
			if single[i] {
				break
			}
		}
	}
	if joined == 0 {
		return snag.Refuse("nothing_to_join", "what is chosen is not what was cut: the next clip goes on elsewhere, or differs in gain, fades or name")
	}
	return nil
}

// TakeApart lays, in place of each clip of several channels, copies of it that play some of them each, the others silent:
// all on the track that it lies on where they can, else each on a new track below.
type TakeApart struct {
	Clips []string `json:"clips"`
	// Groups are the channels of each copy, from 0, and the layout that they then have.
	Groups []ApartGroup `json:"groups"`
}

// ApartGroup is what one copy plays.
type ApartGroup struct {
	Channels []int  `json:"channels"`
	Layout   string `json:"layout"`
	Label    string `json:"label,omitempty"` // of its track
}

func (o *TakeApart) plan(d *draft) error {
	clips, err := d.chosen(o.Clips, true)
	if err != nil {
		return err
	}
	if len(o.Groups) == 0 {
		return snag.Refuse("nothing_to_do", "say which channels go where")
	}
	added := map[string][]string{} // by the track that is taken apart: a track a group
	for _, s := range clips {
		t := d.Tracks[s.track]
		for g, group := range o.Groups {
			c := s.Clip
			c.ID, c.Patch, c.Layout = d.NewID(), reelPlain, ""
			c.Strands = nil
			for _, n := range group.Channels {
				if n < 0 || n >= len(s.Strands) {
					return snag.Refuse("bad_clip", "%s has %d channels, not a channel %d", s.Name, len(s.Strands), n+1)
				}
				c.Strands = append(c.Strands, s.Strands[n])
			}
			if g < len(added[t.ID]) {
				if err := d.do(reel.Op{AddClips: &reel.AddClips{Track: added[t.ID][g], Clips: []reel.Clip{c}}}); err != nil {
					return err
				}
				continue
			}
			label := group.Label
			if label == "" {
				label = t.Label + " " + group.Layout
			}
			at := 0
			for i := range d.Tracks {
				if d.Tracks[i].ID == t.ID {
					at = i + 1 + g
				}
			}
			nt := reel.Track{ID: d.NewID(), Label: label, Layout: group.Layout, Clips: []reel.Clip{c}}
			if err := d.do(reel.Op{AddTrack: &reel.AddTrack{Index: at, Track: nt}}); err != nil {
				return err
			}
			added[t.ID] = append(added[t.ID], nt.ID)
		}
		if err := d.do(reel.Op{RemoveClips: &reel.RemoveClips{Track: t.ID, IDs: []string{s.ID}}}); err != nil {
			return err
		}
	}
	return nil
}
