package reel_test

import (
	"encoding/json"
	"fmt"
	"maps"
	"math/rand/v2"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/audio"
	"zestyloom/core/automation"
	"zestyloom/core/reel"
	"zestyloom/core/snag"
	"zestyloom/core/timecode"
	"zestyloom/core/treat"
	"zestyloom/core/weave"
	"zestyloom/internal/testmedia"
)

func to(bus string, p weave.Preset, gain float64) []weave.Send {
	return []weave.Send{{To: bus, GainDB: gain, Patch: weave.Patch{Preset: p}}}
}

// chance makes up edits of a reel; many of them are refused.
type chance struct {
	*rand.Rand
	ids int
}

func (c *chance) id() string { c.ids++; return fmt.Sprint("n", c.ids) }

func (c *chance) curve(at int64) automation.Curve {
	var out automation.Curve
	for range c.IntN(4) {
		at += 1 + c.Int64N(400)
		out = append(out, automation.Point{At: at, Value: float64(c.IntN(30) - 20), Shape: []automation.Shape{automation.Straight, automation.Smooth, automation.Hold}[c.IntN(3)]})
	}
	return out
}

var widths = []string{"mono", "stereo", "5.1", "ambisonic 1 SN3D", "discrete 3"}

func (c *chance) clip(width int) reel.Clip {
	x := reel.Clip{ID: c.id(), Name: "x", At: c.Int64N(60000), In: c.Int64N(100), Length: 1 + c.Int64N(900), Gain: c.curve(0), Tie: fmt.Sprint(c.IntN(5)), Invert: c.IntN(2) == 0}
	for i := range width {
		x.Strands = append(x.Strands, fmt.Sprint("s", i))
	}
	if width > 1 && c.IntN(3) == 0 { // fewer strands than the track has channels
		x.Strands = x.Strands[:1]
		x.Patch = weave.Patch{Preset: weave.Custom, Matrix: make(audio.Matrix, width)}
		for i := range x.Patch.Matrix {
			x.Patch.Matrix[i] = []float64{float64(c.IntN(3))}
		}
	}
	if c.IntN(2) == 0 {
		x.FadeIn, x.FadeOut = reel.Fade{Length: c.Int64N(x.Length)}, reel.Fade{Length: c.Int64N(50), Shape: reel.EqualPower}
	}
	if c.IntN(3) == 0 {
		from := c.Int64N(500)
		x.Off = []reel.Range{{From: from, To: from + 20, Ramp: 5}, {From: from + 20, To: from + 21}}
	}
	return x
}

func (c *chance) some(r reel.Reel) (track int, clips []string) {
	track = c.IntN(len(r.Tracks))
	for _, x := range r.Tracks[track].Clips {
		if c.IntN(4) == 0 {
			clips = append(clips, x.ID)
		}
	}
	return track, clips
}

