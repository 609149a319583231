package edit

import (
	"cmp"
	"slices"

	"zestyloom/core/reel"
	"zestyloom/core/snag"
	"zestyloom/core/weave"
)

var reelPlain = weave.Patch{}

// Move moves clips so many samples later, and those of some tracks onto others.
type Move struct {
	Clips []string          `json:"clips"`
	By    int64             `json:"by,omitempty"`
	Onto  map[string]string `json:"onto,omitempty"` // by the ID of the track that they come from
	Alone bool              `json:"alone,omitempty"`
	// Over takes away what lies where they come to; without, that is refused.
	Over bool `json:"over,omitempty"`
}

func (o *Move) plan(d *draft) error {
	clips, err := d.chosen(o.Clips, o.Alone)
	if err != nil {
		return err
	}
	alone := false // the mark is needed only where there are kin to be let go of
	if o.Alone && o.By != 0 {
		alone = len(d.Kin(o.Clips)) > len(clips)
	}
	by := o.By
	for _, s := range clips {
		by = max(by, -s.At) // nothing lies before midnight
	}
	op := reel.Move{IDs: idsOf(clips), By: by, Alone: alone}
	if len(o.Onto) > 0 {
		// Only what was named changes tracks; its kin stay on theirs.
		op.Onto = map[string]string{}
		named, along := []string{}, []string{}
		for _, s := range clips {
			if to, ok := o.Onto[d.Tracks[s.track].ID]; ok && to != d.Tracks[s.track].ID && slices.Contains(o.Clips, s.ID) {
				named = append(named, s.ID)
				op.Onto[d.Tracks[s.track].ID] = to
			} else {
				along = append(along, s.ID)
			}
		}
		op.IDs = named
		if len(op.Onto) == 0 {
			op.Onto, op.IDs = nil, along
		} else if len(along) > 0 && by != 0 {
			if err := d.clear(o.Over, clips, along, nil, by); err != nil {
				return err
			}
			if err := d.do(reel.Op{Move: &reel.Move{IDs: along, By: by, Alone: alone}}); err != nil {
				return err
			}
		}
	}
	if by == 0 && len(op.Onto) == 0 {
		return snag.Refuse("nothing_to_do", "that is where they lie")
	}
	if err := d.clear(o.Over, clips, op.IDs, op.Onto, by); err != nil {
		return err
	}
	if err := d.do(reel.Op{Move: &op}); err != nil || by == 0 {
		return err
	}
	return d.placed(op.IDs)
}

// placed says of clips without a start that they lie where they belong: somebody has put them there.
func (d *draft) placed(ids []string) error {
	for _, t := range slices.Clone(d.Tracks) {
		for _, c := range t.Clips {
			if c.Unplaced && slices.Contains(ids, c.ID) {
				if err := d.do(reel.Op{SetPlaced: &reel.SetPlaced{Track: t.ID, ID: c.ID, Placed: true}}); err != nil {
					return err
				}
			}
		}
	}
	return nil
}

// clear takes away what lies where clips come to, if that is wanted.
func (d *draft) clear(over bool, all []spot, ids []string, onto map[string]string, by int64) error {
	if !over {
		return nil
	}
	for _, s := range all {
		if !slices.Contains(ids, s.ID) {
			continue
		}
		track := d.Tracks[s.track].ID
		if to, ok := onto[track]; ok {
			track = to
		}
		if err := d.makeRoom(track, s.At+by, s.End()+by, idsOf(all)); err != nil {
			return err
		}
	}
	return nil
}

// makeRoom takes away what lies on a track between two samples, but for some clips.
func (d *draft) makeRoom(track string, from, to int64, but []string) error {
	i := slices.IndexFunc(d.Tracks, func(t reel.Track) bool { return t.ID == track })
	if i < 0 {
		return snag.Refuse("no_such_track", "one of the chosen tracks is not in this reel any more")
	}
	for _, at := range []int64{from, to} {
		if err := d.cutAcross([]int{i}, at, but...); err != nil {
			return err
		}
	}
	return d.take(d.find([]int{i}, func(c reel.Clip) bool { return c.At < to && from < c.End() && !slices.Contains(but, c.ID) }))
}

// Remove takes clips away and leaves the gap, or closes it on their tracks, or on all.
type Remove struct {
	Clips []string `json:"clips"`
	Alone bool     `json:"alone,omitempty"`
	Close Closing  `json:"close,omitempty"`
}

// Closing says what closes up where something was taken away.
type Closing string

