package loudness

import (
	"math"

	"zestyloom/core/automation"
)

// Dip is a stretch in which a gain over time is not 0 dB.
type Dip struct {
	From, To int64   // in the curve's time
	Most     float64 // dB: the furthest from 0 that it goes
	At       int64   // where
}

// Dips lists the stretches in which a curve does something, those that are nearer than apart as one.
func Dips(c automation.Curve, apart int64) (out []Dip) {
	for i, p := range c {
		before, after := 0.0, 0.0
		if i > 0 {
			before = c[i-1].Value
		}
		if i+1 < len(c) {
			after = c[i+1].Value
		}
		if p.Value == 0 && before == 0 && after == 0 {
			continue
		}
		n := len(out) - 1
		begins := p.Value == 0 && before == 0 // on its way down
		if n < 0 || begins && p.At-out[n].To >= apart {
			out = append(out, Dip{From: p.At, To: p.At, At: p.At})
			n++
		}
		d := &out[n]
		d.To = p.At
		if math.Abs(p.Value) > math.Abs(d.Most) {
			d.Most, d.At = p.Value, p.At
		}
	}
	return out
}
