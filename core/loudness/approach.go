package loudness

import "math"

// Approach comes to a loudness that follows what is asked for, less than one to one, as after a limiter: by the slope of what was
// asked and what came of it. Its zero value is ready.
type Approach struct {
	asked, came float64
	begun       bool
}

// near is how close is near enough, in LU, and flat the slope from which on giving more brings nothing: 30 dB more would be asked
// for one.
const (
	near    = 0.02
	flat    = 1.0 / 30
	mostOff = 12.0 // LU at once
)

// Next says what to ask for after asked has come to came, on the way to want, and false where that is near enough, or further
// asking brings nothing: then want can't be reached.
func (a *Approach) Next(asked, came, want float64) (next float64, more bool) {
	off := want - came
	slope := 1.0
	if a.begun && asked != a.asked {
		slope = (came - a.came) / (asked - a.asked)
	}
	a.asked, a.came, a.begun = asked, came, true
	if math.Abs(off) <= near || slope < flat || math.IsNaN(off) || math.IsInf(off, 0) {
		return asked, false
	}
	return asked + max(-mostOff, min(mostOff, off/min(1, slope))), true
}
