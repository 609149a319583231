package loudness_test

import (
	"math"
	"math/rand/v2"
	"sync"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/audio"
	"zestyloom/core/loudness"
	"zestyloom/internal/testmedia"
)

// limit runs a sound through a limiter in blocks of random lengths.
func limit(t *testing.T, l audio.Layout, rate int, ceiling float64, freeLFE bool, b audio.Block, rng *rand.Rand) (audio.Block, *loudness.Limiter) {
	m := loudness.NewLimiter(l, rate, ceiling, freeLFE)
	out := make(audio.Block, len(b))
	take := func(part audio.Block) {
		for c := range out {
			out[c] = append(out[c], part[c]...)
		}
	}
	for from := 0; from < b.Frames(); {
		to := min(b.Frames(), from+1+rng.IntN(5000))
		part := make(audio.Block, len(b))
		for c := range b {
			part[c] = b[c][from:to]
		}
		take(m.Add(part))
		from = to
	}
	take(m.End())
	require.Equal(t, b.Frames(), out.Frames())
	return out, m
}

// fineTaps is how many samples a value between two is made of, by a sinc under a raised cosine.
const fineTaps = 200

// fineTable has the factors of the samples around 63 places between two.
var fineTable = sync.OnceValue(func() (table [64][fineTaps]float64) {
	for p := 1; p < 64; p++ {
		for k := range fineTaps {
			t := float64(p)/64 - float64(k-fineTaps/2+1)
			table[p][k] = math.Sin(math.Pi*t) / (math.Pi * t) * (0.5 + 0.5*math.Cos(2*math.Pi*t/fineTaps))
		}
	}
	return table
})

// fine is the greatest magnitude of a sound at 64 places a sample, near what is loud in it.
func fine(x []float64) float64 {
	most := 0.0
	for _, v := range x {
		most = max(most, math.Abs(v))
	}
	peak := most
	table := fineTable()
	padded := make([]float64, len(x)+2*fineTaps)
	copy(padded[fineTaps:], x)
	for i := range x {
		near := math.Abs(x[i])
		if i+1 < len(x) {
			near = max(near, math.Abs(x[i+1]))
		}
		if near < 0.7*most {
			continue
		}
		around := padded[fineTaps+i-fineTaps/2+1:][:fineTaps]
		for p := 1; p < 64; p++ {
			sum := 0.0
			for k, f := range &table[p] {
				sum += around[k] * f
			}
			peak = max(peak, math.Abs(sum))
		}
	}
	return peak
}

// loudBand is a sound up to 0.4 of the rate with peaks well above full scale and quiet stretches between.
func loudBand(rng *rand.Rand, frames int) []float64 {
	x := make([]float64, frames)
	for range 6 + rng.IntN(10) {
		w, phase, level := 2*math.Pi*0.4*rng.Float64(), 2*math.Pi*rng.Float64(), 0.1+0.3*rng.Float64()
		for i := range x {
			x[i] += level * math.Sin(w*float64(i)+phase)
		}
	}
	bumps := 1 + rng.IntN(3)
	env := make([]float64, frames)
	for range bumps {
		at, width := rng.IntN(frames), 400+2000*rng.Float64()
		for i := range env {
			d := float64(i-at) / width
			env[i] += math.Exp(-d * d)
		}
	}
	for i := range x {
		x[i] *= 0.02 + env[i]
	}
	return x
}

// The ceiling holds between samples against a reference of 64 places, and what is out of the reach of every peak above
// it is untouched, bit for bit.
func TestLimiterHolds(t *testing.T) {
	rng := rand.New(rand.NewPCG(14, 20))
	over, limited, untouched := math.Inf(-1), 0, 0
	programmes := testmedia.Sized(30, 200)
	for i := range programmes {
		ceiling := -1 - 5*rng.Float64()
		b := audio.Block{loudBand(rng, 9000), loudBand(rng, 9000)}
		out, m := limit(t, layout(t, "stereo"), 48000, ceiling, false, b, rng)
		for c := range out {
			over = max(over, audio.Decibels(fine(out[c]))-ceiling)
		}
		loud := make([]bool, 9000)
		for c := range b {
			for k, v := range b[c] { // a sample that is 3 dB under can be next to a peak: it is left out
				if math.Abs(v) > 0.5*audio.Gain(ceiling) {
					for j := max(0, k-m.Reach()-2); j < min(len(loud), k+m.Reach()+3); j++ {
						loud[j] = true
					}
				}
			}
		}
		for c := range b {
			for k, v := range b[c] {
				if !loud[k] {
					untouched++
					if out[c][k] != v {
						t.Fatalf("programme %d: frame %d of channel %d was changed from %v to %v", i, k, c, v, out[c][k])
					}
				}
			}
		}
		if m.Touched > 0 {
			limited++
			assert.Less(t, m.Deepest, 0.0)
		}
	}
	t.Logf("%d of %d limited, at most %.4f dB over; %d samples out of reach untouched", limited, programmes, over, untouched)
	assert.Greater(t, limited, programmes*3/4)
	assert.Greater(t, untouched, 50*programmes)
	assert.Less(t, over, 0.05)
}

// One gain for all channels, however the sound is cut up; the LFE apart where it is asked for.
func TestLimiterIsLinked(t *testing.T) {
	rng := rand.New(rand.NewPCG(14, 21))
	b := audio.NewBlock(6, 20000)
	for c := range b {
		for i := range b[c] {
			b[c][i] = 0.1
		}
	}
	for i := 9000; i < 11000; i++ {
		b[0][i] = 0.9 * math.Sin(float64(i)*0.3)
	}
	b[3][15000] = 0.99 // the LFE
	l := layout(t, "5.1")
	out, _ := limit(t, l, 48000, -6, false, b, rng)
	again, _ := limit(t, l, 48000, -6, false, b, rng)
	assert.Equal(t, out, again)
	assert.Less(t, out[5][10000], 0.1)
	assert.Equal(t, out[5], out[2])
	assert.Less(t, out[5][15000], 0.1, "the LFE is linked")
	out, _ = limit(t, l, 48000, -6, true, b, rng)
	assert.Equal(t, 0.1, out[5][15000])
	assert.Equal(t, b[3], out[3], "the LFE is free")

	out, m := limit(t, l, 48000, -1, true, audio.NewBlock(6, 100), rng)
	assert.Equal(t, audio.NewBlock(6, 100), out)
	assert.Zero(t, m.Touched)
}

// What limiting does to a sine: its harmonics, for a tone 6 dB over the ceiling.
func TestLimitedSine(t *testing.T) {
	rng := rand.New(rand.NewPCG(14, 22))
	for _, hz := range []float64{50, 100, 1000, 10000} {
		x := make([]float64, 48000)
		for i := range x {
			x[i] = math.Sin(2 * math.Pi * hz * float64(i) / 48000)
		}
		out, _ := limit(t, layout(t, "mono"), 48000, -6, false, audio.Block{x}, rng)
		// A steady part of whole periods: what is not the tone itself is distortion.
		part := out[0][9600:38400]
		re, im, all := 0.0, 0.0, 0.0
		for i, v := range part {
			w := 2 * math.Pi * hz * float64(i) / 48000
			re, im, all = re+v*math.Cos(w), im+v*math.Sin(w), all+v*v
		}
		n := float64(len(part))
		tone := (re*re + im*im) * 2 / n
		thd := 10 * math.Log10(max(1e-15, (all-tone)/all))
		t.Logf("%g Hz: distortion %.1f dB", hz, thd)
		assert.Less(t, thd, -60.0, "%g Hz", hz)
	}
}
