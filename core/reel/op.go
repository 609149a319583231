package reel

import (
	"slices"
	"strings"

	"zestyloom/core/snag"
	"zestyloom/core/weave"
)

// Op is one change to a reel. Exactly one of its fields is set.
type Op struct {
	AddTrack    *AddTrack    `json:"add_track,omitempty"`
	RemoveTrack *RemoveTrack `json:"remove_track,omitempty"`
	AddClip     *AddClip     `json:"add_clip,omitempty"`
	RemoveClip  *RemoveClip  `json:"remove_clip,omitempty"`
	SetTrack    *SetTrack    `json:"set_track,omitempty"`
	SetRoute    *SetRoute    `json:"set_route,omitempty"`
	SetOutputs  *SetOutputs  `json:"set_outputs,omitempty"`
	SetStart    *SetStart    `json:"set_start,omitempty"`
	SetPlaced   *SetPlaced   `json:"set_placed,omitempty"`
}

// AddTrack puts a track at a place in the order, with its clips and its route, if any.
type AddTrack struct {
	Index int          `json:"index"`
	Track Track        `json:"track"`
	Route *weave.Route `json:"route"`
}

// RemoveTrack takes a track away with its clips and its route.
type RemoveTrack struct {
	ID string `json:"id"`
}

// AddClip lays a clip on a track.
type AddClip struct {
	Track string `json:"track"`
	Clip  Clip   `json:"clip"`
}

// RemoveClip takes a clip off a track.
type RemoveClip struct {
	Track string `json:"track"`
	ID    string `json:"id"`
}

// SetTrack names a track and turns it on or off.
type SetTrack struct {
	ID    string `json:"id"`
	Label string `json:"label"`
	Off   bool   `json:"off"`
}

// SetRoute sends a track to a stem, or nowhere.
type SetRoute struct {
	Track string       `json:"track"`
	Route *weave.Route `json:"route"`
}

// SetOutputs replaces the list of outputs.
type SetOutputs struct {
	Outputs []weave.Output `json:"outputs"`
}

// SetStart fixes the reel's start, or lets it follow the first clip.
type SetStart struct {
	Start *int64 `json:"start"`
}

// SetPlaced says of a clip of unknown place that it lies where it is meant to, or that it does not.
type SetPlaced struct {
	Track  string `json:"track"`
	ID     string `json:"id"`
	Placed bool   `json:"placed"`
}

// Apply carries out operations in order and returns the new reel and the operations that undo
// them. On an error nothing has changed.
func Apply(r Reel, ops []Op) (Reel, []Op, error) {
	r = r.clone()
	var undo []Op
	for _, op := range ops {
		inverse, err := r.apply(op)
		if err != nil {
			return Reel{}, nil, err
		}
		undo = append(undo, inverse)
	}
	slices.Reverse(undo)
	return r, undo, nil
}

func noTrack(id string) error {
	return snag.Refuse("no_such_track", "there is no track %q in this reel any more", id)
}

func noClip(id, track string) error {
	return snag.Refuse("no_such_clip", "there is no clip %q on track %s any more", id, track)
}

