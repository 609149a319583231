package edit

import (
	"fmt"
	"reflect"
	"slices"
	"strings"

	"zestyloom/core/reel"
	"zestyloom/core/snag"
	"zestyloom/core/treat"
	"zestyloom/core/weave"
)

// Bringing is what comes over into a reel from another one.
type Bringing struct {
	From   reel.Reel
	Tracks []string // of From, by ID; none for all
	Clips  bool     // what lies on them, in place of what lies there here
	Labels bool     // of tracks that are here under another label: only copies of a reel have such
	Levels bool     // levels, drawn ones too, and whether a track is off
	Routes bool     // where tracks are sent, as far as the buses are here by name or kind
}

// Brought is what comes of one track of the other reel.
type Brought struct {
	Track string // of the other reel
	Label string // that it has there
	Onto  string // the label of the track here; empty where one is made
	Made  bool
	Clips int // that come
	// Changed is how many of them are here otherwise, as they were when a copy was made.
	Changed int
	Over    int      // clips here that are cut or go, because those lie there
	Says    []string // what else changes, in words
	Lost    []string // what has no place here, in words
}

// Bring works out what would come over from another reel, track by track, and the operations that do it. A track is here
// where one has its identity (as in copies of a reel), or else its label and layout; where none is, it is made. Clips that
// are here already, the same sound at the same place, stay as they are.
func Bring(r reel.Reel, b Bringing, c Context) (Planned, []Brought, error) {
	d := &draft{Reel: r, Context: c}
	onto := d.matched(b)
	ties := map[string]string{}
	var out []Brought
	for i, t := range b.From.Tracks {
		if len(b.Tracks) > 0 && !slices.Contains(b.Tracks, t.ID) {
			continue
		}
		row := Brought{Track: t.ID, Label: t.Label}
		k := d.track(onto[i])
		if k < 0 {
			if !b.Clips && !b.Routes && !b.Levels {
				continue
			}
			row.Made = true
			bare := reel.Track{ID: d.NewID(), Label: t.Label, Layout: t.Layout}
			if err := d.do(reel.Op{AddTrack: &reel.AddTrack{Index: len(d.Tracks), Track: bare}}); err != nil {
				return Planned{}, nil, err
			}
			k = len(d.Tracks) - 1
		} else {
			row.Onto = d.Tracks[k].Label
		}
		for _, step := range []func(int, reel.Track, Bringing, *Brought) error{d.bringTrack, d.bringRoutes} {
			if err := step(k, t, b, &row); err != nil {
				return Planned{}, nil, err
			}
		}
		if err := d.bringClips(k, t, b, ties, &row); err != nil {
			return Planned{}, nil, err
		}
		out = append(out, row)
	}
	return d.planned(), out, nil
}

// matched finds, for each track of another reel, the one that it is here; empty for none. No two are the same.
func (d *draft) matched(b Bringing) []string {
	out := make([]string, len(b.From.Tracks))
	taken := map[string]bool{}
	for _, same := range []func(t, here reel.Track) bool{
		func(t, here reel.Track) bool { return t.ID == here.ID && t.Layout == here.Layout },
		func(t, here reel.Track) bool {
			return strings.EqualFold(strings.TrimSpace(t.Label), strings.TrimSpace(here.Label)) && t.Layout == here.Layout
		},
	} {
		for i, t := range b.From.Tracks {
			if out[i] != "" {
				continue
			}
			if k := slices.IndexFunc(d.Tracks, func(here reel.Track) bool { return !taken[here.ID] && same(t, here) }); k >= 0 {
				out[i], taken[d.Tracks[k].ID] = d.Tracks[k].ID, true
			}
		}
	}
	return out
}

func (d *draft) track(id string) int {
	return slices.IndexFunc(d.Tracks, func(t reel.Track) bool { return t.ID == id })
}

// bringTrack brings a track's label and level.
func (d *draft) bringTrack(k int, t reel.Track, b Bringing, row *Brought) error {
	here := d.Tracks[k]
	op := reel.SetTrack{ID: here.ID}
	if b.Labels && here.Label != t.Label {
		op.Label = &t.Label
		row.Says = append(row.Says, fmt.Sprintf("labelled %s instead of %s", t.Label, here.Label))
	}
	if b.Levels {
		if here.GainDB != t.GainDB {
			op.GainDB = &t.GainDB
			row.Says = append(row.Says, fmt.Sprintf("level %+.1f dB instead of %+.1f dB", t.GainDB, here.GainDB))
		}
		if !slices.Equal(here.Gain, t.Gain) {
			curve := append(t.Gain[:0:0], t.Gain...)
			op.Gain = &curve
			row.Says = append(row.Says, fmt.Sprintf("level over time of %d points instead of %d", len(t.Gain), len(here.Gain)))
		}
		if here.Treat != t.Treat {
			op.Treat = &t.Treat
		}
		if !here.TreatMoves.Equal(t.TreatMoves) {
			moves := t.TreatMoves.Clone()
			op.TreatMoves = &moves
		}
		if op.Treat != nil || op.TreatMoves != nil {
			says := func(t reel.Track) string {
				if s := treat.Says(t.Treat, t.TreatMoves); s != "" {
					return s
				}
				return "nothing"
			}
			row.Says = append(row.Says, "treatment "+says(t)+" instead of "+says(here))
		}
		if here.Off != t.Off {
			op.Off = &t.Off
			row.Says = append(row.Says, map[bool]string{true: "off", false: "on"}[t.Off])
		}
	}
	if op.Label == nil && op.GainDB == nil && op.Gain == nil && op.Off == nil && op.Treat == nil && op.TreatMoves == nil {
		return nil
	}
	return d.do(reel.Op{SetTrack: &op})
}

