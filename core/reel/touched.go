package reel

import (
	"maps"
	"slices"
	"strings"

	"zestyloom/core/union"
)

// Everything stands for all that lies in time, which putting time in or taking it out moves.
const Everything = "time"

// touched are names of what operations change.
type touched map[string]bool

func (t touched) name(names ...string) {
	for _, n := range names {
		t[n] = true
	}
}

// of adds things of a kind.
func (t touched) of(kind string, ids ...string) {
	for _, id := range ids {
		t[kind+" "+id] = true
	}
}

func (t touched) clips(all []Clip) {
	for _, c := range all {
		t.of("clip", c.ID)
	}
}

// Touched names what operations change: tracks, clips, sends and the like. Two edits that touch one thing are in each
// other's way; see InTheWay.
func Touched(ops []Op) []string {
	out := touched{}
	for _, o := range ops {
		if what, ok := union.Of[operation](o); ok {
			what.touches(out)
		}
	}
	return slices.Sorted(maps.Keys(out))
}

func (o *AddTrack) touches(t touched) {
	t.of("track", o.Track.ID)
	t.of("sends", o.Track.ID)
	t.clips(o.Track.Clips)
}

func (o *RemoveTrack) touches(t touched) {
	t.of("track", o.ID)
	t.of("sends", o.ID)
}

func (o *Split) touches(t touched) {
	for first, second := range o.Into {
		t.of("clip", first, second)
	}
}

func (o *Join) touches(t touched) {
	for first, second := range o.Second {
		t.of("clip", first, second)
	}
}

func (o *SetPictures) touches(t touched) {
	for _, p := range o.Put {
		t.of("picture", p.ID)
	}
	t.of("picture", o.Remove...)
}

func (o *SetMarkers) touches(t touched) {
	for _, m := range o.Put {
		t.of("marker", m.ID)
	}
	t.of("marker", o.Remove...)
}

func (o *MoveTrack) touches(t touched)   { t.name("order") }
func (o *SetTrack) touches(t touched)    { t.of("track", o.ID) }
func (o *AddClips) touches(t touched)    { t.clips(o.Clips) }
func (o *RemoveClips) touches(t touched) { t.of("clip", o.IDs...) }
func (o *SetClips) touches(t touched)    { t.clips(o.Clips) }
func (o *SetPlaced) touches(t touched)   { t.of("clip", o.ID) }
func (o *Move) touches(t touched)        { t.of("clip", o.IDs...) }
func (o *Ripple) touches(t touched)      { t.name(Everything) }
func (o *SetSends) touches(t touched)    { t.of("sends", o.From) }
func (o *SetOutputs) touches(t touched)  { t.name("outputs") }
func (o *SetWeave) touches(t touched)    { t.name("weave", "outputs") }
func (o *SetStart) touches(t touched)    { t.name("start") }
func (o *SetLength) touches(t touched)   { t.name("length") }
func (o *SetRate) touches(t touched)     { t.name("rate") }
func (o *SetCut) touches(t touched)      { t.name("cut") }

// InTheWay reports whether two edits, by what they touch, change the same thing.
func InTheWay(a, b []string) bool {
	for _, x := range a {
		if slices.Contains(b, x) {
			return true
		}
	}
	routing := func(what string) bool {
		return what == "weave" || what == "outputs" || strings.HasPrefix(what, "sends ")
	}
	if slices.Contains(a, "weave") && slices.ContainsFunc(b, routing) || slices.Contains(b, "weave") && slices.ContainsFunc(a, routing) {
		return true
	}
	timed := func(what string) bool {
		return strings.HasPrefix(what, "clip ") || strings.HasPrefix(what, "marker ") || strings.HasPrefix(what, "picture ")
	}
	return slices.Contains(a, Everything) && slices.ContainsFunc(b, timed) || slices.Contains(b, Everything) && slices.ContainsFunc(a, timed)
}