func (c *chance) op(r reel.Reel) (op reel.Op) {
	if len(r.Tracks) == 0 || len(r.Tracks) < 12 && c.IntN(12) == 0 {
		layout := widths[c.IntN(len(widths))]
		op.AddTrack = &reel.AddTrack{Index: c.IntN(9), Track: reel.Track{ID: c.id(), Label: "t", Layout: layout, Gain: c.curve(0), Clips: []reel.Clip{}}}
		if layout == "mono" || layout == "stereo" {
			op.AddTrack.Sends = to([]string{"DX", "FX", "gone"}[c.IntN(3)], map[string]weave.Preset{"mono": weave.Both, "stereo": weave.Plain}[layout], -3)
			op.AddTrack.Sends[0].Gain = c.curve(0)
		}
		return op
	}
	i, ids := c.some(r)
	t := r.Tracks[i]
	layout, _ := audio.ParseLayout(t.Layout)
	at := c.Int64N(60000)
	switch c.IntN(18) {
	case 0:
		op.RemoveTrack = &reel.RemoveTrack{ID: t.ID}
	case 1, 2, 3:
		op.AddClips = &reel.AddClips{Track: t.ID, Clips: []reel.Clip{c.clip(layout.Count), c.clip(layout.Count)}}
	case 4:
		op.RemoveClips = &reel.RemoveClips{Track: t.ID, IDs: ids}
	case 5:
		label, off, gain, curve := fmt.Sprint("l", c.IntN(9)), c.IntN(2) == 0, float64(c.IntN(9)), c.curve(0)
		op.SetTrack = &reel.SetTrack{ID: t.ID, Label: &label, Off: &off, GainDB: &gain, Gain: &curve}
		if c.IntN(2) == 0 {
			op.SetTrack.Label, op.SetTrack.Gain = nil, nil
			op.SetTrack.Treat = &treat.Chain{Off: c.IntN(2) == 0, HighPass: treat.Pass{Hz: float64(20 * c.IntN(5)), Slope: 12}}
			op.SetTrack.TreatMoves = &treat.Moves{}
			if c.IntN(3) > 0 {
				(*op.SetTrack.TreatMoves)["band_2"] = automation.Curve{{At: at, Value: float64(c.IntN(20) - 10)}, {At: at + 100 + c.Int64N(900), Value: 3}}
			}
			if c.IntN(3) == 0 {
				(*op.SetTrack.TreatMoves)["compressor"] = nil
			}
		}
	case 6:
		op.SetSends = &reel.SetSends{From: t.ID}
		if c.IntN(3) > 0 {
			op.SetSends.Sends = append(to("DX", weave.Left, 3), weave.Send{To: "VO", Patch: weave.Patch{Preset: weave.Pan, Law: -3, Moving: automation.Curve{{At: at, Value: -1}, {At: at + 100, Value: 1}}}})
		}
	case 7:
		op.SetStart = &reel.SetStart{Start: &at}
		if c.IntN(2) == 0 {
			outs, groups, _ := r.Weave.Resize(1 + c.IntN(12))
			op = reel.Op{SetOutputs: &reel.SetOutputs{Outputs: outs, Groups: groups}}
		}
	case 8:
		op.MoveTrack = &reel.MoveTrack{ID: t.ID, Index: c.IntN(len(r.Tracks))}
	case 9:
		op.Move = &reel.Move{IDs: ids, By: c.Int64N(4000) - 2000, Alone: c.IntN(2) == 0}
		if c.IntN(2) == 0 {
			op.Move.Onto = map[string]string{t.ID: r.Tracks[c.IntN(len(r.Tracks))].ID}
		}
	case 10: // everything that sounds at one moment
		op.Split = &reel.Split{At: at, Into: map[string]string{}, Ties: map[string]string{"1": c.id(), "2": c.id()}}
		for _, t := range r.Tracks {
			for _, x := range t.Clips {
				if x.At < at && at < x.End() {
					op.Split.Into[x.ID] = c.id()
				}
			}
		}
	case 11:
		op.Ripple = &reel.Ripple{At: at, By: c.Int64N(600) - 300}
		if c.IntN(2) == 0 {
			op.Ripple.Tracks = []string{t.ID}
		}
	case 13:
		op.SetMarkers = &reel.SetMarkers{}
		for _, m := range r.Markers {
			if c.IntN(3) == 0 {
				op.SetMarkers.Remove = append(op.SetMarkers.Remove, m.ID)
			} else if c.IntN(3) == 0 {
				m.At, m.Note = at, "moved"
				op.SetMarkers.Put = append(op.SetMarkers.Put, m)
			}
		}
		op.SetMarkers.Put = append(op.SetMarkers.Put, reel.Marker{ID: c.id(), At: at, Name: "m", Length: c.Int64N(50), Colour: "plum"})
	case 16:
		op.SetPictures = &reel.SetPictures{}
		for _, p := range r.Pictures {
			if c.IntN(3) == 0 {
				op.SetPictures.Remove = append(op.SetPictures.Remove, p.ID)
			} else if c.IntN(3) == 0 {
				p.At, p.In = at, p.In+7
				op.SetPictures.Put = append(op.SetPictures.Put, p)
			}
		}
		op.SetPictures.Put = append(op.SetPictures.Put, reel.Picture{ID: c.id(), File: "f", At: at, Length: 1 + c.Int64N(9000)})
	case 15:
		op.SetCut = &reel.SetCut{}
		if c.IntN(3) > 0 {
			op.SetCut.Cut = []reel.Laying{{Name: "e", Strands: []string{"s0"}, At: at, Length: 9}}
		}
	case 17:
		op.SetRate = &reel.SetRate{}
		if c.IntN(3) > 0 {
			op.SetRate.Rate = &timecode.Rate{Num: []int64{25, 24, 7}[c.IntN(3)], Den: 1}
		}
	case 14:
		op.SetLength = &reel.SetLength{}
		if c.IntN(2) == 0 {
			op.SetLength.Length = &at
		}
	case 12:
		clips := slices.Clone(t.Clips)
		clips = slices.DeleteFunc(clips, func(x reel.Clip) bool { return !slices.Contains(ids, x.ID) })
		for k := range clips {
			id := clips[k].ID
			clips[k] = c.clip(layout.Count)
			clips[k].ID = id
		}
		op.SetClips = &reel.SetClips{Track: t.ID, Clips: clips}
	}
	return op
}

