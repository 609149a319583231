package meter_test

import (
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"

	"zestyloom/core/audio"
	"zestyloom/core/meter"
)

// banded is a sum of sines up to a part of the rate, faded in and out, so that it is known between its samples, too.
type banded struct{ hz, level, phase []float64 }

const bandedFrames = 2048

func randomBand(rng *rand.Rand, most float64) (b banded) {
	for range 1 + rng.IntN(24) {
		b.hz = append(b.hz, 2*math.Pi*rng.Float64()*most)
		b.level, b.phase = append(b.level, rng.Float64()), append(b.phase, 2*math.Pi*rng.Float64())
	}
	return b
}

func (b banded) at(t float64) float64 {
	v := 0.0
	for i, w := range b.hz {
		v += b.level[i] * math.Sin(w*t+b.phase[i])
	}
	// The window is so slow that it widens the band by next to nothing.
	return v * (1 - math.Cos(2*math.Pi*t/bandedFrames)) / 2
}

// reference is the greatest magnitude at 64 places a sample. It lies next to one of four places a sample that is not
// much lower.
func (b banded) reference() (most float64) {
	coarse := make([]float64, bandedFrames*4)
	for i := range coarse {
		coarse[i] = math.Abs(b.at(float64(i) / 4))
		most = max(most, coarse[i])
	}
	least := 0.8 * most
	for i, v := range coarse {
		if v > least {
			for k := -8; k <= 8; k++ {
				most = max(most, math.Abs(b.at(float64(i)/4+float64(k)/64)))
			}
		}
	}
	return most
}

func (b banded) samples() []float64 {
	x := make([]float64, bandedFrames)
	for i := range x {
		x[i] = b.at(float64(i))
	}
	return x
}

// Never more than 0.1 dB under and 0.05 dB over a reference of 64 places a sample, for sounds up to 0.45 of the rate,
// however they are cut up.
func TestTruePeak(t *testing.T) {
	rng := rand.New(rand.NewPCG(14, 1))
	signals := 1000
	if testing.Short() {
		signals = 100
	}
	under, over := 0.0, 0.0
	for i := range signals {
		b := randomBand(rng, 0.45-1.0/bandedFrames)
		if i%4 == 0 { // near the edge alone
			for k := range b.hz {
				b.hz[k] = 2 * math.Pi * (0.4 + 0.0495*rng.Float64())
			}
		}
		x := b.samples()
		p := meter.NewPeaks(48000)
		loudest := 0.0
		for from := 0; from < len(x); {
			to := min(len(x), from+1+rng.IntN(700))
			loudest = max(loudest, p.Add(x[from:to], math.Inf(1)))
			from = to
		}
		loudest = max(loudest, p.End(math.Inf(1)))
		assert.Equal(t, p.True, loudest)
		off := audio.Decibels(p.True / b.reference())
		under, over = min(under, off), max(over, off)
	}
	t.Logf("%d signals: %.4f dB under to %.4f dB over", signals, -under, over)
	assert.Greater(t, under, -0.1)
	assert.Less(t, over, 0.05)
}

// The peak of each stretch is exact where it is above the floor, also when louder ones have passed.
func TestTruePeakOfEachStretch(t *testing.T) {
	rng := rand.New(rand.NewPCG(14, 2))
	p := meter.NewPeaks(48000)
	for i := range 30 {
		b := randomBand(rng, 0.45)
		x := b.samples()
		got := max(p.Add(x, 0.1), p.Add(make([]float64, 64), 0.1))
		assert.InDelta(t, 0, audio.Decibels(got/b.reference()), 0.1, "stretch %d", i)
	}
}

// Signals of EBU Tech 3341, 15 to 19: sines whose samples miss their peaks.
func TestTruePeakOfSines(t *testing.T) {
	for _, rate := range []int{44100, 48000, 96000} {
		for _, c := range []struct{ part, degrees, level, want float64 }{{4, 45, 0.5, -6}, {6, 60, 0.5, -6}, {8, 67.5, 0.5, -6}, {4, 45, 1.41, 3}} {
			x := make([]float64, rate)
			for i := range x {
				fade := min(1, float64(i)/(0.05*float64(rate)), float64(len(x)-1-i)/(0.05*float64(rate)))
				x[i] = fade * c.level * math.Sin(2*math.Pi*float64(i)/c.part+c.degrees*math.Pi/180)
			}
			p := meter.NewPeaks(rate)
			p.Add(x, math.Inf(1))
			p.End(math.Inf(1))
			got := audio.Decibels(p.True)
			assert.True(t, got > c.want-0.4 && got < c.want+0.2, "a %gth of %d Hz: %.2f dBTP", c.part, rate, got)
		}
	}
}

// What is left out where it can't matter changes no reading: the programme meter of Peaks reads what one does that
// follows every value.
func TestPeaksReadAsTheProgrammeMeter(t *testing.T) {
	rng := rand.New(rand.NewPCG(14, 3))
	for _, rate := range []int{44100, 48000, 96000, 192000} {
		for range 10 {
			x := make([]float64, rate)
			level := 0.0
			for i := range x {
				if i%2000 == 0 {
					level = rng.Float64() * rng.Float64()
				}
				x[i] = level * math.Sin(float64(i)*0.37+math.Sin(float64(i)*0.011))
			}
			p, q := meter.NewPeaks(rate), meter.NewProgramme(rate)
			p.Add(x, math.Inf(1))
			assert.InDelta(t, audio.Decibels(q.Add(x)), audio.Decibels(p.Quasi), 0.05, "%d Hz", rate)
		}
	}
}

func TestPeaksOfWhatIsNoNumber(t *testing.T) {
	p := meter.NewPeaks(48000)
	x := make([]float64, 1000)
	x[100], x[200], x[300], x[400] = math.NaN(), math.Inf(1), math.Inf(-1), -0.5
	p.Add(x, math.Inf(1))
	assert.Equal(t, int64(3), p.Invalid)
	assert.Equal(t, 0.5, p.Sample)
	assert.InDelta(t, 0.5, p.True, 0.01)
	assert.Equal(t, int64(400), p.TrueAt)
}
