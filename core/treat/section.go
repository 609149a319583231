package treat

import (
	"math"
	"math/cmplx"
)

// section is a filter of second order: H(z) = (b0 + b1/z + b2/z²) / (1 + a1/z + a2/z²).
type section struct {
	b0, b1, b2, a1, a2 float64
}

// analogue is the filter that a section stands for, with s in units of its frequency:
// H(s) = (n2 s² + n1 s + n0) / (s² + d1 s + d0).
type analogue struct {
	n2, n1, n0, d1, d0 float64
}

// at is its level at so many times its frequency, as a factor.
func (a analogue) at(u float64) float64 {
	s := complex(0, u)
	return cmplx.Abs((complex(a.n2, 0)*s*s + complex(a.n1, 0)*s + complex(a.n0, 0)) / (s*s + complex(a.d1, 0)*s + complex(a.d0, 0)))
}

// inverse undoes it.
func (s section) inverse() section {
	return section{1 / s.b0, s.a1 / s.b0, s.a2 / s.b0, s.b1 / s.b0, s.b2 / s.b0}
}

// matched makes the section of an analogue filter at w, its frequency in radians a sample. Its poles are those of the
// analogue one by impulse invariance, and its zeros give it the analogue's level at zero, at its own frequency and at half
// the sample rate, so that it has its shape up to there, where a bilinear transform alone would bend it: M. Vicanek,
// "Matched Second Order Digital Filters" (2016). Its inverse is stable, too.
func matched(a analogue, w float64) section {
	var s section
	// The poles are at w·(-d1/2 ± √(d1²/4 - d0)).
	damp, swing := a.d1/2*w, (a.d0-a.d1*a.d1/4)*w*w
	if swing >= 0 {
		s.a1 = -2 * math.Exp(-damp) * math.Cos(math.Sqrt(swing))
	} else {
		s.a1 = -math.Exp(-damp+math.Sqrt(-swing)) - math.Exp(-damp-math.Sqrt(-swing))
	}
	s.a2 = math.Exp(-2 * damp)
	// |1 + a1/z + a2/z²|² is A0 p0 + A1 p1 + A2 p2 of these functions of the frequency, and so is the numerator's of B.
	sq := func(x float64) float64 { return x * x }
	a0, a1, a2 := sq(1+s.a1+s.a2), sq(1-s.a1+s.a2), -4*s.a2
	p1 := sq(math.Sin(min(w, 0.97*math.Pi) / 2)) // one that lies at the edge is matched a little below it
	p0 := 1 - p1
	p2 := 4 * p0 * p1
	b0 := a0 * sq(a.at(0))
	b1 := a1 * sq(a.at(math.Pi/w))
	b2 := (sq(a.at(min(1, 0.97*math.Pi/w)))*(a0*p0+a1*p1+a2*p2) - b0*p0 - b1*p1) / p2
	half := (math.Sqrt(b0) + math.Sqrt(b1)) / 2
	s.b0 = (half + math.Sqrt(max(0, half*half+b2))) / 2
	s.b1 = (math.Sqrt(b0) - math.Sqrt(b1)) / 2
	s.b2 = -b2 / (4 * s.b0)
	return s
}

// at is a section's level at w radians a sample, as a factor.
func (s section) at(w float64) float64 {
	z := cmplx.Exp(complex(0, -w))
	c := func(x float64) complex128 { return complex(x, 0) }
	return cmplx.Abs((c(s.b0) + c(s.b1)*z + c(s.b2)*z*z) / (1 + c(s.a1)*z + c(s.a2)*z*z))
}

// unity is a section at the level that makes it exactly 1 at zero.
func (s section) unity() section {
	f := 1 / s.at(0)
	s.b0, s.b1, s.b2 = f*s.b0, f*s.b1, f*s.b2
	return s
}

// slowest is the magnitude of the pole that rings longest.
func (s section) slowest() float64 {
	d := cmplx.Sqrt(complex(s.a1*s.a1/4-s.a2, 0))
	return max(cmplx.Abs(complex(-s.a1/2, 0)+d), cmplx.Abs(complex(-s.a1/2, 0)-d))
}

// decay is after how many samples what a section has heard has died away, by filterDecay.
func (s section) decay() int64 {
	return int64(math.Ceil(filterDecay / -math.Log(min(s.slowest(), 1-1e-7))))
}

// sum is the sum of the magnitudes of a section's impulse response: by what it can go beyond what it hears at the most.
func (s section) sum() float64 {
	sum, in := 0.0, 1.0
	var z1, z2 float64
	for range int(min(1<<20, filterDecay/-math.Log(min(s.slowest(), 1-1e-7))+8)) {
		y := s.b0*in + z1
		z1, z2 = s.b1*in-s.a1*y+z2, s.b2*in-s.a2*y
		sum += math.Abs(y)
		in = 0
	}
	return sum
}
