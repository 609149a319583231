package loudness_test

import (
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"gonum.org/v1/gonum/dsp/fourier"

	"zestyloom/core/audio"
	"zestyloom/core/loudness"
	"zestyloom/core/meter"
	"zestyloom/internal/testmedia"
)

// ideal is the greatest magnitude of a sound that begins and ends in silence, at 16 places a sample of its whole spectrum: what no
// filter of a length can show.
func ideal(x []float64) (most float64) {
	const places = 16
	n := 1
	for n < 2*len(x) {
		n *= 2
	}
	coarse := make([]complex128, n)
	for i, v := range x {
		coarse[i] = complex(v, 0)
	}
	spectrum := fourier.NewCmplxFFT(n).Coefficients(nil, coarse)
	wide := make([]complex128, places*n)
	copy(wide, spectrum[:n/2])
	copy(wide[len(wide)-n/2+1:], spectrum[n/2+1:])
	for _, v := range fourier.NewCmplxFFT(len(wide)).Sequence(nil, wide) {
		most = max(most, math.Abs(real(v))/float64(n))
	}
	return most
}

// fourPhases is the greatest magnitude by the filter of ITU-R BS.1770-5, annex 2: its 48 coefficients, phase by phase.
func fourPhases(x []float64) (most float64) {
	h := [12][4]float64{
		{0.0017089843750, -0.0291748046875, -0.0189208984375, -0.0083007812500},
		{0.0109863281250, 0.0292968750000, 0.0330810546875, 0.0148925781250},
		{-0.0196533203125, -0.0517578125000, -0.0582275390625, -0.0266113281250},
		{0.0332031250000, 0.0891113281250, 0.1015625000000, 0.0476074218750},
		{-0.0594482421875, -0.1665039062500, -0.2003173828125, -0.1022949218750},
		{0.1373291015625, 0.4650878906250, 0.7797851562500, 0.9721679687500},
		{0.9721679687500, 0.7797851562500, 0.4650878906250, 0.1373291015625},
		{-0.1022949218750, -0.2003173828125, -0.1665039062500, -0.0594482421875},
		{0.0476074218750, 0.1015625000000, 0.0891113281250, 0.0332031250000},
		{-0.0266113281250, -0.0582275390625, -0.0517578125000, -0.0196533203125},
		{0.0148925781250, 0.0330810546875, 0.0292968750000, 0.0109863281250},
		{-0.0083007812500, -0.0189208984375, -0.0291748046875, 0.0017089843750},
	}
	for i := range len(x) + 11 {
		for p := range 4 {
			sum := 0.0
			for k := range 12 {
				if at := i - k; at >= 0 && at < len(x) {
					sum += h[k][p] * x[at]
				}
			}
			most = max(most, math.Abs(sum))
		}
	}
	return most
}

// edges are sounds that have much near half the rate, faded in and out over a tenth.
func edges(rng *rand.Rand, kind, frames int) []float64 {
	x := make([]float64, frames)
	switch {
	case kind == 0: // noise up to the very half of the rate
		for i := range x {
			x[i] = 0.6 * rng.NormFloat64()
		}
	default: // tones in a band below a part of it
		top := []float64{0, 0.46, 0.475, 0.49, 0.495}[kind]
		for range 12 {
			w, phase := 2*math.Pi*(top-0.02*rng.Float64()), 2*math.Pi*rng.Float64()
			for i := range x {
				x[i] += 0.3 * math.Sin(w*float64(i)+phase)
			}
		}
	}
	for i := range x {
		at := min(1, float64(min(i, frames-1-i))/float64(frames/10))
		x[i] *= math.Sin(math.Pi/2*at) * math.Sin(math.Pi/2*at)
	}
	return x
}

// Whatever a sound has near half the rate, both limiters hold it: for the standard's own filter, for the meter of the
// measurements, and for all of its spectrum up to 0.495 of the rate.
func TestCeilingsHoldUpToTheEdge(t *testing.T) {
	rng := rand.New(rand.NewPCG(29, 26))
	names := []string{"noise", "below 0.46", "below 0.475", "below 0.49", "below 0.495"}
	mono := layout(t, "mono")
	for kind, name := range names {
		over := map[string]float64{}
		for range testmedia.Sized(1, 4) {
			x := edges(rng, kind, 16000)
			ceiling := -1 - 5*rng.Float64()
			limited, m := limit(t, mono, 48000, ceiling, false, audio.Block{x}, rng)
			require.NotZero(t, m.Touched)
			c := loudness.NewCeiling(mono, 48000, ceiling, false)
			s := c.Stretch(0)
			s.Add(audio.Block{x})
			s.End()
			curve, err := c.Curve()
			require.NoError(t, err)
			drawn := make([]float64, len(x))
			for i, v := range x {
				drawn[i] = v * audio.Gain(curve.Value(int64(i)))
			}
			for way, y := range map[string][]float64{"limited": limited[0], "drawn": drawn} {
				p := meter.NewPeaks(48000)
				p.Add(y, math.Inf(1))
				p.End(math.Inf(1))
				for reader, peak := range map[string]float64{"four phases": fourPhases(y), "meter": p.True, "ideal": ideal(y)} {
					k := way + ", " + reader
					if _, there := over[k]; !there {
						over[k] = math.Inf(-1)
					}
					over[k] = max(over[k], audio.Decibels(peak)-ceiling)
				}
			}
		}
		t.Log(name, over)
		for reader, v := range over {
			most := 0.01
			if reader == "limited, ideal" || reader == "drawn, ideal" {
				most = 0.02
				if kind == 0 {
					most = 0.3
				}
			}
			assert.Less(t, v, most, "%s: %s", name, reader)
		}
	}
}
