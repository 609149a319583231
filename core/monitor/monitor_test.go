package monitor_test

import (
	"context"
	"io"
	"math"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/audio"
	"zestyloom/core/mix"
	"zestyloom/core/monitor"
	"zestyloom/core/snag"
	"zestyloom/core/take"
	"zestyloom/core/treat"
	"zestyloom/internal/testmedia"
)

const rate = 48000

// recorded writes channels to a file and gives a place for each.
func recorded(t testing.TB, channels ...[]float64) []mix.Source {
	t.Helper()
	path := filepath.Join(t.TempDir(), "s.wav")
	testmedia.Write(t, path, audio.S24, rate, channels...)
	out := make([]mix.Source, len(channels))
	for c := range out {
		out[c] = mix.Source{Path: path, Channel: c}
	}
	return out
}

// input is a strand heard from a moment on.
func input(src mix.Source, at float64) monitor.Input {
	v := monitor.Strands(mix.Part{Source: src, Factor: 1})
	v.At = at
	return v
}

func sine(hz, amplitude float64, frames int) []float64 {
	x := make([]float64, frames)
	for i := range x {
		x[i] = math.Round(amplitude*math.Sin(2*math.Pi*hz*float64(i)/rate)*(1<<23)) / (1 << 23)
	}
	return x
}

// all plays a stream to its end or to a number of frames.
func all(t testing.TB, s *monitor.Stream, most int) (out audio.Block, at []int64) {
	t.Helper()
	for {
		b, err := s.Next(context.Background())
		if err == io.EOF {
			return out, at
		}
		require.NoError(t, err)
		if out == nil {
			out = make(audio.Block, len(b.Sound))
		}
		require.Len(t, b.Meters, len(b.Sound))
		for c, x := range b.Sound {
			peak := 0.0
			for _, v := range x {
				peak = max(peak, math.Abs(v))
			}
			require.Equal(t, peak, b.Meters[c].Peak, "the meters read what is played")
			out[c] = append(out[c], x...)
		}
		at = append(at, b.At)
		if most > 0 && len(out[0]) >= most {
			return out, at
		}
	}
}

func open(t testing.TB, inputs []monitor.Input, o monitor.Order) *monitor.Stream {
	t.Helper()
	s, err := monitor.Open(inputs, o)
	require.NoError(t, err)
	t.Cleanup(s.Close)
	return s
}

// At its own speed sound is heard bit for bit, each input where it lies on the common clock.
func TestPlainIsExact(t *testing.T) {
	a, b := sine(440, 0.5, 5000), sine(1000, 0.25, 4000)
	p := recorded(t, a, append(b, make([]float64, 1000)...))
	s := open(t, []monitor.Input{input(p[0], 0), input(p[1], 700.4)}, monitor.Order{Rate: rate, From: 100})
	assert.EqualValues(t, 5600, s.Frames())
	out, at := all(t, s, 0)
	require.Len(t, out[0], 5600)
	assert.Equal(t, a[100:], out[0][:4900])
	assert.Equal(t, make([]float64, 700), out[0][4900:])
	assert.Equal(t, make([]float64, 600), out[1][:600])
	assert.Equal(t, b, out[1][600:4600])
	assert.Equal(t, []int64{100, 1124, 2148}, at[:3])
	half := input(p[0], 0)
	half.Gain = 0.5
	part, _ := all(t, open(t, []monitor.Input{half}, monitor.Order{Rate: rate, From: 10, To: 20}), 0)
	for i, v := range part[0] {
		assert.Equal(t, a[10+i]/2, v)
	}
	require.Len(t, part[0], 10)
}

// Half and double speed, with the pitch that goes with it and with the pitch it had.
func TestSpeeds(t *testing.T) {
	p := recorded(t, sine(1000, 0.5, 4*rate))
	pitch := func(x []float64) (hz float64) {
		for i := 1; i < len(x); i++ {
			if x[i-1] < 0 && x[i] >= 0 {
				hz += rate / float64(len(x))
			}
		}
		return hz
	}
	for _, c := range []struct {
		speed float64
		keep  bool
		hz    float64
	}{{0.5, false, 500}, {2, false, 2000}, {0.5, true, 1000}, {2, true, 1000}} {
		s := open(t, []monitor.Input{input(p[0], 0)}, monitor.Order{Rate: rate, From: rate, To: 3 * rate, Speed: c.speed, KeepPitch: c.keep})
		assert.InDelta(t, 2*rate/c.speed, float64(s.Frames()), 1)
		out, at := all(t, s, 0)
		assert.InDelta(t, 2*rate/c.speed, float64(len(out[0])), 1500, "%+v", c)
		assert.InDelta(t, c.hz, pitch(out[0][2000:]), c.hz*0.01, "%+v", c)
		assert.EqualValues(t, rate, at[0])
		assert.InDelta(t, 3*rate, float64(at[len(at)-1]), 2*monitor.BlockFrames, "positions are of the recording")
		assert.InDelta(t, 0, audio.Decibels(math.Sqrt(square(out[0][3000:]))/(0.5/math.Sqrt2)), 0.3)
	}
}

