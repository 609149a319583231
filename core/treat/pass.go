package treat

import (
	"math"
	"slices"

	"zestyloom/core/snag"
)

// Pass is a high-pass or a low-pass, Butterworth: 3 dB down at its frequency. The zero value is none.
type Pass struct {
	Hz    float64 `json:"hz"`    // MinHz to MaxHz
	Slope int     `json:"slope"` // dB an octave: one of Slopes
}

// Slopes are those that passes can have, in dB an octave.
var Slopes = []int{6, 12, 18, 24, 36, 48}

func (p Pass) check(what string) error {
	switch {
	case p == Pass{}:
		return nil
	case !(p.Hz >= MinHz && p.Hz <= MaxHz):
		return snag.Refuse("bad_treatment", "a %s at %g Hz: %d Hz to %d Hz can be had", what, p.Hz, MinHz, MaxHz)
	case !slices.Contains(Slopes, p.Slope):
		return snag.Refuse("bad_treatment", "a %s of %d dB an octave: expected one of %v", what, p.Slope, Slopes)
	}
	return nil
}

// butterworth are the Qs of the sections of an order, and whether one of first order is left over.
func butterworth(order int) (qs []float64, odd bool) {
	for k := range order / 2 {
		qs = append(qs, 1/(2*math.Cos(math.Pi*(float64(2*k+1+order%2)/float64(2*order)))))
	}
	return qs, order%2 == 1
}

// sections are those of a pass at a sample rate: matched to the analogue ones, one by one, and where the rate bends them fitted
// together, since small differences of each would add up.
func (p Pass) sections(high bool, rate int) (out []section) {
	if p == (Pass{}) {
		return nil
	}
	w := 2 * math.Pi * p.Hz / float64(rate)
	if w >= math.Pi {
		if high {
			return []section{{}} // all of it lies below
		}
		return nil
	}
	qs, odd := butterworth(p.Slope / 6)
	for _, q := range qs {
		if high {
			out = append(out, highPass(q, w))
		} else {
			out = append(out, lowPass(analogue{n0: 1, d1: 1 / q, d0: 1}, w))
		}
	}
	switch {
	case odd && high:
		out = append(out, highPass1(w))
	case odd:
		// One of first order, with a second pole and zero to bend it as the analogue one is.
		out = append(out, lowPass(analogue{n1: 1, n0: 1, d1: 2, d0: 1}, w))
	}
	if w > fitFrom {
		out = p.together(out, high, w)
	}
	return out
}

// together moves the coefficients of a pass's sections until the product of their levels is the analogue's, down to 40 dB: what may
// differ is a twelfth of a decibel and a sixtieth of how far down it is. A low-pass stays exactly 1 at zero.
func (p Pass) together(list []section, high bool, w float64) []section {
	f := fit{free: make([][]int, len(list)), unity: !high}
	zeros := func(float64) float64 { return 1 }
	if high {
		zeros = func(freq float64) float64 { return math.Pow(2*math.Sin(freq/2), float64(p.Slope/6)) }
	}
	low, top := w/8, 0.95*math.Pi
	for freq, step := low, math.Pow(top/low, 1.0/80); freq <= top*1.0001; freq *= step {
		if level := p.level(high, freq/w); level > 0.01 {
			f.add(freq, level/zeros(freq), math.Ln10/20*(1.0/12-20*math.Log10(level)/60))
		}
	}
	if !high {
		for k := range list {
			f.free[k] = []int{b1, b2, a1, a2}
		}
		list = f.run(list)
		for k, s := range list {
			list[k] = s.unity()
		}
		return list
	}
	// The zeros of a high-pass stay at zero: they are taken off, its poles moved and one factor, and they are put on again. What is
	// of first order gets a pole and a zero more, which begin on each other.
	single := make([]bool, len(list))
	for k, s := range list {
		f.free[k] = []int{a1, a2}
		single[k] = s.b2 == 0
		list[k].b1, list[k].b2 = 0, 0
		if single[k] {
			const begin = 0.2
			f.free[k] = []int{b1, a1, a2}
			list[k].b1, list[k].a1, list[k].a2 = begin*s.b0, s.a1+begin, s.a1*begin
		}
	}
	f.free[0] = append(f.free[0], b0)
	list = f.run(list)
	for k, s := range list {
		if single[k] {
			list[k].b1, list[k].b2 = s.b1-s.b0, -s.b1 // by 1 - 1/z
		} else {
			list[k].b1, list[k].b2 = -2*s.b0, s.b0 // by its square
		}
	}
	return list
}

// level is that of the analogue pass at so many times its frequency, as a factor.
func (p Pass) level(high bool, u float64) float64 {
	if high {
		u = 1 / u
	}
	return 1 / math.Sqrt(1+math.Pow(u, float64(p.Slope)/3))
}

// highPass has both its zeros at zero, where a matched one would let a little through.
func highPass(q, w float64) section {
	s := matched(analogue{n0: 1, d1: 1 / q, d0: 1}, w) // for its poles
	s.b0, s.b1, s.b2 = 1, -2, 1
	f := q / s.at(w)
	s.b0, s.b1, s.b2 = f, -2*f, f
	return s
}

// highPass1 is the one of first order.
func highPass1(w float64) section {
	s := section{b0: 1, b1: -1, a1: -math.Exp(-w)}
	f := math.Sqrt2 / 2 / s.at(w)
	s.b0, s.b1 = f, -f
	return s
}

// lowPass is the matched one, exactly 1 at zero.
func lowPass(a analogue, w float64) section {
	return matched(a, w).unity()
}
