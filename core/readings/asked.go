package readings

import (
	"math"

	"zestyloom/core/delivery"
	"zestyloom/core/loudness"
	"zestyloom/core/weave"
)

// Asking says which limits are asked of what.
type Asking struct {
	Name string
	of   func(m Measurement, v Measured) (loudness.Limits, bool)
}

// Of are the limits that are asked of something that was measured; false for none.
func (a Asking) Of(m Measurement, v Measured) (loudness.Limits, bool) { return a.of(m, v) }

// Everywhere asks for limits of what a recipient measures: of mixes, or of stems where there is no mix that sounds. Groups
// of outputs that are a bus as it is are not asked twice.
func Everywhere(l loudness.Limits) Asking {
	return Asking{l.Name, func(m Measurement, v Measured) (loudness.Limits, bool) {
		mixed := false
		for _, o := range m.Of {
			mixed = mixed || o.Role == weave.Mix && o.Says == "" && !math.IsInf(o.Result.Integrated, -1)
		}
		if mixed {
			return l, v.Role == weave.Mix
		}
		return l, v.Role == weave.Stem
	}}
}

// BySpec asks for what a specification asks for, of whatever it names. A group of outputs that is a bus as it is, is not asked
// twice.
func BySpec(s delivery.Spec) Asking {
	return Asking{s.Name, func(_ Measurement, v Measured) (loudness.Limits, bool) {
		if v.As != "" {
			return loudness.Limits{}, false
		}
		return s.LimitsOf(delivery.Measured{Name: v.Name, Role: string(v.Role)})
	}}
}