func square(x []float64) (mean float64) {
	for _, v := range x {
		mean += v * v / float64(len(x))
	}
	return mean
}

// A loop plays its range over and over, softly at its ends and exactly between them.
func TestLoop(t *testing.T) {
	x := sine(300, 0.5, rate)
	p := recorded(t, x)
	s := open(t, []monitor.Input{input(p[0], 0)}, monitor.Order{Rate: rate, From: 1000, To: 4000, Loop: true})
	assert.EqualValues(t, -1, s.Frames())
	out, at := all(t, s, 9000)
	assert.EqualValues(t, 1000, at[0])
	for k := range 3 {
		round := out[0][3000*k : 3000*(k+1)]
		assert.Equal(t, x[1000+144:4000-144], round[144:3000-144])
		assert.Less(t, math.Abs(round[0])+math.Abs(round[2999]), 0.01)
	}
	out, _ = all(t, open(t, []monitor.Input{input(p[0], 0)}, monitor.Order{Rate: rate, From: 1000, To: 9000, Loop: true, Speed: 0.5, KeepPitch: true}), 50000)
	for i := 1; i < len(out[0]); i++ {
		require.Less(t, math.Abs(out[0][i]-out[0][i-1]), 0.05, "no click at %d", i)
	}
}

// Compared sounds are as loud as each other; what is silent is left as it is.
func TestMatch(t *testing.T) {
	p := recorded(t, sine(1000, 0.5, rate), sine(1000, 0.05, rate), make([]float64, rate), sine(1000, 0.0005, rate))
	var vs []monitor.Input
	for _, q := range p {
		vs = append(vs, input(q, 0))
	}
	g, err := monitor.Match(context.Background(), vs, rate, 0, rate)
	require.NoError(t, err)
	assert.Equal(t, 1.0, g[0])
	assert.InDelta(t, 20, audio.Decibels(g[1]), 0.1)
	assert.Equal(t, 1.0, g[2])
	assert.InDelta(t, 30, audio.Decibels(g[3]), 0.01, "no more than that")
}

func TestRefused(t *testing.T) {
	p := recorded(t, sine(1000, 0.5, 100))
	v := []monitor.Input{input(p[0], 0)}
	for want, o := range map[string]monitor.Order{
		"bad_speed": {Rate: rate, Speed: 3}, "bad_range": {Rate: rate, From: 50, To: 50}, "nothing_to_hear": {Rate: rate, From: 100}, "rate_differs": {Rate: 100},
	} {
		_, err := monitor.Open(v, o)
		assert.Equal(t, want, snag.Of(err).Code)
	}
	_, err := monitor.Open(nil, monitor.Order{Rate: rate})
	assert.Equal(t, "nothing_to_hear", snag.Of(err).Code)
	_, err = monitor.Open([]monitor.Input{input(mix.Source{Path: p[0].Path, Treat: treat.Treatment{TrimDB: 99}}, 0)}, monitor.Order{Rate: rate})
	assert.Equal(t, "bad_trim", snag.Of(err).Code)
	ctx, cancel := context.WithCancel(context.Background())
	cancel()
	_, err = open(t, v, monitor.Order{Rate: rate}).Next(ctx)
	assert.ErrorIs(t, err, context.Canceled)
}