// Whatever is done is undone by one inverse, exactly, and done again by the inverse of that, for thousands of random
// operations, each as it comes back from being stored; the reel that was started from is never changed, and what comes
// out passes every check.
func TestEveryOperationHasItsInverse(t *testing.T) {
	c := &chance{Rand: rand.New(rand.NewPCG(4, 2))}
	r := reel.New()
	kinds := map[string]int{}
	text := func(r reel.Reel) string {
		b, err := json.Marshal(r)
		require.NoError(t, err)
		return string(b)
	}
	stored := func(ops []reel.Op) (out []reel.Op) {
		b, err := json.Marshal(ops)
		require.NoError(t, err)
		require.NoError(t, json.Unmarshal(b, &out))
		return out
	}
	for range testmedia.Sized(1500, 5000) {
		op := c.op(r)
		before := text(r)
		after, inverse, err := reel.Apply(r, stored([]reel.Op{op}))
		require.Equal(t, before, text(r), "the reel given is left alone")
		if err != nil {
			continue // refused, and nothing changed
		}
		var name map[string]json.RawMessage
		b, _ := json.Marshal(op)
		require.NoError(t, json.Unmarshal(b, &name))
		for k := range name {
			kinds[k]++
		}
		require.NoError(t, after.Check(), "%s", b)
		require.Len(t, inverse, 1)
		back, again, err := reel.Apply(after, stored(inverse))
		require.NoError(t, err, "%s", b)
		require.Equal(t, before, text(back), "%s", b)
		forth, _, err := reel.Apply(back, stored(again))
		require.NoError(t, err)
		require.Equal(t, text(after), text(forth), "%s", b)
		var changes reel.Changes
		b, err = json.Marshal(reel.Diff(r, after))
		require.NoError(t, err)
		require.NoError(t, json.Unmarshal(b, &changes))
		require.Equal(t, text(after), text(reel.Patched(r, changes)), "what has changed is all that has changed: %s", b)
		r = after
	}
	for _, k := range []string{"add_track", "remove_track", "move_track", "set_track", "add_clips", "remove_clips", "set_clips", "move", "split", "ripple", "set_sends", "set_outputs", "set_start", "set_length", "set_markers", "set_rate", "set_pictures", "set_cut"} {
		assert.Greater(t, kinds[k], 30, "%s of %v", k, slices.Sorted(maps.Keys(kinds)))
	}
}

