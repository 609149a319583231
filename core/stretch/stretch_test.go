package stretch_test

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/audio"
	"zestyloom/core/stretch"
)

const rate = 48000

// of reads signals, one a channel, with silence around frames [0, n).
func of(n int64, signals ...func(i int64) float64) stretch.Reader {
	return func(b audio.Block, frame int64) error {
		for c := range b {
			for i := range b[c] {
				b[c][i] = 0
				if at := frame + int64(i); at >= 0 && at < n {
					b[c][i] = signals[c](at)
				}
			}
		}
		return nil
	}
}

func sine(hz float64) func(int64) float64 {
	return func(i int64) float64 { return 0.5 * math.Sin(2*math.Pi*hz*float64(i)/rate) }
}

// crossings counts upward crossings of zero a second.
func crossings(x []float64) float64 {
	n := 0
	for i := 1; i < len(x); i++ {
		if x[i-1] < 0 && x[i] >= 0 {
			n++
		}
	}
	return float64(n) * rate / float64(len(x))
}

func play(t *testing.T, s *stretch.Stretcher, channels, frames int) (audio.Block, []int64) {
	t.Helper()
	out := make(audio.Block, channels)
	var at []int64
	for len(out[0]) < frames {
		b := audio.NewBlock(channels, s.Step())
		from, err := s.Next(b)
		require.NoError(t, err)
		at = append(at, from)
		for c := range out {
			out[c] = append(out[c], b[c]...)
		}
	}
	return out, at
}

// Slower and faster, a tone keeps its pitch and its level, moves on at its speed, and never jumps.
func TestPitchIsKept(t *testing.T) {
	for _, speed := range []float64{0.5, 2, 1.5} {
		for _, hz := range []float64{110, 437, 1000, 3001} {
			out, at := play(t, stretch.New(of(10*rate, sine(hz)), 1, rate, speed, rate), 1, 2*rate)
			x := out[0]
			assert.InDelta(t, hz, crossings(x), hz*0.01+1, "%g times", speed)
			sum, jump := 0.0, 0.0
			for i, v := range x {
				sum += v * v
				if i > 0 {
					jump = math.Max(jump, math.Abs(v-x[i-1]))
				}
			}
			assert.InDelta(t, 0, 20*math.Log10(math.Sqrt(sum/float64(len(x)))/(0.5/math.Sqrt2)), 0.5, "%g Hz at %g times", hz, speed)
			assert.Less(t, jump, 0.5*2*math.Pi*hz/rate*1.5, "no click in %g Hz at %g times", hz, speed)
			assert.Equal(t, int64(rate), at[0])
			assert.InDelta(t, float64(rate)+float64(len(at)-1)*speed*1024, float64(at[len(at)-1]), 1)
		}
	}
}

// At its own speed sound is what it was.
func TestSameSpeed(t *testing.T) {
	out, _ := play(t, stretch.New(of(rate, sine(997)), 1, rate, 1, 0), 1, rate/2)
	for i, v := range out[0][:rate/2] {
		require.InDelta(t, sine(997)(int64(i)), v, 1e-12, "sample %d", i)
	}
}

// What two channels hear together stays together.
func TestChannelsStayTogether(t *testing.T) {
	both := func(i int64) float64 { return sine(200)(i) + 0.3*sine(1700)(i) }
	out, _ := play(t, stretch.New(of(5*rate, both, func(i int64) float64 { return -both(i) }), 2, rate, 0.5, 0), 2, rate)
	for i := range out[0] {
		require.Equal(t, out[0][i], -out[1][i])
	}
}

// Eight channels at half speed.
func BenchmarkHalfSpeed(b *testing.B) {
	x := make([]float64, 10*rate)
	for i := range x {
		x[i] = math.Sin(float64(i) * 0.03)
	}
	read := func(b audio.Block, frame int64) error {
		for c := range b {
			for i := range b[c] {
				b[c][i] = x[(frame+int64(i)+int64(len(x)))%int64(len(x))]
			}
		}
		return nil
	}
	s := stretch.New(read, 8, rate, 0.5, 0)
	out := audio.NewBlock(8, s.Step())
	for b.Loop() {
		if _, err := s.Next(out); err != nil {
			b.Fatal(err)
		}
	}
	b.ReportMetric(float64(s.Step())/rate*float64(b.N)/b.Elapsed().Seconds(), "times-real-time")
}
