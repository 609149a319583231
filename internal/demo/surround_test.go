package demo_test

import (
	"context"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/loudness"
	"zestyloom/core/weave"
	"zestyloom/internal/app"
	"zestyloom/internal/store"
)

// The demonstration's fourth reel is in 5.1 and stereo, with sounds at places of which some move; its mix is louder than
// many allow, and its mixes are the sums of what they are made of.
func surround(t *testing.T, a *app.App, r store.Reel) {
	assert.Equal(t, "Reel 1 in 5.1", r.Name)
	assert.Len(t, r.Doc.Weave.Outputs, 8)
	placed, moving := 0, 0
	for _, sends := range r.Doc.Weave.Sends {
		for _, s := range sends {
			if s.Patch.Preset == weave.Placed {
				placed++
				if s.Patch.Moves() {
					moving++
				}
			}
		}
	}
	assert.Equal(t, []int{4, 1}, []int{placed, moving})
	var m app.Measurement
	for m.Total == 0 || m.Done < m.Total {
		var err error
		m, err = a.Measure(context.Background(), r.ID)
		require.NoError(t, err)
	}
	for _, b := range m.Of {
		if b.Name == "Full mix 5.1" {
			assert.Greater(t, b.Result.Integrated, -20.0)
			// In three ways: half a minute of music, a burst, and a peak between samples.
			breaks := loudness.Known()["r128-short"].Breaks(b.Powers, b.Peaks)
			long, burst, peak := 0, 0, 0
			for _, k := range breaks {
				switch seconds := float64(k.To-k.From) / loudness.PowersPerSecond; {
				case k.What == "true peak":
					peak++
				case seconds > 15:
					long++
				case seconds < 7 && k.From > 500: // the hatch, 54 s after the reel's start
					burst++
				}
			}
			assert.Equal(t, []int{1, 1, 1}, []int{long, burst, peak}, "%v", breaks)
			assert.Less(t, b.Result.Channels[2].SamplePeak, -1.0, "no sample is too high")
		}
	}
	nulls, _, err := a.Nulls(context.Background(), r.ID, nil, nil)
	require.NoError(t, err)
	require.Len(t, nulls, 2)
	for _, n := range nulls {
		assert.Less(t, n.Peak*(1<<23), 2.5, "steps of 24 bits")
	}
}