func TestRefusals(t *testing.T) {
	r := laid(t, reel.New(), lay("1", 1000, 500, "a"))
	id, clip := r.Tracks[0].ID, r.Tracks[0].Clips[0]
	neg, blank := int64(-1), "  "
	other := func(change func(*reel.Clip)) reel.Op {
		c := clip
		change(&c)
		return reel.Op{SetClips: &reel.SetClips{Track: id, Clips: []reel.Clip{c}}}
	}
	new := func(at, length int64) reel.Op {
		return reel.Op{AddClips: &reel.AddClips{Track: id, Clips: []reel.Clip{{ID: "n", Strands: []string{"s"}, At: at, Length: length}}}}
	}
	for i, c := range []struct {
		code string
		op   reel.Op
	}{
		{"overlap", new(1499, 5)},
		{"bad_clip", new(5, 0)},
		{"bad_clip", new(-5, 10)},
		{"no_such_track", reel.Op{SetPlaced: &reel.SetPlaced{Track: "none", ID: "none"}}},
		{"no_such_clip", reel.Op{SetPlaced: &reel.SetPlaced{Track: id, ID: "none", Placed: true}}},
		{"no_such_clip", reel.Op{Move: &reel.Move{IDs: []string{"none"}, By: 1}}},
		{"no_such_clip", reel.Op{Split: &reel.Split{At: 1200, Into: map[string]string{"none": "n"}}}},
		{"no_such_clip", reel.Op{RemoveClips: &reel.RemoveClips{Track: id, IDs: []string{clip.ID, "none"}}}},
		{"bad_cut", reel.Op{Split: &reel.Split{At: 1000, Into: map[string]string{clip.ID: "n"}}}},
		{"bad_clip", reel.Op{Split: &reel.Split{At: 1200, Into: map[string]string{clip.ID: clip.ID}}}},
		{"bad_label", reel.Op{SetTrack: &reel.SetTrack{ID: id, Label: &blank}}},
		{"bad_start", reel.Op{SetStart: &reel.SetStart{Start: &neg}}},
		{"bad_operation", reel.Op{}},
		{"bad_operation", reel.Op{SetStart: &reel.SetStart{}, RemoveTrack: &reel.RemoveTrack{ID: id}}},
		{"bad_track", reel.Op{AddTrack: &reel.AddTrack{Track: reel.Track{ID: id, Label: "x", Layout: "mono"}}}},
		{"bad_track", reel.Op{AddTrack: &reel.AddTrack{Track: reel.Track{ID: "DX", Label: "x", Layout: "mono"}}}},
		{"bad_track", reel.Op{AddTrack: &reel.AddTrack{Track: reel.Track{ID: "new", Label: "x", Layout: "6.7"}}}},
		{"bad_patch", other(func(c *reel.Clip) { c.Strands = []string{"a", "b"} })},
		{"bad_clip", other(func(c *reel.Clip) { c.Layout = "stereo" })},
		{"bad_fade", other(func(c *reel.Clip) { c.FadeIn.Length, c.FadeOut.Length = 300, 201 })},
		{"bad_fade", other(func(c *reel.Clip) { c.FadeIn = reel.Fade{Length: 1, Shape: "wild"} })},
		{"bad_gain", other(func(c *reel.Clip) { c.Gain = automation.Curve{{Value: 25}} })},
		{"bad_clip", other(func(c *reel.Clip) { c.Off = []reel.Range{{From: 5, To: 9}, {From: 8, To: 10}} })},
		{"bad_ripple", reel.Op{Ripple: &reel.Ripple{At: 1001, By: -2}}},
		{"sent_twice", reel.Op{SetSends: &reel.SetSends{From: id, Sends: append(to("DX", weave.Left, 0), to("DX", weave.Right, 0)...)}}},
		{"circle", reel.Op{SetSends: &reel.SetSends{From: "DX", Sends: to("DX", weave.Plain, 0)}}},
		{"bad_patch", reel.Op{SetSends: &reel.SetSends{From: id, Sends: to("DX", weave.Plain, 0)}}},
	} {
		_, _, err := reel.Apply(r, []reel.Op{c.op})
		if assert.Error(t, err, "%d: %s", i, c.code) {
			assert.Equal(t, c.code, snag.Of(err).Code, "%d: %v", i, err)
		}
	}
}

// Two clips lie over each other just where the one goes and the other comes, and never three.
func TestCrossfades(t *testing.T) {
	clip := func(id string, at, length, in, out int64) reel.Clip {
		return reel.Clip{ID: id, Strands: []string{"s"}, At: at, Length: length, FadeIn: reel.Fade{Length: in}, FadeOut: reel.Fade{Length: out}}
	}
	for i, c := range []struct {
		clips []reel.Clip
		ok    bool
	}{
		{[]reel.Clip{clip("a", 0, 100, 0, 20), clip("b", 80, 100, 20, 0)}, true},
		{[]reel.Clip{clip("a", 0, 100, 0, 19), clip("b", 80, 100, 20, 0)}, false},
		{[]reel.Clip{clip("a", 0, 100, 0, 20), clip("b", 80, 100, 19, 0)}, false},
		{[]reel.Clip{clip("a", 0, 100, 0, 50), clip("b", 60, 30, 30, 0)}, false}, // within the other
		{[]reel.Clip{clip("a", 0, 100, 0, 40), clip("b", 60, 50, 40, 10), clip("c", 99, 50, 11, 0)}, false},
		{[]reel.Clip{clip("a", 0, 100, 0, 40), clip("b", 60, 50, 40, 10), clip("c", 100, 50, 10, 0)}, true},
	} {
		r := reel.New()
		r.Tracks = []reel.Track{{ID: "t", Label: "t", Layout: "mono"}}
		_, _, err := reel.Apply(r, []reel.Op{{AddClips: &reel.AddClips{Track: "t", Clips: c.clips}}})
		assert.Equal(t, c.ok, err == nil, "%d: %v", i, err)
	}
}

func TestFades(t *testing.T) {
	for _, shape := range reel.FadeShapes {
		f := reel.Fade{Length: 99, Shape: shape}
		assert.Equal(t, []float64{0, 1}, []float64{f.At(-1), f.At(99)})
		for i := range int64(99) {
			in, out := f.At(i), f.At(98-i)
			switch shape {
			case reel.EqualPower:
				assert.InDelta(t, 1, in*in+out*out, 1e-12)
			default:
				assert.InDelta(t, 1, in+out, 1e-12)
			}
			assert.Greater(t, in, f.At(i-1))
		}
	}
	assert.Equal(t, 0.01, reel.Fade{Length: 99}.At(0), "the first of n samples is 1/(n+1) of the way")
}
