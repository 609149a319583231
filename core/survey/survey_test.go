package survey_test

import (
	"context"
	"math"
	"math/rand/v2"
	"runtime"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/audio"
	"zestyloom/core/survey"
)

const rate = 48000

// noise is sound like speech in two ways: its level comes and goes, and highs are weaker.
func noise(seed uint64, n int, level float64) []float64 {
	r := rand.New(rand.NewPCG(seed, 7))
	out := make([]float64, n)
	low, env := 0.0, 0.0
	for i := range out {
		if i%4800 == 0 {
			env = math.Max(0, r.NormFloat64()*0.5+0.5)
		}
		low = 0.9*low + 0.1*r.NormFloat64()
		out[i] = level * (0.1 + env) * low
	}
	return out
}

func white(seed uint64, n int, level float64) []float64 {
	r := rand.New(rand.NewPCG(seed, 9))
	out := make([]float64, n)
	for i := range out {
		out[i] = level * r.NormFloat64()
	}
	return out
}

func sum(parts ...[]float64) []float64 {
	out := make([]float64, len(parts[0]))
	for _, p := range parts {
		for i, v := range p {
			out[i] += v
		}
	}
	return out
}

func times(x []float64, g float64) []float64 {
	out := make([]float64, len(x))
	for i, v := range x {
		out[i] = g * v
	}
	return out
}

func later(x []float64, d int) []float64 {
	out := make([]float64, len(x))
	copy(out[d:], x)
	return out
}

func holds(t testing.TB, block int, ch ...[]float64) survey.Findings {
	t.Helper()
	s := survey.New(len(ch), rate, int64(len(ch[0])), audio.S24)
	for from := 0; from < len(ch[0]); from += block {
		part := make([][]float64, len(ch))
		for c := range ch {
			part[c] = ch[c][from:min(from+block, len(ch[c]))]
		}
		s.Add(part)
	}
	return closed(t, s)
}

func closed(t testing.TB, s *survey.Surveyor) survey.Findings {
	t.Helper()
	f, err := s.Close(t.Context())
	require.NoError(t, err)
	return f
}

func find(f survey.Findings, kind survey.Kind, a, b int) *survey.Relation {
	for i, r := range f.Relations {
		if r.Kind == kind && r.A == a && r.B == b {
			return &f.Relations[i]
		}
	}
	return nil
}

const n = 3 * rate

// rmsOf is an independent computation of a level.
func rmsOf(x []float64) float64 {
	s := 0.0
	for _, v := range x {
		s += v * v
	}
	return math.Sqrt(s / float64(len(x)))
}

func TestLevelsOfAChannel(t *testing.T) {
	x := times(white(1, n, 1), 0.001)
	for i := range x { // a second of sound with an offset, two of noise
		if i < rate {
			x[i] = 0.5 * math.Sin(2*math.Pi*997*float64(i)/rate)
		}
		x[i] += 0.01
	}
	for i, v := range []float64{1, 1, 1, 0, -1, 1, 0, 1, 1, -1, 1} { // runs of 3, 2 and 4
		x[1000+i] = v
	}
	quiet := make([]float64, n)
	copy(quiet, white(2, n/4, 0.1))
	f := holds(t, 5000, x, quiet, make([]float64, n))
	c := f.Channels[0]
	assert.Equal(t, 1.0, c.Peak)
	assert.EqualValues(t, 9, c.Clipped)
	assert.EqualValues(t, 2, c.ClippedRuns)
	assert.InDelta(t, 0.01, c.DC, 1e-4)
	assert.InEpsilon(t, rmsOf(x), c.RMS, 1e-12)
	// The quiet part holds an offset of 0.01 and noise of 0.001: a quarter of a dB is the step.
	assert.InDelta(t, audio.Decibels(math.Hypot(0.01, 0.001)), audio.Decibels(c.NoiseFloor), 0.25)
	assert.Zero(t, c.Silence)
	assert.InDelta(t, 0.75, f.Channels[1].Silence, 0.02)
	assert.Zero(t, f.Channels[1].NoiseFloor)
	assert.True(t, f.Channels[2].Silent())
	assert.Equal(t, 1.0, f.Channels[2].Silence)
	assert.Empty(t, f.Relations)
}

