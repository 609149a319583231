package meter_test

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"

	"zestyloom/core/audio"
	"zestyloom/core/meter"
)

func tone(hz, amplitude float64, rate, frames int) []float64 {
	x := make([]float64, frames)
	for i := range x {
		x[i] = amplitude * math.Sin(2*math.Pi*hz*float64(i)/float64(rate))
	}
	return x
}

// The readings of tone bursts, the steady reading and the fall-back of IEC 60268-10, type IIa, at any
// rate.
func TestProgrammeMeter(t *testing.T) {
	for _, rate := range []int{44100, 48000, 96000} {
		for _, c := range []struct{ ms, want, tolerance float64 }{{100, 0, 0.5}, {10, -2, 0.5}, {5, -4, 0.75}, {1.5, -9, 1}, {0.5, -17, 2}} {
			p := meter.NewProgramme(rate)
			got := audio.Decibels(p.Add(append(tone(5000, 0.5, rate, int(c.ms*float64(rate)/1000)), make([]float64, rate/100)...))) - audio.Decibels(0.5)
			assert.InDelta(t, c.want, got, c.tolerance, "a burst of %g ms at %d Hz", c.ms, rate)
		}
		for _, hz := range []float64{100, 1000, 5000} {
			p := meter.NewProgramme(rate)
			p.Add(tone(hz, 0.25, rate, rate))
			assert.InDelta(t, 0, audio.Decibels(p.Add(tone(hz, 0.25, rate, rate))/0.25), 0.3, "a steady tone of %g Hz at %d Hz", hz, rate)
		}
		p := meter.NewProgramme(rate)
		before := p.Add(tone(1000, 1, rate, rate))
		p.Add(make([]float64, rate*28/10))
		assert.InDelta(t, -24, audio.Decibels(p.Add(make([]float64, 1))/before), 0.3, "the fall-back at %d Hz", rate)
	}
	assert.Zero(t, meter.NewProgramme(48000).Add(make([]float64, 10)))
}

// A tone near a fraction of the rate, at the phase whose samples miss its peaks, reads what any other does.
func TestTonesNearFractionsOfTheRate(t *testing.T) {
	for _, rate := range []int{32000, 44100, 48000, 96000, 192000} {
		for _, fraction := range []float64{3, 4, 5, 6, 8, 2.5, 4.0005, 3.0003, 6.001} {
			hz := float64(rate) / fraction
			if hz > 20000 || hz > 0.45*float64(rate) {
				continue
			}
			worst := 0.0
			for _, phase := range []float64{0, 0.25, 0.5} {
				x := make([]float64, rate)
				for i := range x {
					x[i] = 0.25 * math.Sin(2*math.Pi*float64(i)/fraction+math.Pi*(phase+1/fraction))
				}
				p := meter.NewProgramme(rate)
				p.Add(x[:rate/2])
				worst = math.Max(worst, math.Abs(audio.Decibels(p.Add(x[rate/2:])/0.25)))
			}
			assert.Less(t, worst, 0.35, "%g Hz at %d Hz", hz, rate)
		}
	}
}

func TestMarks(t *testing.T) {
	for db, mark := range map[float64]float64{-18: 4, -10: 6, -6: 7, -30: 1, -22: 3} {
		assert.Equal(t, mark, meter.Mark(db))
	}
}

// However the sound is cut up, the meters read the same.
func TestReadings(t *testing.T) {
	x := tone(997, 1, 48000, 4800)
	x[100], x[101] = -1, math.NaN()
	whole, parts := meter.NewChannel(48000), meter.NewChannel(48000)
	want := whole.Add(x)
	var got meter.Reading
	for from := 0; from < len(x); from += 700 {
		r := parts.Add(x[from:min(from+700, len(x))])
		got.Peak, got.PPM, got.Over = max(got.Peak, r.Peak), max(got.PPM, r.PPM), got.Over+r.Over
	}
	assert.Equal(t, want, got)
	assert.Equal(t, 1.0, want.Peak)
	assert.GreaterOrEqual(t, want.Over, 1)
	assert.Zero(t, meter.NewChannel(48000).Add(tone(997, 0.9999, 48000, 4800)).Over)
	s16 := []float64{32767.0 / 32768}
	assert.Equal(t, 1, meter.NewChannel(48000).Add(s16).Over, "the greatest value of 16 bits")
}
