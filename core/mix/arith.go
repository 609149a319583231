package mix

import (
	"math"

	"zestyloom/core/weave"
)

// scale multiplies samples in place.
func scale(x []float64, factor float64) {
	for i, v := range x {
		x[i] = v * factor
	}
}

// shape multiplies samples in place by a factor each. Where that is 0 there is silence, whatever lay there.
func shape(x, factors []float64) {
	factors = factors[:len(x)]
	for i, f := range factors {
		if f == 0 {
			x[i] = 0
		} else {
			x[i] *= f
		}
	}
}

// add adds samples times a factor. Where they are the first, what lies in dst is nothing. Products are rounded on their
// own, so that every machine gives the same bits, and 0 is added to the first, so that a sum is never -0.
func add(dst, src []float64, factor float64, first bool) {
	dst = dst[:len(src)]
	switch {
	case first:
		for i, v := range src {
			dst[i] = 0 + float64(v*factor)
		}
	case factor == 1:
		for i, v := range src {
			dst[i] += v
		}
	default:
		for i, v := range src {
			dst[i] += float64(v * factor)
		}
	}
}

// term is a signal times a factor, as part of a sum.
type term struct {
	samples []float64
	factor  float64
}

// addAll adds several signals, each times its factor, in order: the bits are those of add, one after the other, at fewer
// passes over dst.
func addAll(dst []float64, terms []term, first bool) {
	for len(terms) >= 4 {
		n := len(dst)
		a, b, c, d := terms[0].samples[:n], terms[1].samples[:n], terms[2].samples[:n], terms[3].samples[:n]
		f, g, h, k := terms[0].factor, terms[1].factor, terms[2].factor, terms[3].factor
		if first {
			for i := range dst {
				s := 0 + float64(a[i]*f)
				s += float64(b[i] * g)
				s += float64(c[i] * h)
				dst[i] = s + float64(d[i]*k)
			}
		} else {
			for i := range dst {
				s := dst[i] + float64(a[i]*f)
				s += float64(b[i] * g)
				s += float64(c[i] * h)
				dst[i] = s + float64(d[i]*k)
			}
		}
		terms, first = terms[4:], false
	}
	for _, t := range terms {
		add(dst, t.samples, t.factor, first)
		first = false
	}
}

// addShaped adds samples times a factor each, which is itself times another.
func addShaped(dst, src, factors []float64, factor float64, first bool) {
	dst, factors = dst[:len(src)], factors[:len(src)]
	if first {
		for i, v := range src {
			dst[i] = 0 + float64(v*float64(factors[i]*factor))
		}
		return
	}
	for i, v := range src {
		dst[i] += float64(v * float64(factors[i]*factor))
	}
}

// steps are 2^(i/32). They come from square roots, which are rounded in one way everywhere.
var steps = func() (t [32]float64) {
	root := 2.0
	for i := range t {
		t[i] = 1
	}
	for bit := 16; bit > 0; bit /= 2 {
		root = math.Sqrt(root)
		for i := range t {
			if i&bit != 0 {
				t[i] *= root
			}
		}
	}
	return t
}()

// Terms of 2^x = Σ (x ln 2)^n / n!, which for |x| ≤ 1/64 leave under 2^-57 after these.
const (
	term1 = math.Ln2
	term2 = term1 * math.Ln2 / 2
	term3 = term2 * math.Ln2 / 3
	term4 = term3 * math.Ln2 / 4
	term5 = term4 * math.Ln2 / 5
	term6 = term5 * math.Ln2 / 6
)

// factor is a moving gain in dB as a factor: what weave.Factor is of one at rest, within 1e-14 of it, but quicker, and
// with the same bits on every machine. It is exactly 1 at 0 dB, and 0 at weave.MinGain and below.
func factor(db float64) float64 {
	if db <= weave.MinGain {
		return 0
	}
	x := db * (math.Ln10 / math.Ln2 / 20)
	n := math.RoundToEven(x * 32)
	x -= n / 32
	k := int64(n)
	xx := float64(x * x)
	high := float64(xx*(term4+float64(term5*x)+float64(term6*xx))) + term2 + float64(term3*x)
	y := 1 + float64(term1*x) + float64(xx*high)
	return float64(y*steps[k&31]) * math.Float64frombits(uint64(1023+k>>5)<<52)
}
