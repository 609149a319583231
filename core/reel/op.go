package reel

import (
	"slices"
	"strings"

	"zestyloom/core/automation"
	"zestyloom/core/snag"
	"zestyloom/core/treat"
	"zestyloom/core/union"
	"zestyloom/core/weave"
)

// Op is one change to a reel. Exactly one of its fields is set (core/union). The inverse of each is one operation, too.
type Op struct {
	AddTrack    *AddTrack    `json:"add_track,omitempty"`
	RemoveTrack *RemoveTrack `json:"remove_track,omitempty"`
	MoveTrack   *MoveTrack   `json:"move_track,omitempty"`
	SetTrack    *SetTrack    `json:"set_track,omitempty"`
	AddClips    *AddClips    `json:"add_clips,omitempty"`
	RemoveClips *RemoveClips `json:"remove_clips,omitempty"`
	SetClips    *SetClips    `json:"set_clips,omitempty"`
	SetPlaced   *SetPlaced   `json:"set_placed,omitempty"`
	Move        *Move        `json:"move,omitempty"`
	Split       *Split       `json:"split,omitempty"`
	Join        *Join        `json:"join,omitempty"`
	Ripple      *Ripple      `json:"ripple,omitempty"`
	SetSends    *SetSends    `json:"set_sends,omitempty"`
	SetOutputs  *SetOutputs  `json:"set_outputs,omitempty"`
	SetWeave    *SetWeave    `json:"set_weave,omitempty"`
	SetStart    *SetStart    `json:"set_start,omitempty"`
	SetLength   *SetLength   `json:"set_length,omitempty"`
	SetRate     *SetRate     `json:"set_rate,omitempty"`
	SetMarkers  *SetMarkers  `json:"set_markers,omitempty"`
	SetPictures *SetPictures `json:"set_pictures,omitempty"`
	SetCut      *SetCut      `json:"set_cut,omitempty"`
}

// operation is what each field of Op is.
type operation interface {
	// apply changes a reel in place, which is a clone, and gives what undoes it.
	apply(r *Reel) (Op, error)
	// touches says what it changes.
	touches(t touched)
}

// Apply carries out operations in order and returns the new reel and the operations that undo
// them. On an error nothing has changed.
func Apply(r Reel, ops []Op) (Reel, []Op, error) {
	r = r.clone()
	var undo []Op
	for _, op := range ops {
		what, ok := union.Of[operation](op)
		if !ok {
			return Reel{}, nil, snag.Refuse("bad_operation", "an operation says one thing to do")
		}
		inverse, err := what.apply(&r)
		if err != nil {
			return Reel{}, nil, err
		}
		undo = append(undo, inverse)
	}
	slices.Reverse(undo)
	return r, undo, nil
}

func (r *Reel) track(id string) (int, error) {
	i := r.index(id)
	if i < 0 {
		return 0, snag.Refuse("no_such_track", "there is no track %q in this reel any more", id)
	}
	return i, nil
}

func noClip(id string) error {
	return snag.Refuse("no_such_clip", "there is no clip %q in this reel any more", id)
}

// AddTrack puts a track at a place in the order, with its clips and where it is sent, if anywhere.
type AddTrack struct {
	Index int          `json:"index"`
	Track Track        `json:"track"`
	Sends []weave.Send `json:"sends,omitempty"`
}

func (a *AddTrack) apply(r *Reel) (Op, error) {
	t := a.Track
	if _, bus := r.Weave.Bus(t.ID); bus || t.ID == "" || r.index(t.ID) >= 0 || len(r.Weave.Sends[t.ID]) > 0 {
		return Op{}, snag.Refuse("bad_track", "track %q has no identity of its own", t.Label)
	}
	if t.Label = strings.TrimSpace(t.Label); t.Clips == nil {
		t.Clips = []Clip{}
	}
	if err := t.check(); err != nil {
		return Op{}, err
	}
	if err := r.fresh(t.Clips); err != nil {
		return Op{}, err
	}
	if err := r.Weave.CheckSends(t.Channels(), a.Sends); err != nil {
		return Op{}, err
	}
	r.Tracks = slices.Insert(r.Tracks, max(0, min(a.Index, len(r.Tracks))), t)
	if len(a.Sends) > 0 {
		r.Weave.Sends[t.ID] = a.Sends
	}
	return Op{RemoveTrack: &RemoveTrack{t.ID}}, nil
}

// fresh refuses clips whose identity others have.
func (r *Reel) fresh(clips []Clip) error {
	if len(clips) == 0 {
		return nil
	}
	seen := map[string]bool{}
	for _, t := range r.Tracks {
		for _, c := range t.Clips {
			seen[c.ID] = true
		}
	}
	for _, c := range clips {
		if seen[c.ID] {
			return snag.Refuse("bad_clip", "clip %s at %d has no identity of its own", c.Name, c.At)
		}
		seen[c.ID] = true
	}
	return nil
}

// RemoveTrack takes a track away with its clips and its sends.
type RemoveTrack struct {
	ID string `json:"id"`
}

