package reel

import (
	"cmp"
	"maps"
	"reflect"
	"slices"

	"zestyloom/core/weave"
)

// Changes is what differs between two states of a reel: as large as what was changed, not as what is there.
type Changes struct {
	// Order is the tracks' IDs in order, where tracks came, went or changed places.
	Order []string `json:"order,omitzero"`
	// Tracks are those that came or have other properties, without their clips.
	Tracks []Track `json:"tracks,omitempty"`
	// Clips are those that came, changed, or lie on another track, and Gone those that went.
	Clips []Laid   `json:"clips,omitempty"`
	Gone  []string `json:"gone,omitempty"`
	// Sends are the ways out of tracks and buses that are others now: an empty list for none.
	Sends map[string][]weave.Send `json:"sends,omitempty"`
	// Routing is there where buses, outputs or groups changed.
	Routing *Routing `json:"routing,omitempty"`
	// Begin is there where the start was fixed elsewhere or let go.
	Begin *SetStart `json:"begin,omitempty"`
	// Length is there where the length was given or let go, Markers where there are others: all of them.
	Length  *SetLength `json:"length,omitempty"`
	Rate    *SetRate   `json:"rate,omitempty"` // where the timecode counts otherwise
	Markers []Marker   `json:"markers,omitzero"`
	// Pictures are all of them, where there are others.
	Pictures []Picture `json:"pictures,omitzero"`
	// Cut is there where another cut list, or another version of it, is laid.
	Cut []Laying `json:"cut,omitzero"`
}

// Laid is a clip and the ID of the track it lies on.
type Laid struct {
	Track string `json:"track"`
	Clip  Clip   `json:"clip"`
}

// Routing is a weave without its sends.
type Routing struct {
	Buses   []weave.Bus    `json:"buses"`
	Outputs []weave.Output `json:"outputs"`
	Groups  []weave.Group  `json:"groups,omitempty"`
	// Levels are those of the buses.
	Levels map[string]weave.Level `json:"levels,omitempty"`
	// Corrections are those of the weave.
	Corrections []weave.Correction `json:"corrections,omitempty"`
	// Law is at how many dB one channel enters both sides when nobody says otherwise.
	Law float64 `json:"law,omitempty"`
}

// Diff finds what has changed from one state to another.
func Diff(was, now Reel) Changes {
	var c Changes
	before := make(map[string]*Track, len(was.Tracks))
	for i := range was.Tracks {
		before[was.Tracks[i].ID] = &was.Tracks[i]
	}
	ids := func(r Reel) []string {
		out := make([]string, len(r.Tracks))
		for i, t := range r.Tracks {
			out[i] = t.ID
		}
		return out
	}
	if order := ids(now); !slices.Equal(order, ids(was)) {
		c.Order = order
	}
	left := map[string]bool{} // clips that lie no more where they did, and may have come to lie elsewhere
	came := map[string]bool{}
	for _, t := range now.Tracks {
		old := before[t.ID]
		delete(before, t.ID)
		if old == nil || !sameTrack(*old, t) {
			bare := t
			bare.Clips = []Clip{}
			c.Tracks = append(c.Tracks, bare)
		}
		if old != nil && sameSlice(old.Clips, t.Clips) {
			continue
		}
		here := map[string]*Clip{}
		if old != nil {
			for i := range old.Clips {
				here[old.Clips[i].ID] = &old.Clips[i]
			}
		}
		for _, clip := range t.Clips {
			o := here[clip.ID]
			delete(here, clip.ID)
			if o == nil || !same(*o, clip) {
				c.Clips = append(c.Clips, Laid{t.ID, clip})
				came[clip.ID] = true
			}
		}
		for id := range here {
			left[id] = true
		}
	}
	for _, t := range before {
		for _, clip := range t.Clips {
			left[clip.ID] = true
		}
	}
	for id := range left {
		if !came[id] {
			c.Gone = append(c.Gone, id)
		}
	}
	slices.Sort(c.Gone)
	c.Sends = diffSends(was.Weave.Sends, now.Weave.Sends)
	a, b := was.Weave, now.Weave
	if !slices.Equal(a.Buses, b.Buses) || !slices.Equal(a.Outputs, b.Outputs) || !slices.Equal(a.Groups, b.Groups) || !maps.EqualFunc(a.Levels, b.Levels, weave.Level.Equal) || !slices.EqualFunc(a.Corrections, b.Corrections, weave.Correction.Equal) || a.Law != b.Law {
		c.Routing = &Routing{b.Buses, b.Outputs, b.Groups, b.Levels, b.Corrections, b.Law}
	}
	if !sameGiven(was.Start, now.Start) {
		c.Begin = &SetStart{now.Start}
	}
	if !sameGiven(was.Length, now.Length) {
		c.Length = &SetLength{now.Length}
	}
	if !sameGiven(was.Rate, now.Rate) {
		c.Rate = &SetRate{now.Rate}
	}
	if !slices.Equal(was.Markers, now.Markers) {
		c.Markers = append([]Marker{}, now.Markers...)
	}
	if !slices.Equal(was.Pictures, now.Pictures) {
		c.Pictures = append([]Picture{}, now.Pictures...)
	}
	if !slices.EqualFunc(was.Cut, now.Cut, Laying.Same) {
		c.Cut = append([]Laying{}, now.Cut...)
	}
	return c
}

