package automation

import "slices"

// Sum is a curve that has at every sample what two others have together, as far as both are straight or hold; where one
// is smooth the sum goes straight between the points of both.
func Sum(a, b Curve) Curve {
	switch {
	case len(a) == 0:
		return slices.Clone(b)
	case len(b) == 0:
		return slices.Clone(a)
	}
	var at []int64
	for _, c := range []Curve{a, b} {
		for _, p := range c {
			at = append(at, p.At)
		}
	}
	slices.Sort(at)
	var out Curve
	for _, t := range slices.Compact(at) {
		// A curve that holds leaps at its next point: the sum stands before it at the sample before.
		if (a.leaps(t) || b.leaps(t)) && len(out) > 0 && out[len(out)-1].At < t-1 {
			out = append(out, Point{At: t - 1, Value: a.Value(t-1) + b.Value(t-1)})
		}
		out = append(out, Point{At: t, Value: a.Value(t) + b.Value(t)})
	}
	return out
}

// leaps reports whether a curve jumps at a sample.
func (c Curve) leaps(at int64) bool {
	i := c.after(at)
	return i > 1 && c[i-1].At == at && c[i-2].Shape == Hold
}
