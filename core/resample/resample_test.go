package resample_test

import (
	"fmt"
	"math"
	"math/big"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/resample"
)

var made = map[[2]int]*resample.Converter{} // tables take a while to work out

// convert converts a whole signal, given by a function of the input sample, in one piece.
func convert(t testing.TB, from, to int, at int64, n int, signal func(i int64) float64) []float64 {
	t.Helper()
	c := made[[2]int{from, to}]
	if c == nil {
		var err error
		c, err = resample.New(from, to)
		require.NoError(t, err)
		made[[2]int{from, to}] = c
	}
	lo, hi := c.Needs(at, n)
	in := make([]float64, hi-lo)
	for i := range in {
		in[i] = signal(lo + int64(i))
	}
	out := make([]float64, n)
	c.Convert(out, in, at)
	return out
}

func sine(freq float64, rate int) func(int64) float64 {
	return func(i int64) float64 { return math.Sin(2 * math.Pi * freq * float64(i) / float64(rate)) }
}

// amplitude fits a sine of a frequency to x by least squares and returns its amplitude, its phase
// against sin(0), and the root mean square of what is left.
func amplitude(x []float64, freq float64, rate int, at int64) (a, phase, rest float64) {
	var ss, sc, cc, xs, xc float64
	for i, v := range x {
		s, c := math.Sincos(2 * math.Pi * freq * float64(at+int64(i)) / float64(rate))
		ss, sc, cc, xs, xc = ss+s*s, sc+s*c, cc+c*c, xs+v*s, xc+v*c
	}
	d := ss*cc - sc*sc
	p, q := (xs*cc-xc*sc)/d, (xc*ss-xs*sc)/d
	for i, v := range x {
		s, c := math.Sincos(2 * math.Pi * freq * float64(at+int64(i)) / float64(rate))
		e := v - p*s - q*c
		rest += e * e
	}
	return math.Hypot(p, q), math.Atan2(q, p), math.Sqrt(rest / float64(len(x)))
}

func db(x float64) float64 { return 20 * math.Log10(x) }

// The rates met, both ways; 48048 and 47952 are pull-up and pull-down; the last has more phases
// than the table holds.
var pairs = [][2]int{{44100, 48000}, {48000, 44100}, {48000, 96000}, {96000, 48000}, {192000, 48000}, {48048, 48000}, {48000, 48048}, {47952, 48000}, {32000, 48000}, {8000, 48000}, {44100, 47999}}

func TestPassBandIsFlatAndInPlace(t *testing.T) {
	for _, p := range pairs {
		t.Run(fmt.Sprint(p[0], "to", p[1]), func(t *testing.T) {
			low := float64(min(p[0], p[1]))
			for _, part := range []float64{0.001, 0.01, 0.1, 0.25, 0.4, 0.43, 0.45} {
				f := part * low
				x := convert(t, p[0], p[1], 5000, 6000, sine(f, p[0]))
				a, phase, rest := amplitude(x, f, p[1], 5000)
				assert.InDelta(t, 0, db(a), 0.01, "level at %g Hz", f)
				assert.InDelta(t, 0, phase, 1e-5, "phase at %g Hz: nothing may be delayed", f)
				// All that is not the sine is images, aliases and errors.
				assert.Less(t, db(rest*math.Sqrt2), -120.0, "beside the sine at %g Hz", f)
			}
		})
	}
}

func TestAliasesAreGone(t *testing.T) {
	for _, p := range pairs {
		if p[0] <= p[1] {
			continue // going up, what lies beside the sine is tested above
		}
		for _, part := range []float64{0.5, 0.55, 0.7, 0.999} {
			f := part * float64(p[1])
			if f >= float64(p[0])/2 {
				continue
			}
			x := convert(t, p[0], p[1], 1000, 5000, sine(f, p[0]))
			sum := 0.0
			for _, v := range x {
				sum += v * v
			}
			assert.Less(t, db(math.Sqrt(2*sum/float64(len(x)))), -120.0, "%d to %d at %g Hz", p[0], p[1], f)
		}
	}
}