func diffSends(was, now map[string][]weave.Send) map[string][]weave.Send {
	out := map[string][]weave.Send{}
	for id, s := range now {
		if o := was[id]; !sameSlice(o, s) && !reflect.DeepEqual(o, s) {
			out[id] = s
		}
	}
	for id, s := range was {
		if len(s) > 0 && len(now[id]) == 0 {
			out[id] = []weave.Send{}
		}
	}
	if len(out) == 0 {
		return nil
	}
	return out
}

// sameSlice reports whether two slices are one and the same in memory.
func sameSlice[T any](a, b []T) bool {
	return len(a) == len(b) && (len(a) == 0 || &a[0] == &b[0])
}

// sameGiven reports whether both are given alike, or neither is.
func sameGiven[T comparable](a, b *T) bool {
	return a == nil && b == nil || a != nil && b != nil && *a == *b
}

func sameTrack(a, b Track) bool {
	return a.ID == b.ID && a.Label == b.Label && a.Layout == b.Layout && a.Off == b.Off && a.GainDB == b.GainDB && slices.Equal(a.Gain, b.Gain) && a.Treat == b.Treat && a.TreatMoves.Equal(b.TreatMoves)
}

// Patched is a reel after changes: Patched(was, Diff(was, now)) is now.
func Patched(r Reel, c Changes) Reel {
	r = r.clone()
	for _, t := range c.Tracks {
		t.Clips = []Clip{}
		if i := r.index(t.ID); i >= 0 {
			t.Clips = r.Tracks[i].Clips
			r.Tracks[i] = t
		} else {
			r.Tracks = append(r.Tracks, t)
		}
	}
	gone := set(c.Gone)
	onto := map[string][]Clip{}
	for _, l := range c.Clips {
		gone[l.Clip.ID] = true
		onto[l.Track] = append(onto[l.Track], l.Clip)
	}
	for i, t := range r.Tracks {
		clips := slices.DeleteFunc(slices.Clone(t.Clips), func(o Clip) bool { return gone[o.ID] })
		if clips = append(clips, onto[t.ID]...); clips == nil {
			clips = []Clip{}
		}
		sortClips(clips)
		r.Tracks[i].Clips = clips
	}
	if c.Order != nil {
		of := map[string]Track{}
		for _, t := range r.Tracks {
			of[t.ID] = t
		}
		r.Tracks = r.Tracks[:0:0]
		for _, id := range c.Order {
			r.Tracks = append(r.Tracks, of[id])
		}
	}
	for id, s := range c.Sends {
		if len(s) == 0 {
			delete(r.Weave.Sends, id)
		} else {
			r.Weave.Sends[id] = s
		}
	}
	if c.Routing != nil {
		r.Weave.Buses, r.Weave.Outputs, r.Weave.Groups = c.Routing.Buses, c.Routing.Outputs, c.Routing.Groups
		r.Weave.Levels, r.Weave.Corrections, r.Weave.Law = c.Routing.Levels, c.Routing.Corrections, c.Routing.Law
	}
	if c.Begin != nil {
		r.Start = c.Begin.Start
	}
	if c.Length != nil {
		r.Length = c.Length.Length
	}
	if c.Rate != nil {
		r.Rate = c.Rate.Rate
	}
	if c.Markers != nil {
		if r.Markers = c.Markers; len(c.Markers) == 0 {
			r.Markers = nil
		}
	}
	if c.Pictures != nil {
		if r.Pictures = c.Pictures; len(c.Pictures) == 0 {
			r.Pictures = nil
		}
	}
	if c.Cut != nil {
		if r.Cut = c.Cut; len(c.Cut) == 0 {
			r.Cut = nil
		}
	}
	return r
}

// sortClips puts clips in order of time; those that begin at once, by their IDs.
func sortClips(clips []Clip) {
	for i := 1; i < len(clips); i++ { // as good as sorted, most often: without copies
		if a, b := &clips[i-1], &clips[i]; a.At > b.At || a.At == b.At && a.ID > b.ID {
			slices.SortFunc(clips, func(a, b Clip) int { return cmp.Or(cmp.Compare(a.At, b.At), cmp.Compare(a.ID, b.ID)) })
			return
		}
	}
}

// BringsStrands reports whether changes have a clip of strands that no clip of its ID had in the reel that they are made to: such strands
// may be new to the reel.
func BringsStrands(was Reel, c Changes) bool {
	if len(c.Clips) == 0 {
		return false
	}
	strands := make(map[string][]string, len(c.Clips))
	for _, l := range c.Clips {
		strands[l.Clip.ID] = l.Clip.Strands
	}
	for _, t := range was.Tracks {
		for i := range t.Clips {
			if of, there := strands[t.Clips[i].ID]; there && slices.Equal(of, t.Clips[i].Strands) {
				delete(strands, t.Clips[i].ID)
			}
		}
	}
	return len(strands) > 0
}
