package reel

import (
	"slices"

	"zestyloom/core/automation"
)

// Shift says how the clips of some strands come to lie elsewhere.
type Shift struct {
	// Of says which strands are meant, by the caller's name for their sound; clips are asked for by their first.
	Of func(strand string) bool
	By int64 // samples later
	// Retime gives the place in a strand that another place has become, where its clock is now read
	// otherwise; nil leaves places as they are.
	Retime func(frame int64) int64
	// NewID makes identities for tracks that are added where clips would lie over others; nil leaves them on
	// their tracks, where such operations are refused.
	NewID func() string
	// Placed says that it is known from now on where the clips belong.
	Placed bool
}

// MoveClips works out the operations that move clips, all together: none is ever in another's way that
// moves along. A clip that something else lies under where it comes to goes on another track of the same label, or on
// a new one below its own that is routed as its own is.
func MoveClips(r Reel, m Shift) []Op {
	var off, on []Op
	next := r.clone() // as it is by now, to see what is free
	type moving struct {
		track Track
		clip  Clip
	}
	var all []moving
	for n, t := range r.Tracks {
		for _, c := range t.Clips {
			if !m.Of(c.Strands[0]) {
				continue
			}
			to := c
			to.At += m.By
			to.Unplaced = c.Unplaced && !m.Placed
			if m.Retime != nil {
				to = retimed(to, m.Retime)
			}
			if same(to, c) {
				continue
			}
			off = append(off, Op{RemoveClips: &RemoveClips{t.ID, []string{c.ID}}})
			next.Tracks[n].Clips = slices.DeleteFunc(slices.Clone(next.Tracks[n].Clips), func(o Clip) bool { return o.ID == c.ID })
			all = append(all, moving{t, to})
		}
	}
	for _, v := range all {
		own := next.index(v.track.ID)
		at := own
		if !next.Tracks[own].free(v.clip) && m.NewID != nil {
			at = slices.IndexFunc(next.Tracks, func(t Track) bool {
				return t.Label == v.track.Label && t.Layout == v.track.Layout && t.Off == v.track.Off && t.free(v.clip)
			})
		}
		if at < 0 {
			t := v.track
			t.ID, t.Clips = m.NewID(), []Clip{v.clip}
			on = append(on, Op{AddTrack: &AddTrack{Index: own + 1, Track: t, Sends: r.Weave.Sends[v.track.ID]}})
			next.Tracks = slices.Insert(next.Tracks, own+1, t)
			continue
		}
		on = append(on, Op{AddClips: &AddClips{next.Tracks[at].ID, []Clip{v.clip}}})
		next.Tracks[at].Clips = append(next.Tracks[at].Clips, v.clip)
	}
	return append(off, on...)
}

// retimed is a clip whose strands' samples are now counted otherwise, with all that is drawn over it.
func retimed(c Clip, at func(int64) int64) Clip {
	in := at(c.In)
	c.Length = max(1, at(c.In+c.Length)-in)
	c.At += in - c.In // what was before the clip has become longer or shorter
	c.In = in
	c.Gain = slices.Clone(c.Gain)
	for i := range c.Gain {
		c.Gain[i].At = at(c.Gain[i].At)
	}
	// Two points of one sample are one.
	c.Gain = slices.CompactFunc(c.Gain, func(a, b automation.Point) bool { return a.At == b.At })
	c.Off = slices.Clone(c.Off)
	for i, o := range c.Off {
		c.Off[i].From, c.Off[i].To = at(o.From), max(at(o.From)+1, at(o.To))
		c.Off[i].Ramp = min(o.Ramp, (c.Off[i].To-c.Off[i].From)/2)
	}
	c.FadeIn.Length = min(c.FadeIn.Length, c.Length)
	c.FadeOut.Length = min(c.FadeOut.Length, c.Length-c.FadeIn.Length)
	return c
}
