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

// Kind is what a band does.
type Kind string

// The bands.
const (
	Bell      Kind = "bell"       // raises or lowers what lies about its frequency
	LowShelf  Kind = "low_shelf"  // what lies below
	HighShelf Kind = "high_shelf" // what lies above
)

// Kinds are those of bands.
var Kinds = []Kind{Bell, LowShelf, HighShelf}

// Band is a bell or a shelf. The zero value is none.
type Band struct {
	Kind Kind    `json:"kind"`
	Hz   float64 `json:"hz"` // its middle: of a shelf, where it has half its gain in dB
	DB   float64 `json:"db"` // MinBandDB to MaxBandDB
	Q    float64 `json:"q"`  // MinQ to MaxQ; of a shelf, 0.7071 has no bump
}

// Limits of filters.
const (
	MinHz, MaxHz         = 10, 22000
	MinBandDB, MaxBandDB = -24, 24
	MinQ, MaxQ           = 0.1, 20
)

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

func (b Band) check() error {
	switch {
	case b == Band{}:
		return nil
	case !slices.Contains(Kinds, b.Kind):
		return snag.Refuse("bad_treatment", "a band %q: expected one of %v", b.Kind, Kinds)
	case !(b.Hz >= MinHz && b.Hz <= MaxHz):
		return snag.Refuse("bad_treatment", "a band at %g Hz: %d Hz to %d Hz can be had", b.Hz, MinHz, MaxHz)
	case !(b.DB >= MinBandDB && b.DB <= MaxBandDB):
		return snag.Refuse("bad_treatment", "a band of %g dB: %d dB to %d dB can be had", b.DB, MinBandDB, MaxBandDB)
	case !(b.Q >= MinQ && b.Q <= MaxQ):
		return snag.Refuse("bad_treatment", "a band with a Q of %g: %g to %d can be had", b.Q, MinQ, MaxQ)
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

// sections are those of a pass at a sample rate.
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
	return out
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

// lowPass is the matched or the fitted one, whichever is nearer in what it lets through, and exactly 1 at zero.
func lowPass(a analogue, w float64) section {
	best, least := section{}, math.Inf(1)
	s := matched(a, w)
	for _, s := range []section{s, s.fitted(a, w)} {
		f := 1 / s.at(0)
		s.b0, s.b1, s.b2 = f*s.b0, f*s.b1, f*s.b2
		most := 0.0
		for u := 1.0 / 16; u*w < 0.95*math.Pi && a.at(u) > 0.3; u *= 1.1 { // of what it lets through
			most = max(most, math.Abs(math.Log(s.at(u*w)/a.at(u))))
		}
		if most < least {
			best, least = s, most
		}
	}
	return best
}

// analogue is what a band would be, built of parts: R. Bristow-Johnson's prototypes ("Cookbook formulae for audio equalizer
// biquad filter coefficients").
func (b Band) analogue() analogue {
	a := math.Pow(10, b.DB/40)
	switch b.Kind {
	case LowShelf:
		// A (s² + √A/Q s + A) / (A s² + √A/Q s + 1)
		return analogue{1, math.Sqrt(a) / b.Q, a, 1 / (math.Sqrt(a) * b.Q), 1 / a}
	case HighShelf:
		// A (A s² + √A/Q s + 1) / (s² + √A/Q s + A)
		return analogue{a * a, a * math.Sqrt(a) / b.Q, a, math.Sqrt(a) / b.Q, a}
	}
	return analogue{1, a / b.Q, 1, 1 / (a * b.Q), 1}
}

// section is a band at a sample rate. One that raises is the inverse of the one that lowers as much, so that each undoes the
// other exactly.
func (b Band) section(rate int) (section, bool) {
	w := 2 * math.Pi * b.Hz / float64(rate)
	if b == (Band{}) || b.DB == 0 || w >= math.Pi {
		return section{}, false
	}
	// The one of the two whose poles lie lower, or ring, is matched best.
	easy := b
	easy.DB = math.Abs(b.DB)
	if b.Kind == HighShelf {
		easy.DB = -easy.DB
	}
	s := matched(easy.analogue(), w)
	if w > fitFrom {
		s = s.fitted(easy.analogue(), w)
	}
	if easy.DB != b.DB {
		s = s.inverse()
	}
	return s, true
}