// The closings: nothing, the tracks that were acted on and those on which kin lie behind, all.
const (
	Leave Closing = ""
	Some  Closing = "tracks"
	All   Closing = "all"
)

func (o *Remove) plan(d *draft) error {
	clips, err := d.chosen(o.Clips, o.Alone)
	if err != nil {
		return err
	}
	if err := d.take(clips); err != nil {
		return err
	}
	if o.Close == Leave {
		return nil
	}
	// One stretch after the other, the last first: what touches is one.
	slices.SortFunc(clips, func(a, b spot) int { return cmp.Compare(a.At, b.At) })
	type stretch struct {
		from, to int64
		tracks   []string
	}
	var all []stretch
	for _, s := range clips {
		id := d.Tracks[s.track].ID
		if n := len(all); n > 0 && s.At <= all[n-1].to {
			all[n-1].to = max(all[n-1].to, s.End())
			if !slices.Contains(all[n-1].tracks, id) {
				all[n-1].tracks = append(all[n-1].tracks, id)
			}
		} else {
			all = append(all, stretch{s.At, s.End(), []string{id}})
		}
	}
	slices.Reverse(all)
	for _, s := range all {
		if o.Close == All {
			s.tracks = nil
		}
		if !o.Alone {
			s.tracks = d.together(s.tracks, s.to)
		}
		if err := d.closeUp(s.from, s.to, s.tracks); err != nil {
			return err
		}
	}
	return nil
}

// closeUp takes the empty time between two samples out, on all tracks with what is marked in it.
func (d *draft) closeUp(from, to int64, tracks []string) error {
	if tracks == nil {
		if err := d.unseen(from, to); err != nil {
			return err
		}
		var marked []string
		for _, m := range d.Markers {
			if m.At >= from && m.At < to {
				marked = append(marked, m.ID)
			}
		}
		if marked != nil {
			if err := d.do(reel.Op{SetMarkers: &reel.SetMarkers{Remove: marked}}); err != nil {
				return err
			}
		}
	}
	return d.do(reel.Op{Ripple: &reel.Ripple{At: to, By: from - to, Tracks: tracks}})
}

// RemoveSpan takes away what lies in a span of time on some tracks, with the kin that it has there, and leaves the gap or
// closes it.
type RemoveSpan struct {
	From   int64    `json:"from"`
	To     int64    `json:"to"`
	Tracks []string `json:"tracks,omitempty"` // none for all
	Alone  bool     `json:"alone,omitempty"`
	Close  Closing  `json:"close,omitempty"`
	// Keep takes away all but what lies in the span.
	Keep bool `json:"keep,omitempty"`
}

func (o *RemoveSpan) plan(d *draft) error {
	if o.To <= o.From {
		return snag.Refuse("bad_span", "a span ends after it begins")
	}
	on, err := d.on(o.Tracks)
	if err != nil {
		return err
	}
	if !o.Alone && len(o.Tracks) > 0 {
		on = d.withKin(on, o.From, o.To)
	}
	in, err := d.cutSpan(on, o.From, o.To)
	if err != nil {
		return err
	}
	if o.Keep {
		kept := map[string]bool{}
		for _, s := range in {
			kept[s.ID] = true
		}
		return d.take(d.find(on, func(c reel.Clip) bool { return !kept[c.ID] }))
	}
	if err := d.take(in); err != nil || o.Close == Leave {
		return err
	}
	// Where all close up, nothing may be lost on tracks that were not acted on: what lies there in the time that is taken
	// out is refused by the ripple.
	var tracks []string
	if o.Close == Some {
		for _, i := range on {
			tracks = append(tracks, d.Tracks[i].ID)
		}
		if !o.Alone {
			tracks = d.together(tracks, o.To)
		}
	}
	return d.closeUp(o.From, o.To, tracks)
}

// together adds to tracks those on which, from a sample on, kin lie of what lies on them, and so on: what is tied stays in
// step when time is put in or taken out. None stays none, which is all.
func (d *draft) together(tracks []string, from int64) []string {
	if len(tracks) == 0 {
		return tracks
	}
	in := map[string]bool{}
	for _, t := range tracks {
		in[t] = true
	}
	ties := map[string]bool{}
	for grown := true; grown; {
		grown = false
		for _, t := range d.Tracks {
			if !in[t.ID] && !slices.ContainsFunc(t.Clips, func(c reel.Clip) bool { return ties[c.Tie] && c.End() > from }) {
				continue
			}
			in[t.ID] = true
			for _, c := range t.Clips {
				if c.Tie != "" && c.End() > from && !ties[c.Tie] {
					ties[c.Tie], grown = true, true
				}
			}
		}
	}
	var out []string
	for _, t := range d.Tracks {
		if in[t.ID] {
			out = append(out, t.ID)
		}
	}
	return out
}