func TestTheSameTwice(t *testing.T) {
	a, b := noise(1, n, 0.2), noise(2, n, 0.2)
	f := holds(t, 40000, a, b, a, times(b, -1), times(a, 0.5), times(b, -0.25))
	assert.NotNil(t, find(f, survey.Identical, 1, 3))
	assert.NotNil(t, find(f, survey.Inverted, 2, 4))
	if r := find(f, survey.Scaled, 1, 5); assert.NotNil(t, r) {
		assert.InDelta(t, -6.02, r.GainDB, 0.01)
		assert.False(t, r.Inverted)
	}
	if r := find(f, survey.Scaled, 2, 6); assert.NotNil(t, r) {
		assert.True(t, r.Inverted)
	}
	assert.Len(t, f.Relations, 4, "%+v", f.Relations)
}

func TestNearlyTheSameIsNotClaimed(t *testing.T) {
	a := noise(1, n, 0.2)
	one := append([]float64{}, a...)
	one[n/2] += 1.0 / (1 << 23) // one step of 24 bits, in one sample
	f := holds(t, 40000, a, one)
	assert.Nil(t, find(f, survey.Identical, 1, 2))
	assert.NotNil(t, find(f, survey.Scaled, 1, 2))
	for db, claimed := range map[float64]bool{-37: false, -43: true} {
		f := holds(t, 40000, a, sum(a, white(3, n, rmsOf(a)*audio.Gain(db))))
		assert.Equal(t, claimed, find(f, survey.Scaled, 1, 2) != nil, "%g dB beside it: %+v", db, f.Relations)
	}
	later := later(a, 1) // one sample late is not the same
	f = holds(t, 40000, a, later)
	assert.Nil(t, find(f, survey.Identical, 1, 2))
}

func TestMixOfTheOthers(t *testing.T) {
	boom, ines, odell, plant := noise(1, n, 0.2), noise(2, n, 0.3), noise(3, n, 0.25), noise(4, n, 0.1)
	left := sum(times(boom, 0.5), times(ines, 0.5), times(odell, 0.5), times(plant, 0.15))
	right := sum(times(boom, 0.5), times(ines, 0.5), times(odell, 0.5), times(plant, 0.3))
	f := holds(t, 40000, left, right, boom, ines, odell, plant, make([]float64, n))
	require.Len(t, f.Relations, 2, "%+v", f.Relations)
	for i, g := range []float64{0.15, 0.3} {
		r := f.Relations[i]
		assert.Equal(t, survey.Mix, r.Kind)
		assert.Equal(t, i+1, r.A)
		assert.Less(t, r.RestDB, -100.0)
		require.Len(t, r.Of, 4)
		assert.Equal(t, 6, r.Of[3].Channel)
		assert.InDelta(t, audio.Decibels(g), r.Of[3].GainDB, 0.01)
	}
}

func TestNearlyAMixIsNotClaimed(t *testing.T) {
	boom, ines, odell := noise(1, n, 0.2), noise(2, n, 0.3), noise(3, n, 0.25)
	exact := sum(times(boom, 0.5), times(ines, 0.7), times(odell, 0.5))
	for name, c := range map[string]struct {
		mix     []float64
		claimed bool
	}{
		"noise at -43 dB":             {sum(exact, white(5, n, rmsOf(exact)*audio.Gain(-43))), true},
		"noise at -37 dB":             {sum(exact, white(5, n, rmsOf(exact)*audio.Gain(-37))), false},
		"a microphone that is absent": {sum(exact, times(noise(6, n, 0.2), 0.2)), false},
		"late by two samples":         {later(exact, 2), true}, // a desk is
		"late by half a second":       {later(exact, rate/2), false},
	} {
		f := holds(t, 40000, c.mix, boom, ines, odell)
		assert.Equal(t, c.claimed, find(f, survey.Mix, 1, 0) != nil, "%s: %+v", name, f.Relations)
		for _, k := range []int{2, 3, 4} {
			assert.Nil(t, find(f, survey.Mix, k, 0), "%s: a source is no mix", name)
		}
	}
	// With one of them taken away it is a mix of them all the same, in which that one is turned over.
	f := holds(t, 40000, sum(boom, times(ines, -1)), boom, ines)
	r := find(f, survey.Mix, 1, 0)
	require.NotNil(t, r)
	assert.Equal(t, []bool{false, true}, []bool{r.Of[0].Inverted, r.Of[1].Inverted})
	assert.Len(t, f.Relations, 1, "%+v", f.Relations)
}

func TestOneSourceTwoMicrophones(t *testing.T) {
	for _, c := range []struct {
		delay int
		sign  float64
	}{{118, 1}, {118, -1}, {-700, 1}, {3, -1}, {0, -1}} {
		voice := noise(1, n+2000, 0.3)
		at := func(d int) []float64 { return voice[1000-d : 1000-d+n] }
		lav := sum(at(0), white(2, n, 0.005))
		// The boom hears the voice later, with a reflection, and something else as well.
		boom := times(sum(at(c.delay), times(at(c.delay+431), 0.3), white(3, n, 0.01), times(noise(4, n, 0.2), 0.4)), c.sign*0.5)
		f := holds(t, 40000, lav, boom)
		r := find(f, survey.SameSource, 1, 2)
		if assert.NotNil(t, r, "%+v: %+v", c, f.Relations) {
			assert.InDelta(t, c.delay, r.Delay, 1)
			assert.Equal(t, c.sign < 0, r.Inverted)
		}
	}
}

