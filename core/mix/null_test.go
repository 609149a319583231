package mix_test

import (
	"context"
	"fmt"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/audio"
	"zestyloom/core/automation"
	"zestyloom/core/mix"
	"zestyloom/core/reel"
	"zestyloom/core/weave"
)

// A mix is the sum of its stems: bit for bit at unity, within a step of each that is written otherwise; a place that is
// otherwise is found.
func TestNulls(t *testing.T) {
	_, sources := strandsOf(t, 1, 4, modelFrames)
	r := reel.New()
	r.Weave.Buses = append(r.Weave.Buses, weave.Bus{ID: "full", Name: "Full mix", Role: weave.Mix, Layout: "stereo"}, weave.Bus{ID: "me", Name: "M&E", Role: weave.Mix, Layout: "stereo"})
	for i, stem := range []string{"DX", "MX", "FX"} {
		id := fmt.Sprint("t", i)
		r.Tracks = append(r.Tracks, reel.Track{ID: id, Label: id, Layout: "mono", Clips: []reel.Clip{{ID: "c" + id, Strands: []string{fmt.Sprint("0/", i)}, Length: modelFrames}}})
		r.Weave.Sends[id] = to(stem, weave.Both, -12.0412) // about a quarter
		r.Weave.Sends[id][0].GainDB = 0
		r.Tracks[i].GainDB = 0
		r.Weave.Sends[stem] = []weave.Send{{To: "full"}}
		if stem != "DX" {
			r.Weave.Sends[stem] = append(r.Weave.Sends[stem], weave.Send{To: "me"})
		}
	}
	nulls := func() []mix.Null {
		p, err := mix.Compile(r, 48000, sources)
		require.NoError(t, err)
		out, err := p.Nulls(context.Background(), []string{"full", "me"}, audio.F64, 0, modelFrames)
		require.NoError(t, err)
		return out
	}
	got := nulls()
	assert.Zero(t, got[0].Peak)
	assert.Equal(t, []string{"DX", "MX", "FX"}, got[0].Members)
	assert.Zero(t, got[1].Peak)
	p, err := mix.Compile(r, 48000, sources)
	require.NoError(t, err)
	clipped, err := p.Nulls(context.Background(), []string{"full"}, audio.S24, 0, modelFrames)
	require.NoError(t, err)
	assert.Greater(t, clipped[0].Peak, 0.1, "the sum goes beyond full scale, and is held there when it is written")
	for i := range r.Tracks {
		r.Weave.Sends[r.Tracks[i].ID][0].GainDB = -17.3
	}
	p, err = mix.Compile(r, 48000, sources)
	require.NoError(t, err)
	rounded, err := p.Nulls(context.Background(), []string{"full", "me"}, audio.S24, 0, modelFrames)
	require.NoError(t, err)
	assert.Less(t, rounded[0].Peak, 2.0/(1<<23), "three stems and their mix, half a step each")
	assert.Less(t, rounded[1].Peak, 1.5001/(1<<23))
	// A level of the mix that moves is a part of it.
	r.Weave.Levels = map[string]weave.Level{"full": {Gain: automation.Curve{{At: 0, Value: -20}, {At: modelFrames, Value: 0}}}}
	assert.Less(t, nulls()[0].Peak, 1e-12)
	r.Weave.Levels = nil
	// A track of the mix alone is said.
	r.Weave.Sends["t0"] = append(r.Weave.Sends["t0"], weave.Send{To: "full", Patch: weave.Patch{Preset: weave.Both}})
	assert.Equal(t, 1, nulls()[0].Tracks)
	_, err = p.Nulls(context.Background(), []string{"t0"}, audio.S24, 0, 1)
	assert.Error(t, err)
}
