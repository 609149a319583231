package reel

import (
	"slices"

	"zestyloom/core/automation"
	"zestyloom/core/timecode"
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

// Realign says that a take comes to begin elsewhere on the clock, or that its clock is read otherwise.
type Realign struct {
	Strands map[string]int64 // of the take, and by how many samples each lies later than the take has it
	From    int64            // where the take began, samples since midnight; -1 when that was not known
	To      int64            // where it begins now
	Day     int64            // samples of a day
	Retime  func(int64) int64
	NewID   func() string
}

// RealignClips works out the operations that move what is laid of a take to where it belongs now. Clips of one that had no
// start come from the end of the reel, where they were laid for want of one.
func RealignClips(r Reel, m Realign) []Op {
	of := func(strand string) bool { _, ok := m.Strands[strand]; return ok }
	s := Shift{Of: of, Placed: true, Retime: m.Retime, NewID: m.NewID}
	if m.From >= 0 {
		s.By = timecode.ShorterWay(m.To-m.From, m.Day)
	} else if from, ok := m.unplaced(r); ok {
		s.By = DayOf(r, m.To, m.Day) - from
	}
	return MoveClips(r, s)
}

// unplaced is where the first sample of a take without a start has been laid.
func (m Realign) unplaced(r Reel) (int64, bool) {
	for _, t := range r.Tracks {
		for _, c := range t.Clips {
			if shift, ok := m.Strands[c.Strands[0]]; ok && c.Unplaced {
				return c.At - c.In - shift, true
			}
		}
	}
	return 0, false
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
