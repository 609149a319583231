package reel

import (
	"slices"

	"zestyloom/core/snag"
)

// place gives a track other clips, in order of time, and checks what that makes of it.
func (r *Reel) place(i int, clips []Clip) error {
	t := r.Tracks[i]
	t.Clips = clips
	sortClips(t.Clips)
	if err := t.check(); err != nil {
		return err
	}
	r.Tracks[i] = t
	return nil
}

// AddClips lays clips on a track.
type AddClips struct {
	Track string `json:"track"`
	Clips []Clip `json:"clips"`
}

func (o *AddClips) apply(r *Reel) (Op, error) {
	i, err := r.track(o.Track)
	if err != nil {
		return Op{}, err
	}
	if err := r.fresh(o.Clips); err != nil {
		return Op{}, err
	}
	back := RemoveClips{Track: o.Track}
	for _, c := range o.Clips {
		back.IDs = append(back.IDs, c.ID)
	}
	return Op{RemoveClips: &back}, r.place(i, append(slices.Clone(r.Tracks[i].Clips), o.Clips...))
}

// RemoveClips takes clips off a track.
type RemoveClips struct {
	Track string   `json:"track"`
	IDs   []string `json:"ids"`
}

func (o *RemoveClips) apply(r *Reel) (Op, error) {
	i, err := r.track(o.Track)
	if err != nil {
		return Op{}, err
	}
	gone := set(o.IDs)
	back := AddClips{Track: o.Track}
	left := []Clip{}
	for _, c := range r.Tracks[i].Clips {
		if gone[c.ID] {
			back.Clips = append(back.Clips, c)
			delete(gone, c.ID)
		} else {
			left = append(left, c)
		}
	}
	for id := range gone {
		return Op{}, noClip(id)
	}
	return Op{AddClips: &back}, r.place(i, left)
}

func set(ids []string) map[string]bool {
	out := make(map[string]bool, len(ids))
	for _, id := range ids {
		out[id] = true
	}
	return out
}

// SetClips gives clips of a track other properties; their IDs stay.
type SetClips struct {
	Track string `json:"track"`
	Clips []Clip `json:"clips"`
}

func (o *SetClips) apply(r *Reel) (Op, error) {
	i, err := r.track(o.Track)
	if err != nil {
		return Op{}, err
	}
	back := SetClips{Track: o.Track}
	clips := slices.Clone(r.Tracks[i].Clips)
	at := make(map[string]int, len(clips))
	for k, c := range clips {
		at[c.ID] = k
	}
	for _, c := range o.Clips {
		k, ok := at[c.ID]
		if !ok {
			return Op{}, noClip(c.ID)
		}
		back.Clips = append(back.Clips, clips[k])
		clips[k] = c
	}
	slices.Reverse(back.Clips) // a clip that is named twice is put back to what it was first
	return Op{SetClips: &back}, r.place(i, clips)
}

// SetPlaced says of a clip of unknown place that it lies where it is meant to, or that it does not.
type SetPlaced struct {
	Track  string `json:"track"`
	ID     string `json:"id"`
	Placed bool   `json:"placed"`
}

func (o *SetPlaced) apply(r *Reel) (Op, error) {
	i, err := r.track(o.Track)
	if err != nil {
		return Op{}, err
	}
	clips := slices.Clone(r.Tracks[i].Clips)
	j := slices.IndexFunc(clips, func(c Clip) bool { return c.ID == o.ID })
	if j < 0 {
		return Op{}, noClip(o.ID)
	}
	back := SetPlaced{o.Track, o.ID, !clips[j].Unplaced}
	clips[j].Unplaced = !o.Placed
	r.Tracks[i].Clips = clips
	return Op{SetPlaced: &back}, nil
}

// Move moves clips in time, wherever they lie, and those of some tracks onto others.
type Move struct {
	IDs []string `json:"ids"`
	By  int64    `json:"by"` // samples later
	// Onto gives the tracks that the clips of others come onto, by their IDs.
	Onto map[string]string `json:"onto,omitempty"`
	// Alone says that they are let go of their kin: from then on they lie that much further from home.
	Alone bool `json:"alone,omitempty"`
}

