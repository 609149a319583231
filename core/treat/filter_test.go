package treat

import (
	"fmt"
	"math"
	"testing"
	"zestyloom/internal/testmedia"

	"github.com/stretchr/testify/assert"
)

// Whatever a band or a pass is set to, at any frequency up to 20 kHz it has the level of the analogue one.
func TestFiltersHaveTheAnaloguesShape(t *testing.T) {
	worst := map[string]float64{}
	at := map[string]string{}
	note := func(what, where string, off float64) {
		if math.Abs(off) > worst[what] {
			worst[what], at[what] = math.Abs(off), where
		}
	}
	var freqs []float64
	for f := 20.0; f < 20000; f *= 1 + float64(testmedia.Sized(15, 3))/100 {
		freqs = append(freqs, f)
	}
	freqs = append(freqs, 20000)
	for _, rate := range []int{44100, 48000, 96000} {
		for _, hz := range []float64{20, 50, 120, 400, 1000, 3000, 8000, 12000, 16000, 18000} {
			for _, q := range []float64{0.1, 0.3, 0.5, 0.7071, 1, 2, 5, 10, 20} {
				for _, db := range []float64{-24, -18, -12, -6, -1, 1, 6, 12, 18, 24} {
					for _, kind := range Kinds {
						if kind != Bell && q > 1 {
							continue
						}
						b := Band{kind, hz, db, q}
						s, ok := b.section(rate)
						assert.True(t, ok)
						assert.Less(t, s.slowest(), 1.0, "%+v at %d rings for ever", b, rate)
						a := b.analogue()
						for _, f := range freqs {
							off := 20 * math.Log10(s.at(2*math.Pi*f/float64(rate))/a.at(f/hz))
							note(fmt.Sprint(kind, " ", rate, " ", hz), fmt.Sprintf("%+v at %g Hz: %.3f", b, f, off), off)
						}
					}
				}
			}
		}
	}
	for k, v := range worst {
		assert.Less(t, v, 0.42, "%s: %s", k, at[k])
	}
}

// Passes have Butterworth's levels at any slope and frequency, down to 40 dB: within 0.15 dB of what they let through, a fortieth
// more of how far down the rest is. Those that move are within 0.25 dB between two rows of their table.
func TestPassesHaveButterworthsShape(t *testing.T) {
	worst := map[string]float64{}
	hold := func(what string, within float64, list []section, p Pass, high bool, rate int) {
		for f := 15.0; f < min(20000, 0.45*float64(rate)); f *= 1.1 {
			want := 20 * math.Log10(p.level(high, f/p.Hz))
			if want < -40 {
				continue
			}
			got := 0.0
			for _, s := range list {
				assert.Less(t, s.slowest(), 1.0)
				got += 20 * math.Log10(s.at(2*math.Pi*f/float64(rate)))
			}
			if want > -6 {
				worst[what] = max(worst[what], math.Abs(got-want))
			}
			if !assert.InDelta(t, want, got, within-want/40, "%s: high %v, %+v, %d: %g Hz", what, high, p, rate, f) {
				return
			}
		}
	}
	for _, rate := range []int{44100, 48000, 96000} {
		for _, slope := range Slopes {
			for hz := 20.0; hz < min(20000, 0.45*float64(rate)); hz *= math.Pow(2, 1.0/7) {
				for _, high := range []bool{true, false} {
					p, next := Pass{hz, slope}, Pass{hz * math.Pow(2, 1.0/passSteps), slope}
					list := p.sections(high, rate)
					hold("stands", 0.15, list, p, high, rate)
					for k, s := range next.sections(high, rate) {
						list[k] = between(list[k], s, 0.5)
					}
					hold("moves", 0.25, list, Pass{hz * math.Pow(2, 0.5/passSteps), slope}, high, rate)
				}
			}
		}
	}
	t.Log(worst)
}
