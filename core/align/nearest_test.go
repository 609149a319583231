package align_test

import (
	"context"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/align"
)

// Of microphones at different distances the one is found that hears what the recording does at the same
// moment, inverted or not, drifting or not.
func TestNearest(t *testing.T) {
	const low = 24000
	scene := voice(11, low, 30)
	late := func(n int) []float64 { return append(make([]float64, n), scene[:len(scene)-n]...) }
	var ref []align.Sound
	for i, n := range []int{70, 0, 150} {
		ref = append(ref, memory{low, noisy(room(late(n), uint64(i), low), uint64(i), 0.02)})
	}
	for want, n := range []int{70, 0, 150} {
		file := sampled(noisy(room(late(n), 9, low), 9, 0.02), 3*low+17, 1/(1+60e-6), 20*low)
		a := align.Alignment{Rate: low, Offset: 3*low + 17, Drift: 60, Polarity: -1}
		// A channel with nothing but noise on it agrees with nothing, however faint the recording is beside its own.
		silent := append([]align.Sound{memory{low, noisy(make([]float64, 30*low), 77, 0.001)}}, ref...)
		faint := noisy(room(late(150), 8, low), 8, 0.15)[2*low : 25*low]
		which, err := align.Nearest(context.Background(), align.Alignment{Rate: low, Offset: 2 * low, Polarity: 1}, silent, memory{low, faint})
		require.NoError(t, err)
		assert.Equal(t, 3, which)
		got, err := align.Nearest(context.Background(), a, ref, memory{low, times(file, -0.1)})
		require.NoError(t, err)
		assert.Equal(t, want, got)
	}
	// A channel with nothing but noise on it agrees with nothing, however faint the recording is beside its own.
	silent := append([]align.Sound{memory{low, noisy(make([]float64, 30*low), 77, 0.001)}}, ref...)
	faint := noisy(room(late(150), 8, low), 8, 0.15)[2*low : 25*low]
	which, err := align.Nearest(context.Background(), align.Alignment{Rate: low, Offset: 2 * low, Polarity: 1}, silent, memory{low, faint})
	require.NoError(t, err)
	assert.Equal(t, 3, which)
	got, err := align.Nearest(context.Background(), align.Alignment{Rate: low, Offset: 29.9 * low, Polarity: 1}, ref, memory{low, scene})
	require.NoError(t, err)
	assert.Zero(t, got, "too little in common to tell")
}
