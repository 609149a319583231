package audio_test

import (
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/audio"
)

var codings = []audio.Coding{audio.U8, audio.S16, audio.S24, audio.S32, audio.F32, audio.F64}

func noise(n int, seed uint64) []byte {
	rnd := rand.New(rand.NewPCG(seed, 0))
	b := make([]byte, n)
	for i := range b {
		b[i] = byte(rnd.Uint32())
	}
	return b
}

// Every bit pattern of an integer coding survives decoding and encoding.
func TestIntegerCodingsAreExact(t *testing.T) {
	for _, c := range codings[:4] {
		const channels, frames = 3, 4096
		raw := noise(channels*frames*c.Bytes(), uint64(c))
		b := audio.NewBlock(channels, frames)
		for ch := range b {
			require.Equal(t, frames, audio.DecodeChannel(b[ch], raw, c, channels, ch))
		}
		for _, dither := range []bool{false, true} { // dither leaves what is on the grid alone
			e := audio.Encoder{Coding: c, Dither: dither, Seed: 9}
			require.Equal(t, raw, e.Encode(nil, b, 0), "%s dither %v", c, dither)
			require.Equal(t, []int64{0, 0, 0}, e.Clipped)
		}
	}
}

func TestEncodeRoundsAndHolds(t *testing.T) {
	e := audio.Encoder{Coding: audio.S16}
	step := 1.0 / 32768
	raw := e.Encode(nil, audio.Block{{0.4 * step, 0.6 * step, -0.6 * step, 1, 1.5, -1, -2, 1 - step}}, 0)
	got := make([]float64, 8)
	audio.DecodeChannel(got, raw, audio.S16, 1, 0)
	assert.Equal(t, []float64{0, step, -step, 1 - step, 1 - step, -1, -1, 1 - step}, got)
	assert.Equal(t, []int64{3}, e.Clipped, "1, 1.5 and -2 are beyond what 16 bits hold")
}

// TPDF dither of ±1 step has mean 0 and a variance of 1/6 step² (two uniform variables of 1/12
// each), added to the rounding's 1/12: total error variance 1/4. It does not depend on blocks.
func TestDither(t *testing.T) {
	const n = 200000
	x := make([]float64, n)
	for i := range x {
		x[i] = 0.3 / 32768 * float64(i%7) / 7
	}
	whole := (&audio.Encoder{Coding: audio.S16, Dither: true, Seed: 5}).Encode(nil, audio.Block{x}, 0)
	parts := &audio.Encoder{Coding: audio.S16, Dither: true, Seed: 5}
	got := parts.Encode(parts.Encode(nil, audio.Block{x[:777]}, 0), audio.Block{x[777:]}, 777)
	require.Equal(t, whole, got)
	y := make([]float64, n)
	audio.DecodeChannel(y, whole, audio.S16, 1, 0)
	mean, square, count := 0.0, 0.0, 0.0
	for i := range y {
		if i%7 == 0 {
			continue // on the grid: untouched
		}
		e := (y[i] - x[i]) * 32768
		mean += e
		square += e * e
		count++
	}
	assert.InDelta(t, 0, mean/count, 0.005)         // 4 standard errors of 0.5/√171000
	assert.InDelta(t, 0.25, square/count, 0.25*.02) // of a bounded variable: within 2 %
}

func TestLevelsMatchAPlainComputation(t *testing.T) {
	for _, c := range codings {
		const channels, frames = 2, 150000
		raw := noise(channels*frames*c.Bytes(), 77)
		if c.Float() { // random bits make absurd floats: use sound instead
			x := make([]float64, frames)
			for i := range x {
				x[i] = math.Sin(float64(i)) * 0.7
			}
			raw = (&audio.Encoder{Coding: c}).Encode(nil, audio.Block{x, x}, 0)
		}
		levels := make([]audio.Level, channels)
		cut := 100001 * channels * c.Bytes()
		audio.AddLevels(levels, raw[:cut], c)
		audio.AddLevels(levels, raw[cut:], c)
		for ch := range levels {
			x := make([]float64, frames)
			audio.DecodeChannel(x, raw, c, channels, ch)
			peak, sum := 0.0, 0.0
			for _, v := range x {
				peak, sum = math.Max(peak, math.Abs(v)), sum+v*v
			}
			assert.Equal(t, peak, levels[ch].Peak, "%s", c)
			assert.InEpsilon(t, sum, levels[ch].Sum, 1e-12, "%s", c)
			assert.EqualValues(t, frames, levels[ch].Frames)
		}
	}
}

func TestLevelWords(t *testing.T) {
	var l audio.Level
	l.Add([]float64{0, 0})
	assert.True(t, math.IsInf(l.PeakDB(), -1) && math.IsInf(l.RMSDB(), -1) && l.Silent())
	l.Add([]float64{math.NaN(), math.Inf(1), 0.5})
	assert.EqualValues(t, 2, l.Invalid)
	assert.InDelta(t, -6.0206, l.PeakDB(), 1e-4)
	quiet := audio.Level{Peak: audio.Gain(-80.001)}
	assert.True(t, quiet.Silent())
	loud := audio.Level{Peak: audio.Gain(-79.999)}
	assert.False(t, loud.Silent())
	assert.Equal(t, 1.0, audio.Gain(0))
	assert.Zero(t, audio.Gain(math.Inf(-1)))
}

func TestSwapBytesIsItsOwnInverse(t *testing.T) {
	for _, c := range codings {
		raw := noise(c.Bytes()*100, 3)
		b := append([]byte{}, raw...)
		audio.SwapBytes(b, c)
		if c.Bytes() > 1 {
			require.NotEqual(t, raw, b)
			require.Equal(t, raw[0], b[c.Bytes()-1])
		}
		audio.SwapBytes(b, c)
		require.Equal(t, raw, b)
	}
}

func TestLayouts(t *testing.T) {
	l, ok := audio.LayoutOf([]audio.Speaker{"Rs", "L", "LFE", "C", "Ls", "R"})
	require.True(t, ok)
	assert.Equal(t, "5.1", l.Name)
	assert.EqualValues(t, 0x3F, l.Mask)
	_, ok = audio.LayoutOf([]audio.Speaker{"L", "L"})
	assert.False(t, ok)
	for in, want := range map[string]audio.Speaker{"LFE": "LFE", "sub": "LFE", "Centre": "C", "Lrs": "Lsr", "left surround": "Ls", "RB": "Rsr"} {
		got, ok := audio.ParseSpeaker(in)
		assert.True(t, ok, in)
		assert.Equal(t, want, got, in)
	}
	for _, l := range audio.Layouts { // sorting by rank gives every surround layout its order
		if l.Name == "LCR" {
			continue // whose default order is its own
		}
		for i := 1; i < len(l.Speakers); i++ {
			assert.Less(t, l.Speakers[i-1].Rank(), l.Speakers[i].Rank(), l.Name)
		}
	}
	for _, c := range codings {
		got, err := audio.ParseCoding(c.String())
		require.NoError(t, err)
		assert.Equal(t, c, got)
	}
	_, err := audio.ParseCoding("s20")
	assert.Error(t, err)
}