func TestStereoPair(t *testing.T) {
	mid, side := noise(1, n, 0.3), noise(2, n, 0.15)
	l, r := sum(mid, side), sum(mid, times(side, -1))
	f := holds(t, 40000, l, r)
	require.NotNil(t, find(f, survey.Pair, 1, 2), "%+v", f.Relations)
	// Not side by side, far apart in level, or with the polarity turned: no pair.
	assert.Nil(t, find(holds(t, 40000, l, noise(5, n, 0.2), r), survey.Pair, 1, 3))
	assert.Nil(t, find(holds(t, 40000, l, times(r, 0.3)), survey.Pair, 1, 2))
	assert.Nil(t, find(holds(t, 40000, l, times(r, -1)), survey.Pair, 1, 2))
}

func TestUnrelatedSoundIsNotRelated(t *testing.T) {
	for seed := range uint64(24) {
		f := holds(t, 40000, noise(2*seed, 2*rate, 0.2), noise(2*seed+1, 2*rate, 0.2), white(seed, 2*rate, 0.1))
		assert.Empty(t, f.Relations, "seed %d", seed)
	}
	for seed := range uint64(8) { // a click of the mains on both, at the loudest of each
		a, b := noise(2*seed+100, 3*rate, 0.2), noise(2*seed+101, 3*rate, 0.2)
		for i := range 40 {
			v := 4 * math.Exp(-float64(i)/8) * math.Cos(float64(i))
			a[70000+i] += v
			b[70030+i] -= v
		}
		assert.Empty(t, holds(t, 40000, a, b).Relations, "one click, seed %d", seed)
		for i := range a { // a steady tone on both, as loud as what they hear
			v := 0.05 * math.Sin(2*math.Pi*(200+300*float64(seed))*float64(i)/rate)
			a[i], b[i] = a[i]+v, b[i]+v
		}
		for _, r := range holds(t, 40000, a, b).Relations {
			assert.False(t, r.Certain, "a steady tone, seed %d: %+v", seed, r)
		}
	}
	hum := func(phase float64) []float64 {
		x := make([]float64, n)
		for i := range x {
			x[i] = 0.1 * math.Sin(2*math.Pi*50*float64(i)/rate+phase)
		}
		return x
	}
	f := holds(t, 40000, sum(hum(0), white(1, n, 0.001)), sum(hum(1), white(2, n, 0.001)))
	assert.Empty(t, f.Relations, "the same hum is not the same source")
	offset := func(seed uint64) []float64 {
		x := white(seed, n, 0.001)
		for i := range x {
			x[i] += 0.1
		}
		return x
	}
	assert.Empty(t, holds(t, 40000, offset(1), offset(2)).Relations, "the same offset is not the same sound")
}

func TestBlocksDoNotMatter(t *testing.T) {
	ch := [][]float64{noise(1, n, 0.2), noise(2, n, 0.2)}
	ch = append(ch, sum(ch[0], ch[1]))
	one, many := holds(t, n, ch...), holds(t, 777, ch...)
	for c := range ch {
		assert.InEpsilon(t, one.Channels[c].RMS, many.Channels[c].RMS, 1e-12)
		assert.Equal(t, one.Channels[c].NoiseFloor, many.Channels[c].NoiseFloor)
	}
	require.Len(t, many.Relations, len(one.Relations))
	assert.Equal(t, one.Relations[0].Kind, many.Relations[0].Kind)
}

func TestHostileAndTinyRecordings(t *testing.T) {
	x := noise(1, 5000, 0.2)
	x[7], x[8], x[9] = math.NaN(), math.Inf(1), math.Inf(-1)
	f := holds(t, 100, x, noise(2, 5000, 0.2))
	assert.EqualValues(t, 3, f.Channels[0].Invalid)
	assert.False(t, math.IsNaN(f.Channels[0].RMS))
	assert.Empty(t, f.Relations)
	assert.NotPanics(t, func() { holds(t, 1, []float64{0.5}, []float64{0.5}) })
	assert.NotPanics(t, func() { closed(t, survey.New(3, rate, 0, audio.S16)) })
	many := make([][]float64, 40)
	for c := range many {
		many[c] = noise(uint64(c), 20000, 0.1)
	}
	many[39] = many[20]
	assert.NotNil(t, find(holds(t, 3000, many...), survey.Identical, 21, 40))
}

