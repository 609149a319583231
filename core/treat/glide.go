package treat

import (
	"math"

	"zestyloom/core/automation"
)

// A filter that moves has, at every place, coefficients between those of two filters that stand: of a table of filters in steps of
// its figure. The denominators of stable sections are a triangle (of a1 and a2), so that what lies between two of them is stable,
// too. Between two places glideEvery apart, coefficients go straight, sample by sample: there are no steps.
const (
	glideEvery  = 32
	bandStep    = 1.0 // dB
	passSteps   = 24  // an octave
	highestPass = 0.45
	// glideMargin is what a moving filter may go beyond the bound of the ones that it is made of.
	glideMargin = 2
)

// glide is one section of a filter that moves.
type glide struct {
	curve automation.Curve
	scale func(value float64) float64 // in steps of the table
	first int                         // the step of its first row
	rows  []section
}

// at is the section at a place.
func (g *glide) at(place int64) section {
	x := g.scale(g.curve.Value(place)) - float64(g.first)
	i := int(min(max(math.Floor(x), 0), float64(len(g.rows)-2)))
	return between(g.rows[i], g.rows[i+1], min(max(x-float64(i), 0), 1))
}

func between(a, b section, t float64) section {
	mix := func(x, y float64) float64 { return x + float64(t*(y-x)) }
	return section{mix(a.b0, b.b0), mix(a.b1, b.b1), mix(a.b2, b.b2), mix(a.a1, b.a1), mix(a.a2, b.a2)}
}

// run filters samples that lie at a place, in place.
func (g *glide) run(x []float64, z *[2]float64, at int64) {
	z1, z2 := z[0], z[1]
	for i := 0; i < len(x); {
		begin := (at + int64(i)) / glideEvery * glideEvery
		from, to := g.at(begin), g.at(begin+glideEvery)
		first := int(at + int64(i) - begin)
		n := min(len(x)-i, glideEvery-first)
		still := from == to
		f := from
		for j := range n {
			if !still {
				f = between(from, to, float64(first+j)/glideEvery)
			}
			v := x[i+j]
			y := float64(f.b0*v) + z1
			z1 = float64(f.b1*v) + z2 - float64(f.a1*y)
			z2 = float64(f.b2*v) - float64(f.a2*y)
			x[i+j] = y
		}
		i += n
	}
	z[0], z[1] = z1, z2
}

// steps are the rows that a curve needs: from one step below the least value to one above the most.
func steps(c automation.Curve, scale func(float64) float64) (first, last int) {
	least, most := math.Inf(1), math.Inf(-1)
	for _, p := range c {
		least, most = min(least, p.Value), max(most, p.Value)
	}
	first = int(math.Floor(scale(least)))
	return first, max(first+1, int(math.Ceil(scale(most))))
}

// glides are the sections of a pass whose frequency moves.
func (p Pass) glides(c automation.Curve, high bool, rate int) []*glide {
	top := math.Log2(highestPass * float64(rate))
	scale := func(hz float64) float64 { return min(math.Log2(hz), top) * passSteps }
	first, last := steps(c, scale)
	var out []*glide
	for step := first; step <= last; step++ {
		at := p
		at.Hz = min(math.Pow(2, float64(step)/passSteps), highestPass*float64(rate))
		row := rows.of(rowKey{pass: at, high: high, rate: rate}, func() []section { return at.sections(high, rate) })
		for k, s := range row {
			if len(out) <= k {
				out = append(out, &glide{curve: c, scale: scale, first: first})
			}
			out[k].rows = append(out[k].rows, s)
		}
	}
	return out
}

// glide is the section of a band whose gain moves; nil for one that lies beyond the rate.
func (b Band) glide(c automation.Curve, rate int) *glide {
	if 2*b.Hz >= float64(rate) {
		return nil
	}
	scale := func(db float64) float64 { return db / bandStep }
	first, last := steps(c, scale)
	g := &glide{curve: c, scale: scale, first: first}
	for step := first; step <= last; step++ {
		at := b
		at.DB = float64(step) * bandStep
		g.rows = append(g.rows, rows.of(rowKey{band: at, rate: rate}, func() []section { return []section{at.flat(rate)} })[0])
	}
	return g
}

// flat is a band's section, and of one of 0 dB the section that does nothing between those of its neighbours.
func (b Band) flat(rate int) section {
	if s, ok := b.section(rate); ok {
		return s
	}
	up, down := b, b
	up.DB, down.DB = bandStep, -bandStep
	u, _ := up.section(rate)
	d, _ := down.section(rate)
	a1, a2 := (u.a1+d.a1)/2, (u.a2+d.a2)/2
	return section{1, a1, a2, a1, a2}
}

// rows are filters that were fitted lately.
var rows = lately[rowKey, []section]{most: 1 << 14}

type rowKey struct {
	band Band
	pass Pass
	high bool
	rate int
}
