package treat

import (
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"gonum.org/v1/gonum/dsp/fourier"

	"zestyloom/core/automation"
)

func tone(hz, level float64, n int) []float64 {
	x := make([]float64, n)
	for i := range x {
		x[i] = level * math.Sin(2*math.Pi*hz/48000*float64(i))
	}
	return x
}

var everything = Chain{
	HighPass: Pass{80, 18}, LowPass: Pass{9000, 12},
	Bands:    [Bands]Band{{Bell, 1000, 0, 1}, {HighShelf, 5000, 3, 0.7071}, {LowShelf, 200, -2, 0.7071}},
	DeEsser:  DeEsser{Hz: 6000, Threshold: -30, Ratio: 4, Range: 12, Attack: 1, Release: 20},
	Expander: Expander{Threshold: -60, Ratio: 2, Range: 12, Attack: 1, Release: 20}, Compressor: Compressor{Threshold: -20, Ratio: 3, Knee: 6, Attack: 3, Release: 40, Makeup: 3},
}

func ramp(from, to float64, n int64) automation.Curve {
	return automation.Curve{{At: 0, Value: from}, {At: n, Value: to}}
}

// What stands where it is drawn is what the chain of that figure is.
func TestWhatIsDrawnLevelIsAsItWasTyped(t *testing.T) {
	const n = 60_000
	rng := rand.New(rand.NewPCG(1, 2))
	x := make([]float64, n)
	for i := range x {
		x[i] = rng.Float64() - 0.5
	}
	for key, at := range map[string]float64{"high_pass": 160, "low_pass": 4000, "band_1": 7, "band_2": -5, "band_3": 0, "de_esser": -44, "expander": -20, "compressor": -33} {
		c := everything
		switch key {
		case "high_pass":
			c.HighPass.Hz = at
		case "low_pass":
			c.LowPass.Hz = at
		case "band_1":
			c.Bands[0].DB = at
		case "band_2":
			c.Bands[1].DB = at
		case "band_3":
			c.Bands[2].DB = at
		case "de_esser":
			c.DeEsser.Threshold = at
		case "expander":
			c.Expander.Threshold = at
		case "compressor":
			c.Compressor.Threshold = at
		}
		want, got := append([]float64{}, x...), append([]float64{}, x...)
		NewProcessor(c, 1, 48000).Apply([][]float64{want}, 0)
		NewMoving(everything, Moves{key: {{Value: at}}}, 1, 48000).Apply([][]float64{got}, 0)
		off := 0.0
		for i := range want {
			off = max(off, math.Abs(want[i]-got[i]))
		}
		// Frequencies lie between two rows a twelfth of an octave apart; gains of whole decibels on one.
		assert.Less(t, off, map[bool]float64{true: 0.01, false: 1e-9}[key == "high_pass" || key == "low_pass"], key)
	}
}

// Between its rows a filter that moves has the level of one that stands, within a quarter of a decibel; a steep pass is off by more far
// down, where those that stand are off as well.
func TestBetweenRows(t *testing.T) {
	level := func(s []section, hz float64) float64 {
		v := 1.0
		for _, f := range s {
			v *= f.at(2 * math.Pi * hz / 48000)
		}
		return 20 * math.Log10(v)
	}
	worst := 0.0
	for _, kind := range Kinds {
		for _, hz := range []float64{60, 1000, 9000} {
			for _, q := range []float64{0.5, 0.7071, 4} {
				for db := -11.7; db < 12; db += 1.3 {
					b := Band{kind, hz, db, q}
					s, _ := b.section(48000)
					g := b.glide(automation.Curve{{Value: db}}, 48000)
					for f := 25.0; f < 20000; f *= 1.2 {
						worst = max(worst, math.Abs(level([]section{s}, f)-level([]section{g.at(0)}, f)))
					}
				}
			}
		}
	}
	t.Logf("bands: %.4f dB off at the most", worst)
	assert.Less(t, worst, 0.25)
	worst = 0
	for _, high := range []bool{true, false} {
		for _, slope := range Slopes {
			for _, hz := range []float64{33, 450, 7777} {
				p := Pass{hz, slope}
				var at []section
				for _, g := range p.glides(automation.Curve{{Value: hz}}, high, 48000) {
					at = append(at, g.at(0))
				}
				s := p.sections(high, 48000)
				for f := 25.0; f < 20000; f *= 1.2 {
					if want := level(s, f); want > -12 {
						worst = max(worst, math.Abs(want-level(at, f)))
					}
				}
			}
		}
	}
	t.Logf("passes: %.4f dB off at the most, where they let more than -12 dB through", worst)
	assert.Less(t, worst, 0.3)
}