// withKin adds the tracks on which kin lie of what lies in a span on some.
func (d *draft) withKin(on []int, from, to int64) []int {
	ids := idsOf(d.find(on, func(c reel.Clip) bool { return c.At < to && from < c.End() }))
	kin := d.Kin(ids)
	var out []int
	for i, t := range d.Tracks {
		if slices.Contains(on, i) || slices.ContainsFunc(t.Clips, func(c reel.Clip) bool { return kin[c.ID] }) {
			out = append(out, i)
		}
	}
	return out
}

// InsertTime puts time in on some tracks: what lies across is cut there.
type InsertTime struct {
	At     int64    `json:"at"`
	By     int64    `json:"by"`
	Tracks []string `json:"tracks,omitempty"` // none for all; those on which kin lie behind it come along
	Alone  bool     `json:"alone,omitempty"`
}

func (o *InsertTime) plan(d *draft) error {
	if o.By <= 0 {
		return snag.Refuse("bad_operation", "time that is put in lasts longer than nothing")
	}
	if _, err := d.on(o.Tracks); err != nil {
		return err
	}
	tracks := o.Tracks
	if !o.Alone {
		tracks = d.together(tracks, o.At)
	}
	on, err := d.on(tracks)
	if err != nil {
		return err
	}
	if err := d.cutAcross(on, o.At); err != nil {
		return err
	}
	if len(tracks) == 0 {
		if err := d.cutPictures(o.At); err != nil {
			return err
		}
	}
	return d.do(reel.Op{Ripple: &reel.Ripple{At: o.At, By: o.By, Tracks: tracks}})
}

// Paste lays copies of clips so many samples later than they are given, on tracks of this reel. Those that were tied to
// each other are so again, to nothing else.
type Paste struct {
	Clips []reel.Laid `json:"clips"`
	By    int64       `json:"by,omitempty"`
	Over  bool        `json:"over,omitempty"`
}

func (o *Paste) plan(d *draft) error {
	if len(o.Clips) == 0 {
		return snag.Refuse("nothing_chosen", "there is nothing to paste")
	}
	ties := map[string]string{}
	of := map[string][]reel.Clip{}
	var order []string
	for _, l := range o.Clips {
		c := l.Clip
		c.ID = d.NewID()
		if c.At += o.By; c.At < 0 {
			return snag.Refuse("bad_clip", "%s would begin before midnight", c.Name)
		}
		if c.Tie != "" {
			if ties[c.Tie] == "" {
				ties[c.Tie] = d.NewID()
			}
			c.Tie = ties[c.Tie]
		}
		if o.Over {
			if err := d.makeRoom(l.Track, c.At, c.End(), nil); err != nil {
				return err
			}
		}
		if of[l.Track] == nil {
			order = append(order, l.Track)
		}
		of[l.Track] = append(of[l.Track], c)
	}
	for _, t := range order {
		if err := d.do(reel.Op{AddClips: &reel.AddClips{Track: t, Clips: of[t]}}); err != nil {
			return err
		}
	}
	return nil
}

// CutDown is a reel with nothing but a span of it: tracks, routes, envelopes and markers cut at the same edges. It begins
// where the span does.
func CutDown(r reel.Reel, from, to int64, newID func() string) (reel.Reel, error) {
	if to <= from {
		return reel.Reel{}, snag.Refuse("bad_span", "a span ends after it begins")
	}
	actions := []Action{{SetStart: &reel.SetStart{Start: &from}}, {RemoveSpan: &RemoveSpan{From: from, To: to, Keep: true}}}
	var out []string
	for _, m := range r.Markers {
		if m.At < from || m.At >= to {
			out = append(out, m.ID)
		}
	}
	if out != nil {
		actions = append(actions, Action{SetMarkers: &reel.SetMarkers{Remove: out}})
	}
	if r.Length != nil {
		actions = append(actions, Action{SetLength: &reel.SetLength{}})
	}
	plan, err := Plan(r, actions, Context{NewID: newID})
	if err != nil {
		return reel.Reel{}, err
	}
	d := &draft{Reel: plan.After, Context: Context{NewID: newID}}
	if err := d.unseen(0, from); err != nil {
		return reel.Reel{}, err
	}
	return d.Reel, d.unseen(to, 1<<50)
}
