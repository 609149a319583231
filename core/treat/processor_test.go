package treat

import (
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

const rate = 48000

// full has one of everything.
var full = Chain{
	HighPass: Pass{80, 18}, LowPass: Pass{14000, 12},
	Bands:      [Bands]Band{{Bell, 300, -4, 1.4}, {Bell, 3000, 3, 2}, {LowShelf, 120, 2, 0.7071}, {HighShelf, 8000, -3, 0.7071}, {Bell, 900, 6, 8}, {Bell, 12000, -2, 1}},
	DeEsser:    DeEsser{6000, -30, 4, 12, 1, 60},
	Expander:   Expander{-50, 3, 20, 2, 80},
	Compressor: Compressor{-24, 3, 6, 5, 120, 4},
}

// speech is noise that comes and goes.
func speech(n, channels int, seed uint64) [][]float64 {
	rnd := rand.New(rand.NewPCG(seed, 1))
	out := make([][]float64, channels)
	for c := range out {
		out[c] = make([]float64, n)
		for i := range out[c] {
			out[c][i] = (rnd.Float64()*2 - 1) * math.Pow(math.Sin(float64(i)/9000), 8) * 0.8
		}
	}
	return out
}

func copied(x [][]float64, from, to int) [][]float64 {
	out := make([][]float64, len(x))
	for c := range x {
		out[c] = append([]float64{}, x[c][from:to]...)
	}
	return out
}

// Each sample is the same, bit for bit, wherever one began and however the span was cut.
func TestATreatedSampleIsThatOfItsPlace(t *testing.T) {
	for _, c := range []Chain{full, {HighPass: Pass{40, 48}}, {Compressor: full.Compressor}, {Expander: full.Expander, DeEsser: full.DeEsser}} {
		n := 400_000
		x := speech(n, 2, 3)
		clear(x[0][150_000:230_000])
		clear(x[1][150_000:230_000])
		whole := copied(x, 0, n)
		NewProcessor(c, 2, rate).Apply(whole, 0)
		rnd := rand.New(rand.NewPCG(5, 5))
		for range 8 {
			p := NewProcessor(c, 2, rate)
			want := int64(rnd.IntN(n))
			at := p.Reach(want)
			for at < int64(n) {
				k := min(1+rnd.IntN(9000), n-int(at))
				part := copied(x, int(at), int(at)+k)
				p.Apply(part, at)
				for ch := range part {
					for i, v := range part[ch] {
						if place := at + int64(i); place >= want && math.Float64bits(v) != math.Float64bits(whole[ch][place]) {
							t.Fatalf("sample %d of channel %d is %g, and %g where all was read (from %d)", place, ch, v, whole[ch][place], want)
						}
					}
				}
				at += int64(k)
			}
		}
	}
}

// Beginning anew is not heard: what comes out is what comes out of a chain that never does, to -120 dB.
func TestBeginningAnewIsNotHeard(t *testing.T) {
	x := speech(1_200_000, 1, 8)
	p := NewProcessor(full, 1, rate)
	ever := copied(x, 0, len(x[0]))
	st := p.fresh()
	for i := 0; i < len(ever[0]); i += flushEvery {
		st.run(&p.settings, [][]float64{ever[0][i:min(len(ever[0]), i+flushEvery)]}, int64(i))
	}
	got := copied(x, 0, len(x[0]))
	p.Apply(got, 0)
	most := 0.0
	for i, v := range got[0] {
		most = max(most, math.Abs(v-ever[0][i]))
	}
	assert.Less(t, most, 1e-6)
	assert.Less(t, p.cell, int64(len(x[0])), "it does begin anew")
}

func TestNothingIsExactlyNothing(t *testing.T) {
	x := speech(5000, 2, 1)
	for _, c := range []Chain{{}, {Off: true, HighPass: Pass{80, 12}, Compressor: full.Compressor}, {Bands: [Bands]Band{{Bell, 1000, 0, 1}}}} {
		assert.True(t, c.Nothing())
		assert.Empty(t, c.Says())
		y := copied(x, 0, 5000)
		NewProcessor(c, 2, rate).Apply(y, 0)
		assert.Equal(t, x, y)
	}
	// A band and the one that undoes it.
	y := copied(x, 0, 5000)
	NewProcessor(Chain{Bands: [Bands]Band{{Bell, 6000, 9, 3}, {HighShelf, 5000, -9, 0.7071}, {Bell, 6000, -9, 3}, {HighShelf, 5000, 9, 0.7071}}}, 2, rate).Apply(y, 0)
	for i, v := range y[0] {
		require.InDelta(t, x[0][i], v, 1e-12)
	}
}

func sine(n int, hz, level float64) []float64 {
	out := make([]float64, n)
	for i := range out {
		out[i] = math.Pow(10, level/20) * math.Sin(2*math.Pi*hz*float64(i)/rate)
	}
	return out
}

func peakDB(x []float64) float64 {
	most := 0.0
	for _, v := range x {
		most = max(most, math.Abs(v))
	}
	return 20 * math.Log10(most)
}

// At rest, a sine comes out at the level of the static curve, within what the peaks of grains waver.
func TestStaticCurves(t *testing.T) {
	k := Compressor{Threshold: -30, Ratio: 4, Knee: 10, Attack: 5, Release: 100, Makeup: 6}
	e := Expander{Threshold: -30, Ratio: 3, Range: 30, Attack: 5, Release: 50}
	for _, level := range []float64{-60, -45, -36, -33, -30, -27, -24, -12, -3} {
		for name, c := range map[string]struct {
			chain Chain
			want  float64
		}{
			"compressor": {Chain{Compressor: k}, level + k.Gain(level) + 6},
			"expander":   {Chain{Expander: e}, level + e.Gain(level)},
		} {
			x := sine(2*rate, 3000, level) // a grain holds a whole wave
			NewProcessor(c.chain, 1, rate).Apply([][]float64{x}, 0)
			assert.InDelta(t, c.want, peakDB(x[rate:]), 0.02, "%s at %g dBFS", name, level)
		}
	}
	// The curve itself, by its formula: straight beyond the knee, and smooth across it.
	assert.InDelta(t, -0.75*18, k.Gain(-12), 1e-12)
	assert.Zero(t, k.Gain(-35))
	assert.InDelta(t, -0.75*25/20, k.Gain(-30), 1e-12)
	assert.InDelta(t, k.Gain(-25-1e-9), k.Gain(-25+1e-9), 1e-8)
	assert.InDelta(t, -20, e.Gain(-40), 1e-12)
	assert.InDelta(t, -30, e.Gain(-60), 1e-12)
}

// After its time constant, 63 % of the way is gone, either way.
func TestTimeConstants(t *testing.T) {
	k := Compressor{Threshold: -40, Ratio: 2, Attack: 20, Release: 200}
	x := append(append(sine(rate, 3000, -40), sine(rate, 3000, -20)...), sine(rate, 3000, -40)...)
	y := append([]float64{}, x...)
	NewProcessor(Chain{Compressor: k}, 1, rate).Apply([][]float64{y}, 0)
	gain := func(at int) float64 { return peakDB(y[at-16:at+16]) - peakDB(x[at-16:at+16]) }
	assert.InDelta(t, 0, gain(rate-100), 0.01)
	assert.InDelta(t, -10*(1-math.Exp(-1)), gain(rate+rate*20/1000+grain), 0.2)
	assert.InDelta(t, -10, gain(2*rate-100), 0.01)
	assert.InDelta(t, -10*math.Exp(-1), gain(2*rate+rate*200/1000+grain), 0.1)
}

// Channels of one track are turned alike, by the loudest of them.
func TestChannelsAreTurnedAlike(t *testing.T) {
	x := [][]float64{sine(rate, 3000, -10), sine(rate, 1000, -60)}
	NewProcessor(Chain{Compressor: Compressor{Threshold: -30, Ratio: 4, Attack: 1, Release: 50}}, 2, rate).Apply(x, 0)
	assert.InDelta(t, -25, peakDB(x[0][rate/2:]), 0.02)
	assert.InDelta(t, -75, peakDB(x[1][rate/2:]), 0.02)
}

// Sibilance is turned down, what lies below it is not; without any, everything passes as it is.
func TestDeEsser(t *testing.T) {
	d := DeEsser{Hz: 5000, Threshold: -40, Ratio: 100, Range: 10, Attack: 1, Release: 50}
	low, high := sine(rate, 300, -12), sine(rate, 10_000, -20)
	x := make([]float64, rate)
	for i := range x {
		x[i] = low[i] + high[i]
	}
	NewProcessor(Chain{DeEsser: d}, 1, rate).Apply([][]float64{x}, 0)
	tone := func(hz float64) float64 {
		var s, c float64
		for i := rate / 2; i < rate; i++ {
			s += x[i] * math.Sin(2*math.Pi*hz*float64(i)/rate)
			c += x[i] * math.Cos(2*math.Pi*hz*float64(i)/rate)
		}
		return 20 * math.Log10(math.Hypot(s, c)*4/rate)
	}
	assert.InDelta(t, -12, tone(300), 0.1)
	assert.InDelta(t, -20-8.76, tone(10_000), 0.05) // the shelf of -10 dB, an octave above its frequency
	soft := sine(rate, 300, -12)
	y := append([]float64{}, soft...)
	NewProcessor(Chain{DeEsser: d}, 1, rate).Apply([][]float64{y}, 0)
	assert.Equal(t, soft, y)
}

func TestNothingComesOutLouderThanIsSaid(t *testing.T) {
	for _, c := range []Chain{full, {HighPass: Pass{100, 48}}, {Bands: [Bands]Band{{Bell, 200, 18, 10}}}, {Bands: [Bands]Band{{Bell, 15000, -18, 4}}, DeEsser: full.DeEsser}} {
		p := NewProcessor(c, 1, rate)
		most := p.Most()
		// The loudest answer there can be: the signs of the impulse response, backwards.
		h := make([]float64, 60_000)
		h[0] = 1
		q := NewProcessor(Chain{HighPass: c.HighPass, LowPass: c.LowPass, Bands: c.Bands}, 1, rate)
		q.Apply([][]float64{h}, 0)
		x := make([]float64, len(h))
		for i := range x {
			x[i] = math.Copysign(1, h[len(h)-1-i])
		}
		p.Apply([][]float64{x}, 0)
		got := math.Pow(10, peakDB(x)/20)
		assert.LessOrEqual(t, got, most*(1+1e-9), "%+v", c)
		if !c.Dynamic() {
			assert.Greater(t, got, 0.05*most, "%+v", c)
		}
	}
}

func TestChainsAreChecked(t *testing.T) {
	require.NoError(t, full.Check())
	assert.Contains(t, full.Says(), "high-pass 80 Hz 18 dB/oct, low-pass 14 kHz 12 dB/oct, bell 300 Hz -4.0 dB Q 1.4")
	for _, change := range []func(*Chain){
		func(c *Chain) { c.HighPass.Hz = 2 },
		func(c *Chain) { c.LowPass.Slope = 13 },
		func(c *Chain) { c.Bands[2].Kind = "notch" },
		func(c *Chain) { c.Bands[0].Q = math.NaN() },
		func(c *Chain) { c.Bands[5].DB = 30 },
		func(c *Chain) { c.DeEsser.Hz = 50 },
		func(c *Chain) { c.Expander.Range = 100 },
		func(c *Chain) { c.Compressor.Ratio = 0.5 },
		func(c *Chain) { c.Compressor.Attack = 0 },
		func(c *Chain) { c.Compressor.Knee = math.Inf(1) },
	} {
		c := full
		change(&c)
		assert.Error(t, c.Check(), "%+v", c)
	}
}

func BenchmarkChain(b *testing.B) {
	was := speech(4096, 1, 1)
	x := speech(4096, 1, 1)
	p := NewProcessor(Chain{Bands: full.Bands, Compressor: full.Compressor}, 1, rate)
	at := int64(0)
	b.SetBytes(4096)
	for b.Loop() {
		copy(x[0], was[0])
		p.Apply(x, at)
		at += 4096
	}
}