// A minute of eight channels, all that is worked out of them.
func BenchmarkSurvey(b *testing.B) {
	var ch [][]float64
	for c := range 8 {
		ch = append(ch, noise(uint64(c), 60*rate, 0.2))
	}
	b.SetBytes(8 * 3 * 60 * rate)
	for b.Loop() {
		holds(b, 43690, ch...)
	}
	b.ReportMetric(60*float64(b.N)/b.Elapsed().Seconds(), "times-real-time")
}

// More channels than anybody records are surveyed in bounded time and memory, and what is the same or inverted among
// them is found all the same.
func TestAThousandChannels(t *testing.T) {
	ch := make([][]float64, 1024)
	for c := range ch {
		ch[c] = noise(uint64(c), 3000, 0.1)
	}
	ch[700] = ch[3]
	ch[1023] = times(ch[40], -1)
	for c := 900; c < 1000; c++ {
		ch[c] = make([]float64, 3000)
	}
	var before, after runtime.MemStats
	runtime.ReadMemStats(&before)
	f := holds(t, 1000, ch...)
	runtime.ReadMemStats(&after)
	assert.Less(t, after.TotalAlloc-before.TotalAlloc, uint64(1<<30), "bytes")
	require.NotNil(t, find(f, survey.Identical, 4, 701))
	require.NotNil(t, find(f, survey.Inverted, 41, 1024))
}

// Nobody waits for an answer that nobody wants any more.
func TestASurveyIsBrokenOff(t *testing.T) {
	ctx, cancel := context.WithCancel(t.Context())
	cancel()
	s := survey.New(2, rate, 20000, audio.S24)
	s.Add([][]float64{noise(1, 20000, 0.1), noise(2, 20000, 0.1)})
	_, err := s.Close(ctx)
	assert.ErrorIs(t, err, context.Canceled)
}

// Rates that no recorder has are no reason to fall over.
func TestLowRates(t *testing.T) {
	for hz := 1; hz <= 1200; hz += 1 + hz/40 {
		for _, channels := range []int{1, 3} {
			ch := make([][]float64, channels)
			for c := range ch {
				ch[c] = noise(uint64(c), 9000, 0.1)
			}
			s := survey.New(channels, hz, 9000, audio.S16)
			s.Add(ch)
			assert.Len(t, closed(t, s).Channels, channels, "%d Hz", hz)
		}
	}
}

// A stem master's pairs are the same sound twice, or nearly: whatever is left to explain the others by, it is looked at
// without a fault. One pair alone that is the same but for a rounding has nothing left.
func TestAStemMasterIsSurveyed(t *testing.T) {
	const n = 20 * rate
	dx, mx, fx := noise(1, n, 0.2), noise(2, n, 0.2), noise(3, n, 0.2)
	rounded := func(x []float64, g float64) []float64 {
		out := make([]float64, len(x))
		for i, v := range x {
			out[i] = math.Round(v*g*(1<<23)) / (1 << 23)
		}
		return out
	}
	only := func(x []float64, from, to float64) []float64 {
		out := make([]float64, n)
		copy(out[int(from*n):int(to*n)], x[int(from*n):])
		return out
	}
	for name, channels := range map[string][][]float64{
		"alone in the end":       {sum(times(only(dx, 0, 0.3), 0.5), times(only(mx, 0.3, 0.6), 0.9), only(fx, 0.6, 1)), only(dx, 0, 0.3), only(mx, 0.3, 0.6)},
		"pairs of the same":      {dx, dx, mx, mx, fx, fx},
		"the same but for steps": {rounded(dx, 1), rounded(dx, 0.9999), rounded(mx, 1), rounded(mx, 1), make([]float64, n), make([]float64, n)},
		"one that is not silent": {dx, make([]float64, n), make([]float64, n)},
		"a mix and its one stem": {sum(dx, make([]float64, n)), dx, make([]float64, n)},
		"a stereo mix in a pair": {sum(dx, mx, fx), sum(dx, mx, fx), dx, mx, mx, mx},
		"the same six times":     {dx, dx, dx, dx, dx, dx},
		"balanced pairs":         {dx, dx, rounded(mx, 0.7), rounded(mx, 0.71), rounded(fx, 0.5), rounded(fx, 0.25)},
	} {
		t.Run(name, func(t *testing.T) { assert.NotPanics(t, func() { holds(t, 1<<15, channels...) }) })
	}
}
