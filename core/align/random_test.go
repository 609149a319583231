package align_test

import (
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/align"
	"zestyloom/internal/testmedia"
)

// Clocks that drift while the overlap is too short to tell by how much: the first sample is where it is
// all the same.
func TestDriftInAShortOverlap(t *testing.T) {
	const low = 12000
	scene := voice(8, low, 60)
	for _, seconds := range testmedia.Some([]float64{10, 25, 40}, 1) {
		for _, ppm := range []float64{-90, 70} {
			at := 11.3 * low
			file := sampled(scene, at, 1/(1+ppm*1e-6), int(seconds*low))
			a := lineUp(t, memory{low, scene}, memory{low, file})
			require.Equal(t, align.Certain, a.Certainty, a.Reason)
			assert.False(t, a.DriftKnown)
			assert.InDelta(t, at, a.Offset, 1, "%g s at %g ppm", seconds, ppm)
			a = lineUp(t, memory{low, scene}, memory{low, noisy(room(file, 9, low), 6, 0.03)})
			if a.Certainty == align.Certain {
				assert.InDelta(t, at, a.Offset, 1e-3*low, "%g s at %g ppm in a room", seconds, ppm)
			}
		}
	}
}

// Anything at once: other microphones in other places, noise on both as loud as what is heard or less,
// 80 dB of levels, a camera's band, other rates, either polarity, drift, any start. Most are found, and
// what is called certain is right.
func TestAnythingAtOnce(t *testing.T) {
	const low = 8000
	certain := 0
	pairs := testmedia.Sized(8, 40)
	for seed := range uint64(pairs) {
		rng := rand.New(rand.NewPCG(seed, 99))
		long := 25 + rng.Float64()*40
		scene := voice(seed+5000, low, long+20)
		ppm := 0.0
		if seed%2 == 0 {
			ppm = rng.Float64()*200 - 100
		}
		own := []int{low, low, low, 11025, 6000}[rng.IntN(5)]
		at := rng.Float64() * 15 * low
		heard := room(scene, seed*2, low)
		if seed%3 == 0 {
			heard = banded(heard, low)
		}
		file := sampled(heard, at, low/float64(own)/(1+ppm*1e-6), int((12+rng.Float64()*(long-14))*float64(own)))
		noise := func(x []float64, seed uint64) []float64 {
			return noisy(level(x, 0.1), seed, 0.1*math.Pow(10, -rng.Float64()*20/20))
		}
		file, ref := noise(file, seed+7), noise(room(scene, seed*2+1, low), seed+8)
		polarity := 1 - 2*rng.IntN(2)
		file = times(file, float64(polarity)*math.Pow(10, -rng.Float64()*2))
		a := lineUp(t, memory{low, times(ref, math.Pow(10, -rng.Float64()*2))}, memory{own, file})
		if a.Certainty != align.Certain {
			continue
		}
		certain++
		assert.InDelta(t, at, a.Offset, 1e-3*low, "pair %d: %+v", seed, a)
		assert.Equal(t, polarity, a.Polarity, "pair %d", seed)
		assert.False(t, a.DriftKnown && math.Abs(a.Drift-ppm) > 1, "pair %d ran %g ppm fast: %+v", seed, ppm, a)
	}
	assert.Greater(t, certain, pairs*3/4)
	t.Logf("%d of %d certain", certain, pairs)
}
