package treat

import (
	"math"
	"slices"
)

// A pair of all-passes, whose outputs have the level of what goes in and lie 90° apart, is what a sum of sounds with one of
// them 90° ahead is made with: each by itself turns phases, more so the lower they are, as no filter that hears no future can
// turn all of them by 90°. Both begin at the same sample, so that nothing is late.
//
// The pair are the two branches of an elliptic half-band filter that is turned by a quarter of the sample rate, sections
// (a - z⁻²)/(1 - a z⁻²), of which one branch is a sample later (P. P. Vaidyanathan, "Multirate Systems and Filter Banks", 5.3;
// coefficients by the theta functions of R. A. Valenzuela and A. G. Constantinides, IEE Proc. 130 G, 1983).
const (
	// QuadratureFrom is from where on, in Hz, the two are 90° apart within QuadratureOff; they are up to as far below half the
	// sample rate.
	QuadratureFrom = 20
	// QuadratureOff is by how much they may be off, in degrees.
	QuadratureOff = 0.1
	// quadratureSections is how many sections there are in both.
	quadratureSections = 16
	// quadratureMost bounds what comes out, as a factor: the magnitudes of the impulse responses add up to less.
	quadratureMost = 9
)

// Quadrature puts some channels of a sound 90° ahead of the others. It is not safe for concurrent use.
type Quadrature struct {
	ahead, other []int
	pair         [2]*Processor
	width        int
}

// NewQuadrature prepares to put those channels ahead that are marked; those that counts says no to are not looked at.
func NewQuadrature(ahead []bool, counts func(channel int) bool, rate int) *Quadrature {
	q := &Quadrature{width: len(ahead)}
	for c, is := range ahead {
		switch {
		case !counts(c):
		case is:
			q.ahead = append(q.ahead, c)
		default:
			q.other = append(q.other, c)
		}
	}
	q.pair = [2]*Processor{allPass(true, len(q.ahead), rate), allPass(false, len(q.other), rate)}
	return q
}

// Room is room for n samples of the channels that are looked at; nil for the others.
func (q *Quadrature) Room(n int) [][]float64 {
	out := make([][]float64, q.width)
	for _, c := range slices.Concat(q.ahead, q.other) {
		out[c] = make([]float64, n)
	}
	return out
}

// Turn puts what comes out of n samples from a place on into dst. What lies before 0 is silence. As of a Processor, what comes
// out is a function of the place if all from Reach on was heard, without a gap.
func (q *Quadrature) Turn(dst, from [][]float64, at int64, n int) {
	skip := int(min(max(0, -at), int64(n)))
	for half, channels := range [][]int{q.ahead, q.other} {
		var x [][]float64
		for _, c := range channels {
			clear(dst[c][:skip])
			copy(dst[c][skip:n], from[c][skip:n])
			x = append(x, dst[c][skip:n])
		}
		if len(x) > 0 && skip < n {
			q.pair[half].Apply(x, at+int64(skip))
		}
	}
}

// Reach is from where on a sound must be heard for what comes out at a place to be right.
func (q *Quadrature) Reach(at int64) int64 { return q.pair[0].Reach(max(0, at)) }

// Settle and Most are those of a Processor.
func (q *Quadrature) Settle() int64 { return q.pair[0].Settle() }

// Most bounds what comes out of any channel.
func (q *Quadrature) Most() float64 { return max(q.pair[0].Most(), q.pair[1].Most()) }

// allPass is one of the pair for so many channels: the one that is 90° ahead, or the other.
func allPass(ahead bool, channels, rate int) *Processor {
	s := settings{channels: channels}
	all := [2][]section{{}, {{b1: 1}}}
	for i, a := range halfband(quadratureSections, 2*QuadratureFrom/float64(rate)) {
		all[i%2] = append(all[i%2], section{b0: a, b2: -1, a2: -a})
	}
	if s.sections = all[1]; ahead {
		s.sections = all[0]
	}
	// Both are right after as long, so that they are heard from the same place on.
	for _, branch := range all {
		var decays []int64
		for _, x := range branch {
			if x.a2 != 0 {
				decays = append(decays, x.decay())
			}
		}
		s.settle = max(s.settle, together(decays))
	}
	s.cell = cellOf(s.settle)
	s.most = quadratureMost
	return &Processor{settings: s, at: -1 << 62}
}

// halfband are the coefficients of an elliptic half-band filter's two branches in turn, the first's first; transition is the width
// of its transition as a part of the sample rate.
func halfband(n int, transition float64) []float64 {
	k := math.Pow(math.Tan((1-2*transition)*math.Pi/4), 2)
	root := math.Pow(1-k*k, 0.25)
	e := 0.5 * (1 - root) / (1 + root)
	q := e + 2*math.Pow(e, 5) + 15*math.Pow(e, 9) + 150*math.Pow(e, 13)
	order := float64(2*n + 1)
	out := make([]float64, n)
	for i := range out {
		at := float64(i+1) * math.Pi / order
		num, den := 0.0, 0.5
		for m := range 12 {
			sign := float64(1 - 2*(m%2))
			num += sign * math.Pow(q, float64(m*(m+1))) * math.Sin(float64(2*m+1)*at)
			if m > 0 {
				den += sign * math.Pow(q, float64(m*m)) * math.Cos(float64(2*m)*at)
			}
		}
		w := math.Pow(q, 0.25) * num / den
		x := math.Sqrt((1-w*w*k)*(1-w*w/k)) / (1 + w*w)
		out[i] = (1 - x) / (1 + x)
	}
	return out
}