// apply changes r, which is a clone.
func (r *Reel) apply(op Op) (Op, error) {
	switch {
	case op.AddTrack != nil:
		return r.addTrack(*op.AddTrack)
	case op.RemoveTrack != nil:
		i := r.index(op.RemoveTrack.ID)
		if i < 0 {
			return Op{}, noTrack(op.RemoveTrack.ID)
		}
		back := AddTrack{Index: i, Track: r.Tracks[i]}
		if route, ok := r.Weave.Routes[back.Track.ID]; ok {
			back.Route = &route
			delete(r.Weave.Routes, back.Track.ID)
		}
		r.Tracks = slices.Delete(r.Tracks, i, i+1)
		return Op{AddTrack: &back}, nil
	case op.AddClip != nil:
		return r.addClip(*op.AddClip)
	case op.RemoveClip != nil:
		i := r.index(op.RemoveClip.Track)
		if i < 0 {
			return Op{}, noTrack(op.RemoveClip.Track)
		}
		j := slices.IndexFunc(r.Tracks[i].Clips, func(c Clip) bool { return c.ID == op.RemoveClip.ID })
		if j < 0 {
			return Op{}, noClip(op.RemoveClip.ID, r.Tracks[i].Label)
		}
		back := AddClip{op.RemoveClip.Track, r.Tracks[i].Clips[j]}
		r.Tracks[i].Clips = slices.Delete(r.Tracks[i].Clips, j, j+1)
		return Op{AddClip: &back}, nil
	case op.SetTrack != nil:
		i := r.index(op.SetTrack.ID)
		if i < 0 {
			return Op{}, noTrack(op.SetTrack.ID)
		}
		t := &r.Tracks[i]
		back := SetTrack{t.ID, t.Label, t.Off}
		label := strings.TrimSpace(op.SetTrack.Label)
		if label == "" || len(label) > 200 {
			return Op{}, snag.Refuse("bad_label", "a track needs a label of at most 200 letters")
		}
		t.Label, t.Off = label, op.SetTrack.Off
		return Op{SetTrack: &back}, nil
	case op.SetRoute != nil:
		return r.setRoute(*op.SetRoute)
	case op.SetOutputs != nil:
		if err := r.Weave.CheckOutputs(op.SetOutputs.Outputs); err != nil {
			return Op{}, err
		}
		back := SetOutputs{r.Weave.Outputs}
		r.Weave.Outputs = slices.Clone(op.SetOutputs.Outputs)
		return Op{SetOutputs: &back}, nil
	case op.SetStart != nil:
		if s := op.SetStart.Start; s != nil && *s < 0 {
			return Op{}, snag.Refuse("bad_start", "a reel can't start before midnight of its day")
		}
		back := SetStart{r.Start}
		r.Start = op.SetStart.Start
		return Op{SetStart: &back}, nil
	}
	if op.SetPlaced != nil {
		i := r.index(op.SetPlaced.Track)
		if i < 0 {
			return Op{}, noTrack(op.SetPlaced.Track)
		}
		j := slices.IndexFunc(r.Tracks[i].Clips, func(c Clip) bool { return c.ID == op.SetPlaced.ID })
		if j < 0 {
			return Op{}, noClip(op.SetPlaced.ID, r.Tracks[i].Label)
		}
		c := &r.Tracks[i].Clips[j]
		back := SetPlaced{op.SetPlaced.Track, c.ID, !c.Unplaced}
		c.Unplaced = !op.SetPlaced.Placed
		return Op{SetPlaced: &back}, nil
	}
	return Op{}, snag.Refuse("bad_operation", "an operation that says nothing to do")
}

func (r *Reel) addTrack(a AddTrack) (Op, error) {
	if a.Track.ID == "" || r.index(a.Track.ID) >= 0 {
		return Op{}, snag.Refuse("bad_track", "track %q has no identity of its own", a.Track.Label)
	}
	clips := a.Track.Clips
	a.Track.Clips = []Clip{}
	r.Tracks = slices.Insert(r.Tracks, max(0, min(a.Index, len(r.Tracks))), a.Track)
	for _, c := range clips {
		if _, err := r.addClip(AddClip{a.Track.ID, c}); err != nil {
			return Op{}, err
		}
	}
	if a.Route != nil {
		if _, err := r.setRoute(SetRoute{a.Track.ID, a.Route}); err != nil {
			return Op{}, err
		}
	}
	return Op{RemoveTrack: &RemoveTrack{a.Track.ID}}, nil
}

func (r *Reel) addClip(a AddClip) (Op, error) {
	i := r.index(a.Track)
	if i < 0 {
		return Op{}, noTrack(a.Track)
	}
	t := &r.Tracks[i]
	c := a.Clip
	if c.ID == "" || c.Strand == "" || c.Length <= 0 || c.At < 0 || c.In < 0 {
		return Op{}, snag.Refuse("bad_clip", "a clip of %d samples at %d can't be laid", c.Length, c.At)
	}
	at := 0
	for at < len(t.Clips) && t.Clips[at].At < c.At {
		at++
	}
	if at > 0 && t.Clips[at-1].End() > c.At || at < len(t.Clips) && c.End() > t.Clips[at].At {
		return Op{}, snag.Refuse("overlap", "%s on track %s would lie over another clip", c.Name, t.Label)
	}
	t.Clips = slices.Insert(t.Clips, at, c)
	return Op{RemoveClip: &RemoveClip{a.Track, c.ID}}, nil
}

func (r *Reel) setRoute(s SetRoute) (Op, error) {
	if r.index(s.Track) < 0 {
		return Op{}, noTrack(s.Track)
	}
	back := SetRoute{Track: s.Track}
	if old, ok := r.Weave.Routes[s.Track]; ok {
		back.Route = &old
	}
	if s.Route == nil {
		delete(r.Weave.Routes, s.Track)
		return Op{SetRoute: &back}, nil
	}
	if err := r.Weave.CheckRoute(*s.Route); err != nil {
		return Op{}, err
	}
	r.Weave.Routes[s.Track] = *s.Route
	return Op{SetRoute: &back}, nil
}