// What is heard of more than one channel, in factors and in words.
func TestFoldDown(t *testing.T) {
	ch := func(labels ...string) (out []monitor.Channel) {
		for i, l := range labels {
			out = append(out, monitor.Channel{Position: i + 1, Label: l, Mix: take.IsMix(l)})
		}
		return out
	}
	h := math.Sqrt2 / 2
	six := take.Reading{Kind: take.Surround, Positions: []int{1, 2, 3, 4, 5, 6}, Order: []audio.Speaker{"L", "C", "R", "Ls", "Rs", "LFE"}}
	a, b := 0.25+math.Sqrt(3)/4, 0.25-math.Sqrt(3)/4
	for name, c := range map[string]struct {
		channels []monitor.Channel
		readings []take.Reading
		want     [][2]float64
		says     string
	}{
		"one": {ch("Boom"), nil, [][2]float64{{1, 1}}, "mono, on both sides at 0 dB"},
		"a take": {ch("MixL", "MixR", "Boom", "Lav"), nil, [][2]float64{{}, {}, {h, h}, {h, h}},
			"2 mono on both sides, each at -3.0 dB; MixL, MixR left out, being of the others"},
		"nothing but mixes": {ch("MixL", "MixR"), []take.Reading{{Kind: take.Stereo, Positions: []int{1, 2}}}, [][2]float64{{1, 0}, {0, 1}}, "a stereo pair"},
		"film order": {ch("1", "2", "3", "4", "5", "6"), []take.Reading{six}, [][2]float64{{1, 0}, {h, h}, {0, 1}, {h, 0}, {0, h}, {0, 0}},
			"5.1 folded down (BS.775: C and surrounds at -3.0 dB, LFE left out)"},
		"mid-side": {ch("M", "S"), []take.Reading{{Kind: take.MidSide, Positions: []int{1, 2}}}, [][2]float64{{1, 1}, {1, -1}}, "mid-side decoded"},
		"ambisonic": {ch("W", "Y", "Z", "X"), []take.Reading{{Kind: take.Ambisonic, Positions: []int{1, 2, 3, 4}}}, [][2]float64{{0.5, 0.5}, {0.5, -0.5}, {}, {}},
			"ambisonic as two cardioids to the sides"},
		"in FuMa": {ch("W", "X", "Y", "Z"), []take.Reading{{Kind: take.Ambisonic, Positions: []int{1, 2, 3, 4}, Norm: take.FuMa}}, [][2]float64{{h, h}, {}, {0.5, -0.5}, {}},
			"ambisonic as two cardioids to the sides"},
		// A cardioid to the left of what the capsules hear: (W + Y)/2, with W half and Y √3/2 of each.
		"in A-format": {ch("FLU", "FRD", "BLD", "BRU"), []take.Reading{{Kind: take.Ambisonic, Positions: []int{1, 2, 3, 4}, Norm: take.AFormat}},
			[][2]float64{{a, b}, {b, a}, {a, b}, {b, a}}, "ambisonic as two cardioids to the sides"},
		"half a pair": {ch("A L", "A R")[:1], []take.Reading{{Kind: take.Stereo, Positions: []int{1, 2}}}, [][2]float64{{1, 1}}, "mono, on both sides at 0 dB"},
	} {
		f := monitor.FoldDown(c.channels, c.readings)
		require.Len(t, f.Matrix, len(c.want), name)
		for i := range c.want {
			assert.InDeltaSlice(t, c.want[i][:], f.Matrix[i][:], 1e-12, "%s, channel %d", name, i+1)
		}
		assert.Equal(t, c.says, f.Says, name)
	}
	empty := ch("Boom", "Lav", "")
	empty[2].Silent = true
	f := monitor.FoldDown(empty, nil)
	assert.Equal(t, "2 mono on both sides, each at -3.0 dB", f.Says, "an empty channel lowers nothing")
	off := ch("Boom", "Lav")
	off[0].Off = true
	assert.Equal(t, [][2]float64{{}, {1, 1}}, monitor.FoldDown(off, nil).Matrix)
}

func BenchmarkStream(b *testing.B) {
	p := recorded(b, sine(440, 0.5, 10*rate), sine(550, 0.5, 10*rate), sine(660, 0.5, 10*rate), sine(770, 0.5, 10*rate))
	var vs []monitor.Input
	for _, q := range p {
		vs = append(vs, input(q, 0))
	}
	for name, o := range map[string]monitor.Order{"whole speed": {Rate: rate}, "double, pitch kept": {Rate: rate, Speed: 2, KeepPitch: true}, "half, pitch follows": {Rate: rate, Speed: 0.5}} {
		b.Run(name, func(b *testing.B) {
			for b.Loop() {
				s := open(b, vs, o)
				all(b, s, 0)
			}
			b.ReportMetric(10*float64(b.N)/b.Elapsed().Seconds(), "times-real-time")
		})
	}
}
