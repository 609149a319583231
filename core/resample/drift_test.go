package resample_test

import (
	"math"
	"runtime"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/resample"
)

// A recorder that ran fast wrote a sine too low in pitch for its count of samples; corrected, the sine is
// where it was, an hour on as at the beginning.
func TestDriftIsCorrected(t *testing.T) {
	for _, c := range []struct {
		from, to int
		ppm      float64
	}{{48000, 48000, 45}, {48000, 48000, -100}, {44100, 48000, 12.34}, {96000, 48000, 0.01}} {
		conv, err := resample.NewDrift(c.from, c.to, c.ppm)
		require.NoError(t, err)
		own := float64(c.from) * (1 + c.ppm*1e-6) // samples a true second
		for _, at := range []int64{-5, 0, 777, int64(c.to) * 3600, int64(c.to)*36000 + 13} {
			const n = 4000
			lo, hi := conv.Needs(at, n)
			in := make([]float64, hi-lo)
			for i := range in {
				in[i] = math.Sin(2 * math.Pi * 997 * math.Mod(float64(lo+int64(i))/own, 1))
			}
			out := make([]float64, n)
			conv.Convert(out, in, at)
			a, phase, rest := amplitude(out, 997, c.to, at%int64(c.to))
			assert.InDelta(t, 0, db(a), 0.001)
			assert.InDelta(t, 0, phase, 2e-5, "%g ppm at %d", c.ppm, at)
			assert.Less(t, db(rest*math.Sqrt2), -110.0)
		}
		assert.InDelta(t, float64(c.to)*3600/(1+c.ppm*1e-6), float64(conv.Frames(int64(c.from)*3600)), 1)
	}
	for _, bad := range []float64{1001, -1001, math.NaN(), math.Inf(1)} {
		_, err := resample.NewDrift(48000, 48000, bad)
		assert.ErrorContains(t, err, "can't be corrected")
	}
	_, err := resample.NewDrift(1, 48000, 45)
	assert.ErrorContains(t, err, "can't be converted")
}

// Whatever the drift, conversions between two rates share one table while one of them is in use, and it is let go after.
func TestTablesAreShared(t *testing.T) {
	a, err := resample.NewDrift(48000, 48000, 12.34)
	require.NoError(t, err)
	b, err := resample.NewDrift(48000, 48000, -700)
	require.NoError(t, err)
	other, err := resample.NewDrift(96000, 48000, 12.34)
	require.NoError(t, err)
	assert.Same(t, resample.Table(a), resample.Table(b))
	assert.NotSame(t, resample.Table(a), resample.Table(other))
	before := resample.Held()
	runtime.KeepAlive(a)
	runtime.KeepAlive(b)
	runtime.KeepAlive(other)
	a, b, other = nil, nil, nil
	assert.Eventually(t, func() bool { runtime.GC(); return resample.Held() <= before-2 }, 10*time.Second, time.Millisecond)
}