// What moves is a function of the place, whatever was heard before and however it is cut.
func TestMovingChainsAreFunctionsOfThePlace(t *testing.T) {
	const n = 300_000
	rng := rand.New(rand.NewPCG(3, 4))
	x := [][]float64{make([]float64, n), make([]float64, n)}
	for i := range x[0] {
		x[0][i], x[1][i] = rng.Float64()-0.5, 0.1*(rng.Float64()-0.5)
	}
	moves := Moves{
		"high_pass": ramp(40, 900, n), "low_pass": ramp(20000, 700, n), "band_1": {{At: 1000, Value: -24, Shape: automation.Smooth}, {At: 40_000, Value: 24}, {At: 200_000, Value: -3, Shape: automation.Hold}, {At: 250_000, Value: 9}},
		"compressor": ramp(-10, -50, n), "expander": ramp(-70, -20, n), "de_esser": ramp(-20, -60, n),
	}
	require.NoError(t, moves.Check())
	whole := [][]float64{append([]float64{}, x[0]...), append([]float64{}, x[1]...)}
	NewMoving(everything, moves, 2, 48000).Apply(whole, 0)
	for range 8 {
		p := NewMoving(everything, moves, 2, 48000)
		from := rng.Int64N(n - 1000)
		for at := p.Reach(from); at < n; {
			k := min(1+rng.Int64N(7000), n-at)
			part := [][]float64{append([]float64{}, x[0][at:at+k]...), append([]float64{}, x[1][at:at+k]...)}
			p.Apply(part, at)
			for c := range part {
				for i, v := range part[c] {
					if at+int64(i) >= from && v != whole[c][at+int64(i)] {
						require.Fail(t, "another sample", "channel %d at %d: %v, not %v, from %d", c, at+int64(i), v, whole[c][at+int64(i)], from)
					}
				}
			}
			at += k
		}
	}
	most := NewMoving(everything, moves, 2, 48000).Most()
	for _, ch := range whole {
		for i, v := range ch {
			require.LessOrEqual(t, math.Abs(v), 0.5*most, "at %d", i)
		}
	}
}

// A moving bell makes no steps: a sine through one that goes from -12 to +12 dB in two seconds has nothing above -90 dB away from
// its own frequency.
func TestMovingFiltersMakeNoSteps(t *testing.T) {
	const n = 1 << 17
	for key, chain := range map[string]Chain{
		"band_1":    {Bands: [Bands]Band{{Bell, 1000, 0, 1}}},
		"high_pass": {HighPass: Pass{100, 12}},
	} {
		curve := ramp(-12, 12, 96_000)
		if key == "high_pass" {
			curve = ramp(100, 400, 96_000)
		}
		x := tone(997, 1, n)
		NewMoving(chain, Moves{key: curve}, 1, 48000).Apply([][]float64{x}, 0)
		for i := range x { // Blackman-Harris
			w := 2 * math.Pi * float64(i) / n
			x[i] *= 0.35875 - 0.48829*math.Cos(w) + 0.14128*math.Cos(2*w) - 0.01168*math.Cos(3*w)
		}
		c := fourier.NewFFT(n).Coefficients(nil, x)
		peak, beside := 0.0, 0.0
		for k, v := range c {
			hz, a := float64(k)*48000/n, math.Hypot(real(v), imag(v))
			if math.Abs(hz-997) < 60 {
				peak = max(peak, a)
			} else if hz > 20 {
				beside = max(beside, a)
			}
		}
		off := 20 * math.Log10(beside/peak)
		t.Logf("%s: %.1f dB beside it", key, off)
		assert.Less(t, off, -90.0, key)
	}
}

func TestMovesAreChecked(t *testing.T) {
	for name, m := range map[string]Moves{"no such": {"gain": ramp(0, 1, 9)}, "too far": {"band_1": ramp(0, 25, 9)}, "too low": {"high_pass": ramp(1, 90, 9)}, "out of order": {"band_2": {{At: 5}, {At: 5}}}} {
		assert.Error(t, m.Check(), name)
	}
	m := Moves{"band_1": ramp(0, 3, 9), "band_4": ramp(0, 3, 9), "compressor": nil}
	assert.Len(t, m.Of(everything), 1, "there is no fourth band")
	off := everything
	off.Off = true
	assert.Nil(t, m.Of(off))
	assert.True(t, m.Equal(Moves{"band_1": ramp(0, 3, 9), "band_4": ramp(0, 3, 9), "compressor": {}}))
	assert.False(t, m.Equal(Moves{"band_1": ramp(0, 3, 9)}))
	assert.Len(t, m.Curves(func(c automation.Curve) automation.Curve { return c }), 2)
}