func TestLengthIsExact(t *testing.T) {
	for _, p := range pairs {
		c, err := resample.New(p[0], p[1])
		require.NoError(t, err)
		for _, n := range []int64{0, 1, 2, 999, 48000, 12345678, 3 << 40} {
			got := c.Frames(n)
			// The last sample lies before the end of the sound, the next would not.
			end := new(big.Int).Mul(big.NewInt(n), big.NewInt(int64(p[1])))
			assert.Equal(t, -1, new(big.Int).Mul(big.NewInt(got-1), big.NewInt(int64(p[0]))).Cmp(end), "%d of %v", n, p)
			assert.NotEqual(t, -1, new(big.Int).Mul(big.NewInt(got), big.NewInt(int64(p[0]))).Cmp(end), "%d of %v", n, p)
		}
		assert.Equal(t, int64(p[1]), c.Frames(int64(p[0])), "a second is a second")
		assert.Equal(t, int64(p[1])*3600, c.Frames(int64(p[0])*3600))
	}
}

func TestPiecesAreTheWhole(t *testing.T) {
	for _, p := range pairs {
		s := sine(0.2*float64(p[0]), p[0])
		whole := convert(t, p[0], p[1], 0, 3000, s)
		var joined []float64
		for at, n := int64(0), 1; at < 3000; n = n*3 + 1 {
			n = int(min(int64(n), 3000-at))
			joined = append(joined, convert(t, p[0], p[1], at, n, s)...)
			at += int64(n)
		}
		assert.Equal(t, whole, joined, "%v: the same bits however it is cut", p)
	}
}

func TestConstantsStay(t *testing.T) {
	for _, p := range pairs {
		for _, v := range convert(t, p[0], p[1], 7, 500, func(int64) float64 { return 0.5 }) {
			assert.InDelta(t, 0.5, v, 1e-15)
		}
	}
}

// The worst input has the sign of each weight: an impulse's response, sampled, gives the weights.
func TestOvershootIsBounded(t *testing.T) {
	for _, p := range [][2]int{{44100, 48000}, {48000, 44100}, {96000, 48000}, {48048, 48000}} {
		worst := 0.0
		c, err := resample.New(p[0], p[1])
		require.NoError(t, err)
		made[p] = c
		for at := int64(1000); at < 1000+40; at++ {
			lo, hi := c.Needs(at, 1)
			sum := 0.0
			for k := lo; k < hi; k++ {
				sum += math.Abs(convert(t, p[0], p[1], at, 1, func(i int64) float64 {
					if i == k {
						return 1
					}
					return 0
				})[0])
			}
			worst = max(worst, sum)
			if p[0] == 96000 {
				break // one phase is all there is
			}
		}
		assert.Less(t, worst, resample.Overshoot, "%v", p)
	}
}

func TestRatesOutOfRange(t *testing.T) {
	for _, p := range [][2]int{{0, 48000}, {48000, -1}, {999, 48000}, {48000, 768001}} {
		_, err := resample.New(p[0], p[1])
		assert.ErrorContains(t, err, "can't be converted", "%v", p)
	}
}

func BenchmarkConvert(b *testing.B) {
	for _, p := range [][2]int{{44100, 48000}, {96000, 48000}, {48048, 48000}} {
		b.Run(fmt.Sprintf("%d to %d", p[0], p[1]), func(b *testing.B) {
			c, err := resample.New(p[0], p[1])
			if err != nil {
				b.Fatal(err)
			}
			out := make([]float64, p[1])
			lo, hi := c.Needs(0, len(out))
			in := make([]float64, hi-lo)
			for b.Loop() {
				c.Convert(out, in, 0)
			}
			b.ReportMetric(float64(b.N)/b.Elapsed().Seconds(), "times-real-time")
		})
	}
}
