// Package automation has curves over time: what a gain, a position or a level is at every sample. A curve is never
// changed once it is made; a value depends on nothing but the place that is asked for and the two points around it,
// so that it is the same however sound is cut or divided into blocks.
package automation

import (
	"fmt"
	"math"
	"slices"
	"sort"
)

// Shape is how a curve goes from a point to the next one.
type Shape string

// The shapes.
const (
	Straight Shape = ""       // evenly
	Smooth   Shape = "smooth" // a raised cosine: level at both points
	Hold     Shape = "hold"   // stays, and jumps at the next point
)

// Point is a value at a sample, and how the curve goes on from there.
type Point struct {
	At    int64   `json:"at"`
	Value float64 `json:"value"`
	Shape Shape   `json:"shape,omitempty"`
}

// Curve is a value over time: before its first point that of the first, after its last that of the last. Points are in
// order of time, one a sample. A curve without points is none: it has no value to give.
type Curve []Point

// MaxPoints bounds one curve.
const MaxPoints = 100_000

// Check refuses points out of order, values beyond the bounds and shapes that are not known.
func (c Curve) Check(least, most float64) error {
	if len(c) > MaxPoints {
		return fmt.Errorf("%d points: a curve has up to %d", len(c), MaxPoints)
	}
	for i, p := range c {
		if i > 0 && p.At <= c[i-1].At {
			return fmt.Errorf("point %d at sample %d does not lie after the one before it", i+1, p.At)
		}
		if !(p.Value >= least && p.Value <= most) {
			return fmt.Errorf("point %d has the value %g: %g to %g can be had", i+1, p.Value, least, most)
		}
		if p.Shape != Straight && p.Shape != Smooth && p.Shape != Hold {
			return fmt.Errorf("point %d goes on in the shape %q: straight, smooth or hold can be had", i+1, p.Shape)
		}
	}
	return nil
}

// after is the index of the first point after a sample.
func (c Curve) after(at int64) int {
	return sort.Search(len(c), func(i int) bool { return c[i].At > at })
}

// Value is the curve's value at a sample.
func (c Curve) Value(at int64) float64 {
	i := c.after(at)
	switch {
	case i == 0:
		return c[0].Value
	case i == len(c):
		return c[i-1].Value
	}
	return between(c[i-1], c[i], at)
}

func between(a, b Point, at int64) float64 {
	if a.Shape == Hold || a.Value == b.Value {
		return a.Value
	}
	t := float64(at-a.At) / float64(b.At-a.At)
	if a.Shape == Smooth {
		t = (1 - math.Cos(math.Pi*t)) / 2
	}
	return a.Value + float64((b.Value-a.Value)*t)
}

// Fill gives the values of len(dst) samples from one on.
func (c Curve) Fill(dst []float64, at int64) {
	i := c.after(at)
	for n := 0; n < len(dst); {
		switch {
		case i == 0 || i == len(c):
			v, to := c[max(0, i-1)].Value, len(dst)
			if i == 0 {
				to = int(min(int64(to), c[0].At-at))
			}
			for ; n < to; n++ {
				dst[n] = v
			}
		default:
			to := int(min(int64(len(dst)), c[i].At-at))
			a, b := c[i-1], c[i]
			if a.Shape == Hold || a.Value == b.Value {
				for ; n < to; n++ {
					dst[n] = a.Value
				}
			}
			for ; n < to; n++ {
				dst[n] = between(a, b, at+int64(n))
			}
		}
		i++
	}
}

// Constant reports whether all of [from, to) has one value, and which.
func (c Curve) Constant(from, to int64) (float64, bool) {
	least, most := c.Range(from, to)
	return least, least == most
}

// Range is the least and the greatest value in [from, to). Every shape stays between its points.
func (c Curve) Range(from, to int64) (least, most float64) {
	least, most = c.Value(from), c.Value(from)
	see := func(v float64) { least, most = min(least, v), max(most, v) }
	if to-1 > from {
		see(c.Value(to - 1))
	}
	for i := c.after(from); i < len(c) && c[i].At < to; i++ {
		see(c[i].Value)
		if i > 0 && c[i-1].Shape == Hold {
			see(c[i-1].Value)
		}
	}
	return least, most
}

// Moved is the curve so many samples later.
func (c Curve) Moved(by int64) Curve {
	if by == 0 {
		return c
	}
	out := slices.Clone(c)
	for i := range out {
		out[i].At += by
	}
	return out
}

// Opened is the curve with time put in at a sample: what lay there and after lies later. Where the curve was on its
// way from a point to another it is longer on its way.
func (c Curve) Opened(at, length int64) Curve {
	out := slices.Clone(c)
	for i := range out {
		if out[i].At >= at {
			out[i].At += length
		}
	}
	return out
}

// Closed is the curve with the time [from, to) taken out: what lay before keeps its values, and what lay after has them
// so much earlier. A smooth way that is cut goes smoothly between what is left of it.
func (c Curve) Closed(from, to int64) Curve {
	if len(c) == 0 || from >= to {
		return c
	}
	var out Curve
	for _, p := range c {
		if p.At < from-1 {
			out = append(out, p)
		}
	}
	resume := Point{At: from, Value: c.Value(to)}
	k := c.after(to)
	if k > 0 {
		resume.Shape = c[k-1].Shape
	}
	out = append(out, Point{At: from - 1, Value: c.Value(from - 1), Shape: Hold}, resume)
	for _, p := range c[k:] {
		p.At -= to - from
		out = append(out, p)
	}
	return out.thinned()
}

// thinned drops points that a value does not depend on: those within a stretch of one value.
func (c Curve) thinned() Curve {
	var out Curve
	for i, p := range c {
		if i > 0 && i+1 < len(c) && out[len(out)-1].Value == p.Value && p.Value == c[i+1].Value {
			continue
		}
		out = append(out, p)
	}
	return out
}
