// Package edit has what a person does to laid sound: cut, trim, slip, move, remove, fade, dip and so on, each worked out
// from a reel and from what is asked as the operations of package reel that carry it out.
//
// Clips of one tie are edited together: an action that names one of them acts on all of its kin, unless it says that it
// is meant alone. A clip that is moved or slipped alone lies away from home until it is brought back. Where all kin are
// cut, what lies behind the cut is tied anew: the parts go their own ways.
//
// Positions are samples of the reel's time, since midnight of its day.
package edit

import (
	"reflect"
	"slices"

	"zestyloom/core/reel"
	"zestyloom/core/snag"
	"zestyloom/core/union"
)

// Context is what actions need to know beside the reel.
type Context struct {
	NewID func() string // makes identities
	// Frames gives the lengths of strands, by the reel's clock, that are asked for; one that is not given is not known
	// and bounds nothing.
	Frames func(strands []string) (map[string]int64, error)
}

// Action is one thing to do. Exactly one of its fields is set (core/union): an operation of a reel as it is, or what is planned.
type Action struct {
	AddTrack    *reel.AddTrack    `json:"add_track,omitempty"`
	RemoveTrack *reel.RemoveTrack `json:"remove_track,omitempty"`
	MoveTrack   *reel.MoveTrack   `json:"move_track,omitempty"`
	SetTrack    *reel.SetTrack    `json:"set_track,omitempty"`
	SetPlaced   *reel.SetPlaced   `json:"set_placed,omitempty"`
	SetSends    *reel.SetSends    `json:"set_sends,omitempty"`
	SetOutputs  *reel.SetOutputs  `json:"set_outputs,omitempty"`
	Route       *Route            `json:"route,omitempty"`
	Weave       *Reweave          `json:"weave,omitempty"`
	SetStart    *reel.SetStart    `json:"set_start,omitempty"`
	SetLength   *reel.SetLength   `json:"set_length,omitempty"`
	SetRate     *reel.SetRate     `json:"set_rate,omitempty"`
	SetMarkers  *reel.SetMarkers  `json:"set_markers,omitempty"`
	SetPictures *reel.SetPictures `json:"set_pictures,omitempty"`

	Cut        *Cut        `json:"cut,omitempty"`
	Join       *Join       `json:"join,omitempty"`
	Trim       *Trim       `json:"trim,omitempty"`
	Extend     *Extend     `json:"extend,omitempty"`
	Slip       *Slip       `json:"slip,omitempty"`
	Move       *Move       `json:"move,omitempty"`
	Remove     *Remove     `json:"remove,omitempty"`
	RemoveSpan *RemoveSpan `json:"remove_span,omitempty"`
	InsertTime *InsertTime `json:"insert_time,omitempty"`
	Paste      *Paste      `json:"paste,omitempty"`
	Fade       *Fade       `json:"fade,omitempty"`
	Crossfade  *Crossfade  `json:"crossfade,omitempty"`
	Set        *Set        `json:"set,omitempty"`
	Off        *Off        `json:"off,omitempty"`
	On         *On         `json:"on,omitempty"`
	Dip        *Dip        `json:"dip,omitempty"`
	Home       *Home       `json:"home,omitempty"`
	CloseGaps  *CloseGaps  `json:"close_gaps,omitempty"`
	TakeApart  *TakeApart  `json:"take_apart,omitempty"`
	Borrow     *Borrow     `json:"borrow,omitempty"`
	LayPicture *LayPicture `json:"lay_picture,omitempty"`
	CutPicture *CutPicture `json:"cut_picture,omitempty"`
	Printed    *Printed    `json:"printed,omitempty"`
}

// planner works out what carries an action out.
type planner interface {
	plan(d *draft) error
}

// Planned is what actions come to: the operations that carry them out, one after the other, what these make of the reel,
// and what undoes them.
type Planned struct {
	Ops   []reel.Op
	After reel.Reel
	Undo  []reel.Op
}

// Plan works out what carries actions out.
func Plan(r reel.Reel, actions []Action, c Context) (Planned, error) {
	d := &draft{Reel: r, Context: c}
	for _, a := range actions {
		if err := bounded(reflect.ValueOf(a)); err != nil {
			return Planned{}, err
		}
		what, ok := union.Of[any](a)
		if !ok {
			return Planned{}, snag.Refuse("bad_operation", "an action says one thing to do")
		}
		var err error
		var op reel.Op
		if p, is := what.(planner); is {
			err = p.plan(d)
		} else if union.Put(&op, what) { // an operation as it is
			err = d.do(op)
		}
		if err != nil {
			return Planned{}, err
		}
	}
	if len(d.ops) == 0 {
		return Planned{}, snag.Refuse("nothing_to_do", "nothing would change by that")
	}
	return d.planned(), nil
}

// planned is what a draft has come to.
func (d *draft) planned() Planned {
	undo := slices.Clone(d.undo)
	slices.Reverse(undo)
	return Planned{d.ops, d.Reel, undo}
}

// draft is a reel as it is after what has been planned so far.
type draft struct {
	reel.Reel
	Context
	ops  []reel.Op
	undo []reel.Op // the first to be undone last
}

func (d *draft) do(ops ...reel.Op) error {
	now, undo, err := reel.Apply(d.Reel, ops)
	if err != nil {
		return err
	}
	d.Reel = now
	d.ops = append(d.ops, ops...)
	slices.Reverse(undo)
	d.undo = append(d.undo, undo...)
	return nil
}

// spot is a clip where it lies: the i-th of a track.
type spot struct {
	track int
	index int
	reel.Clip
}