func (o *Move) apply(r *Reel) (Op, error) {
	moved := set(o.IDs)
	gone := set(o.IDs)
	come := make(map[int][]Clip, len(r.Tracks)) // those that come, by track
	taken := map[int]bool{}                     // tracks that some leave
	back := Move{IDs: o.IDs, By: -o.By, Alone: o.Alone}
	for i := range r.Tracks {
		t := &r.Tracks[i]
		to := i
		if id, other := o.Onto[t.ID]; other {
			var err error
			if to, err = r.track(id); err != nil {
				return Op{}, err
			}
		}
		for k := range t.Clips {
			if !moved[t.Clips[k].ID] {
				continue
			}
			c := t.Clips[k]
			delete(moved, c.ID)
			c.At += o.By
			if o.Alone {
				c.Away += o.By
			}
			come[to] = append(come[to], c)
			taken[i] = true
		}
		if !taken[i] || to == i {
			continue
		}
		if back.Onto == nil {
			back.Onto = map[string]string{}
		}
		if _, twice := back.Onto[r.Tracks[to].ID]; twice {
			return Op{}, snag.Refuse("bad_move", "clips of several tracks can't be moved onto track %s at once", r.Tracks[to].Label)
		}
		back.Onto[r.Tracks[to].ID] = t.ID
	}
	for id := range moved {
		return Op{}, noClip(id)
	}
	// A track that clips come onto from another, while its own stay on it and move, can't be told apart going back.
	for to, from := range back.Onto {
		if i := r.index(to); slices.ContainsFunc(r.Tracks[i].Clips, func(c Clip) bool { return gone[c.ID] }) && o.Onto[to] == "" {
			return Op{}, snag.Refuse("bad_move", "track %s can't take clips of track %s while its own move along it", to, from)
		}
	}
	for i := range r.Tracks {
		if !taken[i] && come[i] == nil {
			continue
		}
		clips := make([]Clip, 0, len(r.Tracks[i].Clips)+len(come[i]))
		for k := range r.Tracks[i].Clips {
			if c := &r.Tracks[i].Clips[k]; !gone[c.ID] {
				clips = append(clips, *c)
			}
		}
		if err := r.place(i, append(clips, come[i]...)); err != nil {
			return Op{}, err
		}
	}
	return Op{Move: &back}, nil
}

// Split cuts clips in two at a sample of the reel's time.
type Split struct {
	At int64 `json:"at"`
	// Into gives the IDs of the second parts by those of the clips, which the first parts keep.
	Into map[string]string `json:"into"`
	// Ties gives the ties of the second parts by those of the clips, where they are tied anew.
	Ties map[string]string `json:"ties,omitempty"`
}

func (o *Split) apply(r *Reel) (Op, error) {
	todo := len(o.Into)
	back := Join{Second: o.Into}
	var parts []Clip
	for _, id := range o.Into {
		parts = append(parts, Clip{ID: id})
	}
	if err := r.fresh(parts); err != nil {
		return Op{}, err
	}
	for i, t := range r.Tracks {
		var clips []Clip
		for k, c := range t.Clips {
			id, cut := o.Into[c.ID]
			if !cut {
				continue
			}
			todo--
			if clips == nil {
				clips = slices.Clone(t.Clips)
			}
			first, second, err := cutAt(c, o.At, id)
			if err != nil {
				return Op{}, err
			}
			if tie, ok := o.Ties[c.Tie]; ok {
				second.Tie = tie
			}
			clips[k] = first
			clips = append(clips, second)
		}
		if clips != nil {
			if err := r.place(i, clips); err != nil {
				return Op{}, err
			}
		}
	}
	if todo > 0 {
		return Op{}, snag.Refuse("no_such_clip", "%d of the clips that were to be cut are not in this reel any more", todo)
	}
	return Op{Join: &back}, nil
}

