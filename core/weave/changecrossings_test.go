package weave_test

import (
	"math"
	"math/rand/v2"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/audio"
	"zestyloom/core/automation"
	"zestyloom/core/weave"
)

func crossings(list ...weave.Crossing) weave.Change {
	return weave.Change{SetCrossings: &weave.SetCrossings{Crossings: list}}
}

// Levels that are typed into crossings: what comes to a preset is said as one, and what has nothing left is not sent.
func TestTypedCrossings(t *testing.T) {
	all := tracksOf(t)
	w, _ := change(t, start(t), crossings(weave.Crossing{From: "boom", To: "DX", Channel: 1}))
	assert.Equal(t, weave.Custom, w.Sends["boom"][0].Patch.Preset, "-3 dB on the left alone is none")
	w, _ = change(t, w, crossings(weave.Crossing{From: "boom", To: "DX", DB: num(0)}))
	assert.Equal(t, "DX, left only, 0 dB", w.Ways(all[0]))
	w, _ = change(t, w, crossings(weave.Crossing{From: "boom", To: "DX", Channel: 1, DB: num(-3.0103)}, weave.Crossing{From: "boom", To: "DX", DB: num(-3.0103)}))
	assert.Equal(t, weave.Patch{Preset: weave.BothMinus}, w.Sends["boom"][0].Patch, "exactly, as far as it was typed")
	w, _ = change(t, w, crossings(weave.Crossing{From: "boom", To: "DX"}, weave.Crossing{From: "boom", To: "DX", Channel: 1}))
	assert.Empty(t, w.Sends["boom"])
	// The gain of the send is in what is typed; at the gain it is a factor of 1, exactly.
	w, _ = change(t, w, crossings(weave.Crossing{From: "lav", To: "DX", Channel: 1, DB: num(-9)}))
	assert.InDelta(t, -9, audio.Decibels(w.Sent("lav", all[1].Layout)[0].Factors[1][0]), 1e-9)
	assert.Equal(t, -3.0, w.Sends["lav"][0].GainDB)
	w, _ = change(t, w, crossings(weave.Crossing{From: "lav", To: "DX", Channel: 1, DB: num(-3)}))
	assert.Equal(t, weave.Patch{Preset: weave.Both}, w.Sends["lav"][0].Patch)
	// Into another stem, too: the first stays its own.
	w, _ = change(t, w, crossings(weave.Crossing{From: "lav", To: "FX", Channel: 1, DB: num(0)}))
	assert.Equal(t, "DX, mono on both sides, 0 dB, -3.0 dB; FX, right only, 0 dB", w.Ways(all[1]))
	// Of several channels it is the one that is heard there, or that is meant.
	w, _ = change(t, w, crossings(weave.Crossing{From: "score", To: "MX", Channel: 1, DB: num(-6)}))
	assert.Equal(t, audio.Matrix{{1, 0}, {0, audio.Gain(-6)}}, w.Sends["score"][0].Patch.Matrix)
	one := 1
	w, _ = change(t, w, crossings(weave.Crossing{From: "score", To: "MX", Channel: 0, Of: &one, DB: num(-12)}))
	assert.Equal(t, audio.Matrix{{1, audio.Gain(-12)}, {0, audio.Gain(-6)}}, w.Sends["score"][0].Patch.Matrix)
	// A bus into a mix, and what is turned over stays so.
	w.Buses = append(w.Buses, weave.Bus{ID: "full", Name: "Full mix", Role: weave.Mix, Layout: "stereo"})
	w, _ = change(t, w, crossings(weave.Crossing{From: "DX", To: "full", DB: num(0)}, weave.Crossing{From: "DX", To: "full", Channel: 1, DB: num(0)}))
	assert.Equal(t, "full", w.Sends["DX"][0].To)
	assert.Equal(t, weave.Plain, w.Sends["DX"][0].Patch.Preset)
	w.Sends["boom"] = []weave.Send{{To: "DX", Patch: weave.Patch{Preset: weave.Custom, Matrix: audio.Matrix{{-1}, {0}}}}}
	w, _ = change(t, w, crossings(weave.Crossing{From: "boom", To: "DX", DB: num(-6)}))
	assert.Equal(t, -audio.Gain(-6), w.Sends["boom"][0].Patch.Matrix[0][0])

	moving := w.Clone()
	moving.Sends["boom"] = []weave.Send{{To: "DX", Patch: weave.Patch{Preset: weave.Pan, Law: -3, Moving: automation.Curve{{At: 0, Value: -1}, {At: 9, Value: 1}}}}}
	_, _, err := moving.Changed(crossings(weave.Crossing{From: "boom", To: "DX", DB: num(0)}), all, counter())
	assert.ErrorContains(t, err, "moves over time")
	named := w.Clone()
	named.Sends["boom"] = []weave.Send{{To: "DX", Patch: weave.Patch{Preset: weave.Custom, Name: "House", Matrix: audio.Matrix{{0.3}, {0.4}}}}}
	named, _ = change(t, named, crossings(weave.Crossing{From: "boom", To: "DX", DB: num(-6)}))
	assert.Equal(t, "DX, by the matrix House", named.Ways(all[0]), "it is still that one")
	named.Sends["boom"][0].Patch.Name = strings.Repeat("x", 61)
	assert.Error(t, named.Check(map[string]audio.Layout{"boom": all[0].Layout}))
	far := 7
	for name, c := range map[string]weave.Crossing{
		"no bus":      {From: "boom", To: "XX", DB: num(0)},
		"no track":    {From: "who", To: "DX", DB: num(0)},
		"no channel":  {From: "boom", To: "DX", Channel: 2, DB: num(0)},
		"not a level": {From: "boom", To: "DX", DB: num(math.NaN())},
		"too loud":    {From: "boom", To: "DX", DB: num(25)},
		"none of it":  {From: "boom", To: "DX", Of: &far, DB: num(0)},
		"a circle":    {From: "full", To: "DX", DB: num(0)},
	} {
		_, _, err := w.Changed(crossings(c), all, counter())
		assert.Error(t, err, name)
	}
}

// Whatever is typed anywhere is what is heard there, and nothing else changes.
func TestTypedCrossingsAreWhatIsHeard(t *testing.T) {
	all := tracksOf(t)
	rnd := rand.New(rand.NewPCG(13, 3))
	w := start(t)
	for range 400 {
		tr, b := all[rnd.IntN(len(all))], w.Buses[rnd.IntN(len(w.Buses))]
		c := weave.Crossing{From: tr.ID, To: b.ID, Channel: rnd.IntN(2)}
		of := rnd.IntN(tr.Layout.Count)
		c.Of = &of
		want := 0.0
		if rnd.IntN(3) > 0 {
			c.DB = num([]float64{0, -3.0103, -6, 2.5, -40}[rnd.IntN(5)])
			want = audio.Gain(*c.DB)
		}
		before := factors(w, tr, b.ID)
		now, lost := change(t, w, crossings(c))
		require.Empty(t, lost)
		after := factors(now, tr, b.ID)
		before[c.Channel][of] = want
		for i := range before {
			for j := range before[i] {
				require.InDelta(t, before[i][j], after[i][j], 2e-5)
			}
		}
		w = now
	}
}

func factors(w weave.Weave, t weave.Track, to string) audio.Matrix {
	for _, s := range w.Sent(t.ID, t.Layout) {
		if s.To == to {
			return s.Factors
		}
	}
	return audio.NewMatrix(2, t.Layout.Count)
}
