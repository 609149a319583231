package monitor_test

import (
	"context"
	"io"
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/audio"
	"zestyloom/core/loudness"
	"zestyloom/core/monitor"
)

// What is heard is measured as it is heard: folded down, from where it was taken up. A sine of -23 dBFS on both sides reads as EBU
// Tech 3341 says, at any moment from which the windows are full; at another speed nothing is measured.
func TestLoudnessWhileHeard(t *testing.T) {
	x := sine(1000, audio.Gain(-23), 5*rate)
	src := recorded(t, x, x, sine(1000, 0.5, 5*rate))
	inputs := []monitor.Input{input(src[0], 0), input(src[1], 0), input(src[2], 0)}
	fold := [][2]float64{{1, 0}, {0, 1}, {0, 0}}
	open := func(speed float64, from int64) *monitor.Stream {
		s, err := monitor.Open(inputs, monitor.Order{Rate: rate, Speed: speed, From: from, Fold: fold})
		require.NoError(t, err)
		t.Cleanup(s.Close)
		return s
	}
	var last loudness.Readings
	for s, frames := open(1, 1000), 0; ; {
		b, err := s.Next(context.Background())
		if err == io.EOF {
			break
		}
		require.NoError(t, err)
		require.NotNil(t, b.Loudness)
		last = *b.Loudness
		frames += b.Sound.Frames()
		if frames < 4*rate/10 {
			assert.True(t, math.IsInf(last.Momentary, -1) && math.IsInf(last.Integrated, -1), "%d", frames)
		}
		if frames > rate/2+monitor.BlockFrames {
			assert.InDelta(t, -23, last.Momentary, 0.1)
		}
		assert.Equal(t, frames < 3*rate, math.IsInf(last.ShortTerm, -1), "%d", frames)
		assert.LessOrEqual(t, last.TruePeak, -22.9, "the third channel is not folded in")
	}
	assert.InDelta(t, -23, last.ShortTerm, 0.1)
	assert.InDelta(t, -23, last.Integrated, 0.1)
	assert.InDelta(t, -23, last.TruePeak, 0.1)
	b, err := open(2, 0).Next(context.Background())
	require.NoError(t, err)
	assert.Nil(t, b.Loudness)
	// Folded to both sides at full level, it is twice as much.
	fold = [][2]float64{{1, 1}, {1, 1}, {0, 0}}
	s := open(1, 0)
	for range 5 * rate / monitor.BlockFrames {
		b, err := s.Next(context.Background())
		require.NoError(t, err)
		last = *b.Loudness
	}
	assert.InDelta(t, -23+6.02, last.Integrated, 0.1)
}
