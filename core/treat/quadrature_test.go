package treat

import (
	"fmt"
	"math"
	"math/cmplx"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// response is what a processor's sections do to a frequency, worked out from their coefficients.
func response(p *Processor, hz float64, rate int) complex128 {
	z := cmplx.Exp(complex(0, -2*math.Pi*hz/float64(rate)))
	c := func(x float64) complex128 { return complex(x, 0) }
	h := complex(1, 0)
	for _, s := range p.sections {
		h *= (c(s.b0) + c(s.b1)*z + c(s.b2)*z*z) / (1 + c(s.a1)*z + c(s.a2)*z*z)
	}
	return h
}

func TestTheTwoAllPassesAreNinetyDegreesApart(t *testing.T) {
	for _, rate := range []int{44100, 48000, 88200, 96000, 192000} {
		ahead, other := allPass(true, 1, rate), allPass(false, 1, rate)
		worst := 0.0
		for hz := float64(QuadratureFrom); hz <= float64(rate)/2-QuadratureFrom; hz *= 1.003 {
			a, b := response(ahead, hz, rate), response(other, hz, rate)
			require.InDelta(t, 1, cmplx.Abs(a), 1e-9)
			require.InDelta(t, 1, cmplx.Abs(b), 1e-9)
			worst = max(worst, math.Abs(cmplx.Phase(a/b)*180/math.Pi-90))
		}
		t.Logf("%d Hz: %.4f° off at the most, settles in %d samples", rate, worst, ahead.Settle())
		assert.LessOrEqual(t, worst, QuadratureOff, "at %d Hz", rate)
		assert.Equal(t, ahead.Settle(), other.Settle())
		assert.Less(t, ahead.Settle(), int64(2*rate))
		for _, p := range []*Processor{ahead, other} {
			impulse, most := make([]float64, p.cell), 0.0
			impulse[0] = 1
			p.Apply([][]float64{impulse}, 0)
			for _, v := range impulse {
				most += math.Abs(v)
			}
			t.Logf("%.2f", most)
			assert.Less(t, most, float64(quadratureMost))
		}
	}
}

// What comes out of the time domain is what the coefficients say, at any split, from anywhere on.
func TestAnAllPassIsAFunctionOfThePlace(t *testing.T) {
	const rate, n = 48000, 400000
	rng := rand.New(rand.NewPCG(7, 7))
	x := make([]float64, n)
	for i := range x {
		x[i] = math.Sin(2 * math.Pi * 997 / rate * float64(i))
	}
	whole := append([]float64{}, x...)
	allPass(true, 1, rate).Apply([][]float64{whole}, 0)
	h := response(allPass(true, 1, rate), 997, rate)
	for i := 200000; i < n; i += 37 {
		want := imag(h * cmplx.Exp(complex(0, 2*math.Pi*997/rate*float64(i))))
		require.InDelta(t, want, whole[i], 1e-8, "sample %d", i)
	}
	for range 6 {
		p := allPass(true, 1, rate)
		from := rng.Int64N(n - 1000)
		for at := p.Reach(from); at < n; {
			k := min(1+rng.Int64N(9000), n-at)
			part := append([]float64{}, x[at:at+k]...)
			p.Apply([][]float64{part}, at)
			for i, v := range part {
				if at+int64(i) >= from && v != whole[at+int64(i)] {
					require.Fail(t, fmt.Sprintf("sample %d is %v and not %v, heard from %d", at+int64(i), v, whole[at+int64(i)], from))
				}
			}
			at += k
		}
	}
}
