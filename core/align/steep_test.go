package align_test

import (
	"math"
	"math/rand/v2"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/align"
	"zestyloom/internal/testmedia"
)

// steep is a Butterworth high-pass or low-pass of an even order, by bilinear sections of second order.
func steep(x []float64, high bool, order int, hz float64, rate int) []float64 {
	x = append([]float64(nil), x...)
	w := math.Tan(math.Pi * hz / float64(rate))
	for k := range order / 2 {
		damp := 2 * math.Cos(math.Pi*(float64(2*k+1)/float64(2*order)))
		a0 := 1 + damp*w + w*w
		b0, b1 := w*w/a0, 2*w*w/a0
		if high {
			b0, b1 = 1/a0, -2/a0
		}
		a1, a2 := 2*(w*w-1)/a0, (1-damp*w+w*w)/a0
		z1, z2 := 0.0, 0.0
		for i, v := range x {
			y := b0*v + z1
			z1 = b1*v - a1*y + z2
			z2 = b0*v - a2*y
			x[i] = y
		}
	}
	return x
}

// reverberant is what is heard of a sound where its direct way is barred: decaying noise.
func reverberant(x []float64, seed uint64, rate int, decay float64) []float64 {
	rng := rand.New(rand.NewPCG(seed, 17))
	out := make([]float64, len(x))
	for range 400 {
		after := decay * rng.ExpFloat64()
		delay := int((0.001 + after) * float64(rate))
		gain := math.Copysign(math.Exp(-after/decay), rng.Float64()-0.5)
		for i := delay; i < len(x); i++ {
			out[i] += gain * x[i-delay]
		}
	}
	return level(out, 0.1)
}

// What turns the phase does not move the place: a telephone's band, steep passes. What is found is within two milliseconds, which
// the filters themselves delay it by; a room without its direct sound is found where its reverberation is. All used to be thrown
// away, or to lie at zero.
func TestSteepFilters(t *testing.T) {
	scene := voice(21, rate, 60)
	n := 30 * rate
	at := 17*rate + 14400
	for name, file := range testmedia.SomeOf(map[string][]float64{
		"band of a telephone":      steep(steep(scene, true, 8, 300, rate), false, 8, 3400, rate),
		"low-pass 24 dB":           steep(scene, false, 4, 1000, rate),
		"high-pass 24 dB":          steep(scene, true, 4, 1000, rate),
		"low-pass 48 dB":           steep(scene, false, 8, 2000, rate),
		"a quarter turn, inverted": times(steep(steep(scene, true, 2, 400, rate), false, 6, 3000, rate), -1),
		"reverberation alone":      reverberant(scene, 1, rate, 0.05),
		"a longer reverberation":   reverberant(scene, 2, rate, 0.2),
	}, 2) {
		t.Run(name, func(t *testing.T) {
			a := lineUp(t, memory{rate, scene}, memory{rate, file[at : at+n]})
			t.Logf("%+v", a)
			require.Equal(t, align.Certain, a.Certainty, a.Reason)
			within := 2e-3
			if strings.Contains(name, "reverberation") {
				within = 0.05
			}
			require.InDelta(t, at, a.Offset, within*rate)
		})
	}
}

// Clocks that are half a thousandth apart are found, whichever is the faster.
func TestFarDrift(t *testing.T) {
	const low = 8000
	scene := voice(2, low, 340)
	for _, ppm := range testmedia.Some([]float64{-500, -250, 250, 500}, 0) {
		n := int(300 * low * (1 + ppm*1e-6))
		at := 20.25 * low
		a := lineUp(t, memory{low, scene}, memory{low, sampled(scene, at, 1/(1+ppm*1e-6), n)})
		require.Equal(t, align.Certain, a.Certainty, a.Reason)
		require.True(t, a.DriftKnown)
		assert.InDelta(t, ppm, a.Drift, 1)
		assert.InDelta(t, at, a.Offset, 1)
		assert.InDelta(t, at-300*low*ppm*1e-6, a.End, 2)
	}
}