// bringRoutes sends a track where it is sent in the other reel.
func (d *draft) bringRoutes(k int, t reel.Track, b Bringing, row *Brought) error {
	if !b.Routes {
		return nil
	}
	here := d.Tracks[k]
	var sends []weave.Send
	for _, s := range b.From.Weave.Sends[t.ID] {
		bus, _ := b.From.Weave.Bus(s.To)
		to, ok := d.Weave.Alike(bus)
		if !ok {
			row.Lost = append(row.Lost, fmt.Sprintf("no bus here is %s: that way stays behind", bus.Name))
			continue
		}
		s.To = to.ID
		if _, err := s.Patch.Between(here.Channels(), to.Channels()); err != nil {
			way, ok := weave.Way(here.Channels(), to.Channels(), d.Weave.Law)
			if !ok {
				row.Lost = append(row.Lost, fmt.Sprintf("%s can't enter %s (%s) here as it does there (%s): that way stays behind", t.Label, to.Name, to.Layout, bus.Layout))
				continue
			}
			row.Lost = append(row.Lost, fmt.Sprintf("%s is %s here and %s there: the track enters it as one does by default", to.Name, to.Layout, bus.Layout))
			s.Patch = way
		}
		if slices.ContainsFunc(sends, func(o weave.Send) bool { return o.To == s.To }) {
			continue
		}
		sends = append(sends, s)
	}
	was := d.Weave.Sends[here.ID]
	if len(sends) == 0 || reflect.DeepEqual(was, sends) {
		return nil
	}
	routed := weave.Track{ID: here.ID, Layout: here.Channels()}
	before := d.Weave.Ways(routed)
	if err := d.do(reel.Op{SetSends: &reel.SetSends{From: here.ID, Sends: sends}}); err != nil {
		return err
	}
	if now := d.Weave.Ways(routed); now != before {
		row.Says = append(row.Says, fmt.Sprintf("%s instead of: %s", now, before))
	} else {
		row.Says = append(row.Says, now+", moving otherwise")
	}
	return nil
}

// bringClips lays a track's clips, over what lies there.
func (d *draft) bringClips(k int, t reel.Track, b Bringing, ties map[string]string, row *Brought) error {
	if !b.Clips {
		return nil
	}
	id := d.Tracks[k].ID
	come := d.coming(k, t.Clips)
	// A clip that is here under the same identity is the same one as it was before it was edited there.
	var before []spot
	for _, c := range come {
		before = append(before, d.find([]int{k}, func(o reel.Clip) bool { return o.ID == c.ID })...)
	}
	if err := d.take(before); err != nil {
		return err
	}
	row.Clips, row.Changed = len(come), len(before)
	for i, c := range come {
		row.Over += len(d.find([]int{d.track(id)}, func(o reel.Clip) bool { return o.At < c.End() && c.At < o.End() }))
		if err := d.makeRoom(id, c.At, c.End(), nil); err != nil {
			return err
		}
		c.ID = d.NewID()
		if c.Tie != "" {
			if ties[c.Tie] == "" {
				ties[c.Tie] = d.NewID()
			}
			c.Tie = ties[c.Tie]
		}
		come[i] = c
	}
	if len(come) == 0 {
		return nil
	}
	return d.do(reel.Op{AddClips: &reel.AddClips{Track: id, Clips: come}})
}

// coming are those of some clips that a track does not have already. One that it has comes again where it is crossfaded with
// one that comes.
func (d *draft) coming(k int, clips []reel.Clip) []reel.Clip {
	comes := make([]bool, len(clips))
	for i, c := range clips {
		comes[i] = !slices.ContainsFunc(d.Tracks[k].Clips, func(o reel.Clip) bool {
			o.ID, o.Tie, o.Away = c.ID, c.Tie, c.Away
			return o.Same(c)
		})
	}
	for grown := true; grown; {
		grown = false
		for i := 1; i < len(clips); i++ {
			if clips[i].At < clips[i-1].End() && comes[i] != comes[i-1] {
				comes[i], comes[i-1], grown = true, true, true
			}
		}
	}
	var out []reel.Clip
	for i, c := range clips {
		if comes[i] {
			out = append(out, c)
		}
	}
	return out
}

// Nothing reports whether a track of another reel changes nothing here.
func (b Brought) Nothing() bool {
	return !b.Made && b.Clips == 0 && len(b.Says) == 0
}

// Check refuses what names no track of the other reel.
func (b Bringing) Check() error {
	for _, id := range b.Tracks {
		if !slices.ContainsFunc(b.From.Tracks, func(t reel.Track) bool { return t.ID == id }) {
			return snag.Refuse("no_such_track", "one of the chosen tracks is not in the other reel any more")
		}
	}
	return nil
}