// chosen finds clips by their IDs, with their kin unless they are meant alone, in order of tracks and time.
func (d *draft) chosen(ids []string, alone bool) ([]spot, error) {
	if len(ids) == 0 {
		return nil, snag.Refuse("nothing_chosen", "choose a clip first")
	}
	which := map[string]bool{}
	if alone {
		for _, id := range ids {
			which[id] = true
		}
	} else {
		which = d.Kin(ids)
	}
	out := d.find(d.all(), func(c reel.Clip) bool { return which[c.ID] })
	found := make(map[string]bool, len(out))
	for _, s := range out {
		found[s.ID] = true
	}
	for _, id := range ids {
		if !found[id] {
			return nil, snag.Refuse("no_such_clip", "there is no clip %q in this reel any more", id)
		}
	}
	return out, nil
}

// atEdge finds clips by their IDs, with those of their kin that end, or begin, where they do: at the same sample, or, where
// theirs is the outermost edge of the tie on its track, with the outermost on the other tracks. A piece in the middle of a
// strand that was cut alone keeps its edges.
func (d *draft) atEdge(ids []string, edge Edge, alone bool) ([]spot, error) {
	named, err := d.chosen(ids, true)
	if err != nil || alone {
		return named, err
	}
	all, err := d.chosen(ids, false)
	if err != nil {
		return nil, err
	}
	at := func(s spot) int64 {
		if edge == Head {
			return s.At
		}
		return s.End()
	}
	type lane struct {
		track int
		tie   string
	}
	outer := map[lane]int64{}
	for i, t := range d.Tracks {
		for k, c := range t.Clips {
			v := at(spot{i, k, c})
			o, ok := outer[lane{i, c.Tie}]
			if !ok || edge == Head && v < o || edge == Tail && v > o {
				outer[lane{i, c.Tie}] = v
			}
		}
	}
	outermost := func(s spot) bool { return outer[lane{s.track, s.Tie}] == at(s) }
	return slices.DeleteFunc(all, func(s spot) bool {
		return !slices.ContainsFunc(named, func(n spot) bool {
			return n.ID == s.ID || n.Tie == s.Tie && n.Tie != "" && (at(n) == at(s) || outermost(n) && outermost(s))
		})
	}), nil
}

// on lists the indices of tracks by their IDs; none for all.
func (d *draft) on(tracks []string) ([]int, error) {
	var out []int
	for i, t := range d.Tracks {
		if len(tracks) == 0 || slices.Contains(tracks, t.ID) {
			out = append(out, i)
		}
	}
	if len(out) < len(tracks) {
		return nil, snag.Refuse("no_such_track", "one of the chosen tracks is not in this reel any more")
	}
	return out, nil
}

// find finds the clips on some tracks that are so, in order of tracks and time.
func (d *draft) find(on []int, is func(reel.Clip) bool) (out []spot) {
	for _, i := range on {
		for k, c := range d.Tracks[i].Clips {
			if is(c) {
				out = append(out, spot{i, k, c})
			}
		}
	}
	return out
}

// all are the indices of all tracks.
func (d *draft) all() []int {
	out := make([]int, len(d.Tracks))
	for i := range out {
		out[i] = i
	}
	return out
}

// across reports whether a clip lies on both sides of a sample.
func across(c reel.Clip, at int64) bool { return c.At < at && at < c.End() }

// set gives clips other properties: one operation a track.
func (d *draft) set(clips []spot) error {
	return d.perTrack(clips, func(track string, clips []spot) reel.Op {
		op := reel.SetClips{Track: track}
		for _, s := range clips {
			op.Clips = append(op.Clips, s.Clip)
		}
		return reel.Op{SetClips: &op}
	})
}

// take takes clips away: one operation a track.
func (d *draft) take(clips []spot) error {
	return d.perTrack(clips, func(track string, clips []spot) reel.Op {
		return reel.Op{RemoveClips: &reel.RemoveClips{Track: track, IDs: idsOf(clips)}}
	})
}

// perTrack does one operation for the clips of each track.
func (d *draft) perTrack(clips []spot, op func(track string, clips []spot) reel.Op) error {
	of := map[int][]spot{}
	for _, s := range clips {
		of[s.track] = append(of[s.track], s)
	}
	var ops []reel.Op
	for i, t := range d.Tracks {
		if of[i] != nil {
			ops = append(ops, op(t.ID, of[i]))
		}
	}
	return d.do(ops...)
}

// idsOf are those of clips.
func idsOf(clips []spot) []string {
	out := make([]string, len(clips))
	for i, s := range clips {
		out[i] = s.ID
	}
	return out
}

// fit shortens fades that have no room left in a clip.
func fit(c reel.Clip) reel.Clip {
	c.FadeIn.Length = min(c.FadeIn.Length, c.Length)
	c.FadeOut.Length = min(c.FadeOut.Length, c.Length-c.FadeIn.Length)
	for _, f := range []*reel.Fade{&c.FadeIn, &c.FadeOut} {
		if f.Length == 0 {
			*f = reel.Fade{}
		}
	}
	return c
}

// room is how far a clip's edges could go: its head so many samples earlier and its tail later, by the sound that there is.
func (d *draft) room(clips []spot) (map[string][2]int64, error) {
	var strands []string
	for _, s := range clips {
		strands = append(strands, s.Strands...)
	}
	frames, err := d.Frames(strands)
	if err != nil {
		return nil, err
	}
	out := map[string][2]int64{}
	for _, s := range clips {
		end := int64(1) << 50
		for _, id := range s.Strands {
			if n, ok := frames[id]; ok {
				end = min(end, n)
			}
		}
		out[s.ID] = [2]int64{s.In, max(0, end-s.In-s.Length)}
	}
	return out, nil
}
