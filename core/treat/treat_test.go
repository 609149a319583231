package treat_test

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/treat"
)

func TestHighPassResponse(t *testing.T) {
	for _, rate := range []int{44100, 48000, 96000} {
		for _, hz := range []float64{20, 80, 120, 400} {
			for _, f := range []float64{hz / 4, hz, 4 * hz, 1000} {
				h := treat.NewHighPass(hz, rate)
				n := 2 * rate
				x := make([]float64, n)
				for i := range x {
					x[i] = math.Sin(2 * math.Pi * f * float64(i) / float64(rate))
				}
				h.Apply(x)
				s, c := 0.0, 0.0
				for i := n / 2; i < n; i++ {
					s += x[i] * math.Sin(2*math.Pi*f*float64(i)/float64(rate))
					c += x[i] * math.Cos(2*math.Pi*f*float64(i)/float64(rate))
				}
				got := 20 * math.Log10(math.Hypot(s, c)*2/float64(n/2))
				// The analogue Butterworth at frequencies warped as the bilinear transform does.
				w := math.Tan(math.Pi*f/float64(rate)) / math.Tan(math.Pi*hz/float64(rate))
				assert.InDelta(t, 10*math.Log10(math.Pow(w, 4)/(1+math.Pow(w, 4))), got, 0.02, "%g Hz through %g Hz at %d", f, hz, rate)
			}
		}
	}
}

func TestSettleAndOvershoot(t *testing.T) {
	for _, hz := range []float64{20, 100, 400} {
		h := treat.NewHighPass(hz, 48000)
		x := make([]float64, 48000*3)
		x[0] = 1
		h.Apply(x)
		sum := 0.0
		for i, v := range x {
			sum += math.Abs(v)
			if int64(i) >= treat.Settle(hz, 48000) {
				require.Less(t, math.Abs(v), 1e-9, "sample %d at %g Hz", i, hz)
			}
		}
		assert.Less(t, sum, treat.Overshoot)
	}
}

func TestGainsAreExact(t *testing.T) {
	assert.Equal(t, 1.0, treat.Treatment{}.Gain())
	assert.Equal(t, -1.0, treat.Treatment{Invert: true}.Gain())
	assert.InDelta(t, -0.5011872336, treat.Treatment{Invert: true, TrimDB: -6}.Gain(), 1e-9)
}

func TestCheck(t *testing.T) {
	assert.NoError(t, treat.Treatment{TrimDB: -12, HighPass: 80, Delay: -48}.Check())
	for _, bad := range []treat.Treatment{{TrimDB: 25}, {TrimDB: math.NaN()}, {HighPass: 5}, {HighPass: 500}, {HighPass: -1}, {Delay: 1 << 40}} {
		assert.Error(t, bad.Check(), "%+v", bad)
	}
}