func (o *RemoveTrack) apply(r *Reel) (Op, error) {
	i, err := r.track(o.ID)
	if err != nil {
		return Op{}, err
	}
	back := AddTrack{Index: i, Track: r.Tracks[i], Sends: r.Weave.Sends[o.ID]}
	delete(r.Weave.Sends, o.ID)
	r.Tracks = slices.Delete(r.Tracks, i, i+1)
	return Op{AddTrack: &back}, nil
}

// MoveTrack gives a track another place in the order.
type MoveTrack struct {
	ID    string `json:"id"`
	Index int    `json:"index"`
}

func (o *MoveTrack) apply(r *Reel) (Op, error) {
	i, err := r.track(o.ID)
	if err != nil {
		return Op{}, err
	}
	t := r.Tracks[i]
	r.Tracks = slices.Delete(r.Tracks, i, i+1)
	r.Tracks = slices.Insert(r.Tracks, max(0, min(o.Index, len(r.Tracks))), t)
	return Op{MoveTrack: &MoveTrack{o.ID, i}}, nil
}

// SetTrack changes what is given of a track.
type SetTrack struct {
	ID     string            `json:"id"`
	Label  *string           `json:"label,omitempty"`
	Off    *bool             `json:"off,omitempty"`
	GainDB *float64          `json:"gain_db,omitempty"`
	Gain   *automation.Curve `json:"gain,omitempty"`
	Treat  *treat.Chain      `json:"treat,omitempty"`
	// TreatMoves replaces all figures that move; none of them where it is empty.
	TreatMoves *treat.Moves `json:"treat_moves,omitempty"`
}

func (o *SetTrack) apply(r *Reel) (Op, error) {
	i, err := r.track(o.ID)
	if err != nil {
		return Op{}, err
	}
	was := r.Tracks[i]
	now, back := was, SetTrack{ID: o.ID}
	if o.Label != nil {
		now.Label, back.Label = strings.TrimSpace(*o.Label), &was.Label
	}
	if o.Off != nil {
		now.Off, back.Off = *o.Off, &was.Off
	}
	if o.GainDB != nil {
		now.GainDB, back.GainDB = *o.GainDB, &was.GainDB
	}
	if o.Gain != nil {
		// Written as an empty list where there was none: null would be nothing given.
		curve := append(automation.Curve{}, was.Gain...)
		now.Gain, back.Gain = *o.Gain, &curve
		if len(now.Gain) == 0 {
			now.Gain = nil
		}
	}
	if o.Treat != nil {
		now.Treat, back.Treat = *o.Treat, &was.Treat
	}
	if o.TreatMoves != nil {
		before := was.TreatMoves.Clone()
		now.TreatMoves, back.TreatMoves = o.TreatMoves.Curves(func(c automation.Curve) automation.Curve { return c }), &before
	}
	if err := now.check(); err != nil {
		return Op{}, err
	}
	r.Tracks[i] = now
	return Op{SetTrack: &back}, nil
}

// SetSends says where a track or a bus is sent, in place of where it was.
type SetSends struct {
	From  string       `json:"from"`
	Sends []weave.Send `json:"sends"`
}

func (o *SetSends) apply(r *Reel) (Op, error) {
	b, bus := r.Weave.Bus(o.From)
	layout := b.Channels()
	if !bus {
		i, err := r.track(o.From)
		if err != nil {
			return Op{}, err
		}
		layout = r.Tracks[i].Channels()
	}
	if err := r.Weave.CheckSends(layout, o.Sends); err != nil {
		return Op{}, err
	}
	back := SetSends{o.From, r.Weave.Sends[o.From]}
	if len(o.Sends) == 0 {
		delete(r.Weave.Sends, o.From)
	} else {
		r.Weave.Sends[o.From] = o.Sends
	}
	if bus {
		if _, err := r.Weave.Order(); err != nil {
			return Op{}, err
		}
	}
	return Op{SetSends: &back}, nil
}

// SetOutputs replaces the list of outputs and their groups.
type SetOutputs struct {
	Outputs []weave.Output `json:"outputs"`
	Groups  []weave.Group  `json:"groups,omitempty"`
}

func (o *SetOutputs) apply(r *Reel) (Op, error) {
	if err := r.Weave.CheckOutputs(o.Outputs, o.Groups); err != nil {
		return Op{}, err
	}
	back := SetOutputs{r.Weave.Outputs, r.Weave.Groups}
	r.Weave.Outputs, r.Weave.Groups = slices.Clone(o.Outputs), slices.Clone(o.Groups)
	return Op{SetOutputs: &back}, nil
}

// SetWeave replaces the whole routing.
type SetWeave struct {
	Weave weave.Weave `json:"weave"`
}

func (o *SetWeave) apply(r *Reel) (Op, error) {
	if err := o.Weave.Check(r.Layouts()); err != nil {
		return Op{}, err
	}
	back := SetWeave{r.Weave}
	r.Weave = o.Weave.Clone()
	return Op{SetWeave: &back}, nil
}

// SetStart fixes the reel's start, or lets it follow the first clip.
type SetStart struct {
	Start *int64 `json:"start"`
}

func (o *SetStart) apply(r *Reel) (Op, error) {
	if s := o.Start; s != nil && *s < 0 {
		return Op{}, snag.Refuse("bad_start", "a reel can't start before midnight of its day")
	}
	back := SetStart{r.Start}
	r.Start = o.Start
	return Op{SetStart: &back}, nil
}
