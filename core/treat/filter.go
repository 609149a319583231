package treat

import (
	"math"
	"slices"

	"zestyloom/core/snag"
)

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
