package reel

import "slices"

// Move says how the clips of some strands come to lie elsewhere.
type Move struct {
	// Of says which strands are meant, by the caller's name for their sound.
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
func MoveClips(r Reel, m Move) []Op {
	var off, on []Op
	next := r.clone() // as it is by now, to see what is free
	type moving struct {
		track Track
		clip  Clip
	}
	var all []moving
	for n, t := range r.Tracks {
		for _, c := range t.Clips {
			if !m.Of(c.Strand) {
				continue
			}
			to := c
			to.At += m.By
			to.Unplaced = c.Unplaced && !m.Placed
			if m.Retime != nil {
				to.In = m.Retime(c.In)
				to.Length = max(1, m.Retime(c.In+c.Length)-to.In)
				to.At += to.In - c.In // what was before the clip has become longer or shorter
			}
			if to == c {
				continue
			}
			off = append(off, Op{RemoveClip: &RemoveClip{t.ID, c.ID}})
			next.Tracks[n].Clips = slices.DeleteFunc(next.Tracks[n].Clips, func(o Clip) bool { return o.ID == c.ID })
			all = append(all, moving{t, to})
		}
	}
	for _, v := range all {
		own := next.index(v.track.ID)
		at := own
		if !next.Tracks[own].free(v.clip) && m.NewID != nil {
			at = slices.IndexFunc(next.Tracks, func(t Track) bool {
				return t.Label == v.track.Label && t.Off == v.track.Off && t.free(v.clip)
			})
		}
		if at < 0 {
			t := Track{ID: m.NewID(), Label: v.track.Label, Off: v.track.Off, Clips: []Clip{v.clip}}
			add := AddTrack{Index: own + 1, Track: t}
			if route, ok := r.Weave.Routes[v.track.ID]; ok {
				add.Route = &route
			}
			on = append(on, Op{AddTrack: &add})
			next.Tracks = slices.Insert(next.Tracks, own+1, t)
			continue
		}
		on = append(on, Op{AddClip: &AddClip{next.Tracks[at].ID, v.clip}})
		next.Tracks[at].Clips = append(next.Tracks[at].Clips, v.clip)
	}
	return append(off, on...)
}