func cutAt(c Clip, at int64, id string) (first, second Clip, err error) {
	n := at - c.At
	if n < c.FadeIn.Length || n > c.Length-c.FadeOut.Length || n <= 0 || n >= c.Length {
		return c, c, snag.Refuse("bad_cut", "%s can't be cut at %d: there it does not lie, or fades", c.Name, at)
	}
	first, second = c, c
	first.Length, first.FadeOut = n, Fade{}
	second.ID, second.At, second.In, second.Length, second.FadeIn = id, at, c.In+n, c.Length-n, Fade{}
	return first, second, nil
}

// Join makes one clip again of two that were cut.
type Join struct {
	// Second gives the IDs of the second parts by those of the first.
	Second map[string]string `json:"second"`
}

func (o *Join) apply(r *Reel) (Op, error) {
	todo := len(o.Second)
	back := Split{Into: o.Second}
	ties := map[string]string{} // those of the second parts by those of the first
	for i, t := range r.Tracks {
		var clips []Clip
		at := map[string]int{}
		for k, c := range t.Clips {
			at[c.ID] = k
		}
		gone := map[string]bool{}
		for _, c := range t.Clips {
			id, joined := o.Second[c.ID]
			if !joined {
				continue
			}
			k, ok := at[id]
			if !ok {
				return Op{}, noClip(id)
			}
			second := t.Clips[k]
			first, _, err := cutAt(whole(c, second), second.At, id)
			first.Tie = c.Tie
			if err != nil || !same(first, c) || first.End() != second.At || c.In+c.Length != second.In || second.FadeIn != (Fade{}) {
				return Op{}, snag.Refuse("bad_join", "%s at %d and %s at %d are not the two parts of a clip", c.Name, c.At, second.Name, second.At)
			}
			if todo == len(o.Second) {
				back.At = second.At
			}
			if second.At != back.At {
				return Op{}, snag.Refuse("bad_join", "clips that were cut at several places are joined one place at a time")
			}
			if tie, known := ties[c.Tie]; known && tie != second.Tie {
				return Op{}, snag.Refuse("bad_join", "%s at %d and %s at %d are not the two parts of a clip: what they are tied to differs", c.Name, c.At, second.Name, second.At)
			}
			ties[c.Tie] = second.Tie
			todo--
			if clips == nil {
				clips = slices.Clone(t.Clips)
			}
			clips[at[c.ID]] = whole(c, second)
			gone[id] = true
		}
		if clips != nil {
			clips = slices.DeleteFunc(clips, func(c Clip) bool { return gone[c.ID] })
			if err := r.place(i, clips); err != nil {
				return Op{}, err
			}
		}
	}
	if todo > 0 {
		return Op{}, snag.Refuse("no_such_clip", "%d of the clips that were to be joined are not in this reel any more", todo)
	}
	for first, second := range ties {
		if first != second {
			if back.Ties == nil {
				back.Ties = map[string]string{}
			}
			back.Ties[first] = second
		}
	}
	return Op{Split: &back}, nil
}

// whole is two parts as one, as far as they are.
func whole(first, second Clip) Clip {
	c := second
	c.ID, c.At, c.In, c.Length, c.FadeIn, c.Tie = first.ID, first.At, first.In, first.Length+second.Length, first.FadeIn, first.Tie
	return c
}

// Same reports whether nothing about two clips differs.
func (c Clip) Same(o Clip) bool { return same(c, o) }

func same(a, b Clip) bool {
	return slices.Equal(a.Strands, b.Strands) && slices.Equal(a.Gain, b.Gain) && slices.Equal(a.Off, b.Off) &&
		a.Patch.Equal(b.Patch) && a.ID == b.ID && a.At == b.At && a.In == b.In && a.Length == b.Length && a.Name == b.Name &&
		a.Tie == b.Tie && a.Layout == b.Layout && a.GainDB == b.GainDB && a.Invert == b.Invert && a.FadeIn == b.FadeIn && a.FadeOut == b.FadeOut &&
		a.Note == b.Note && a.Unplaced == b.Unplaced && a.Away == b.Away
}
