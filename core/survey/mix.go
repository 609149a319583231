package survey

import (
	"math"
	"slices"

	"gonum.org/v1/gonum/mat"
)

// ExplainedDB is how far below a channel that lies which the others leave unexplained for it to
// count as their mix.
const ExplainedDB = -40.0

// minShare is the energy, as a share of the mix's, under which a channel is no part of it.
const minShare = 1e-3

// mixOf explains channel k as a sum of others at positive gains — a mixer's faders — by least
// squares. cov is the covariance, a row a channel. It returns the gain of each of from, and what is
// left as a share of the energy.
func mixOf(cov *mat.SymDense, k int, from []int) (gains []float64, rest float64) {
	n := len(from)
	gains = make([]float64, n)
	in := make([]bool, n) // the channels with a gain
	total := cov.At(k, k)
	// Lawson and Hanson, Solving Least Squares Problems, 1974, chapter 23: bring in the channel that
	// helps most, solve, and let go of what would turn negative.
	for range 3 * n {
		best, most := -1, 1e-12*total
		for i := range from {
			if in[i] || cov.At(from[i], from[i]) == 0 {
				continue
			}
			w := cov.At(k, from[i])
			for j := range from {
				w -= gains[j] * cov.At(from[i], from[j])
			}
			if w = w * math.Abs(w) / cov.At(from[i], from[i]); w > most {
				best, most = i, w
			}
		}
		if best < 0 {
			break
		}
		in[best] = true
		for {
			z, ok := solve(cov, k, from, in)
			if !ok {
				in[best] = false
				break
			}
			step, out := 1.0, -1
			for i := range from {
				if in[i] && z[i] <= 0 {
					if s := gains[i] / (gains[i] - z[i]); s < step || out < 0 {
						step, out = s, i
					}
				}
			}
			for i := range from {
				if in[i] {
					gains[i] += step * (z[i] - gains[i])
				}
			}
			if out < 0 {
				break
			}
			gains[out], in[out] = 0, false
		}
	}
	return gains, left(cov, k, from, gains)
}

// left is the energy that gains leave unexplained, as a share.
func left(cov *mat.SymDense, k int, from []int, gains []float64) float64 {
	rest := cov.At(k, k)
	for i := range from {
		rest -= 2 * gains[i] * cov.At(k, from[i])
		for j := range from {
			rest += gains[i] * gains[j] * cov.At(from[i], from[j])
		}
	}
	return max(0, rest) / cov.At(k, k)
}

// solve finds the unrestricted gains of the channels that are in.
func solve(cov *mat.SymDense, k int, from []int, in []bool) ([]float64, bool) {
	var at []int
	for i := range from {
		if in[i] {
			at = append(at, i)
		}
	}
	if len(at) == 0 { // nothing sounds that it could be made of
		return make([]float64, len(from)), true
	}
	a, b := mat.NewSymDense(len(at), nil), mat.NewVecDense(len(at), nil)
	for r, i := range at {
		b.SetVec(r, cov.At(k, from[i]))
		for c := r; c < len(at); c++ {
			a.SetSym(r, c, cov.At(from[i], from[at[c]]))
		}
		a.SetSym(r, r, a.At(r, r)*(1+1e-12))
	}
	var chol mat.Cholesky
	if !chol.Factorize(a) || chol.Cond() > 1e10 {
		return nil, false
	}
	var x mat.VecDense
	if chol.SolveVecTo(&x, b) != nil {
		return nil, false
	}
	z := make([]float64, len(from))
	for r, i := range at {
		z[i] = x.AtVec(r)
	}
	return z, true
}

// mixes finds the channels that are plain mixes of the others, at gains that never move and are positive but
// for the one that relationOf prefers. Two mixes of the same
// sources may explain each other in part, so each is explained anew by what is no mix.
func mixes(cov *mat.SymDense, use []int, first int) []Relation {
	limit := math.Pow(10, ExplainedDB/10)
	without := func(drop map[int]bool, k int) (from []int) {
		for _, c := range use {
			if c != k && !drop[c] {
				from = append(from, c)
			}
		}
		return from
	}
	candidates := map[int]bool{}
	for _, k := range use {
		from := without(nil, k)
		if gains, rest := mixOf(cov, k, from); rest < limit && parts(cov, k, from, gains) >= 2 {
			candidates[k] = true
		}
	}
	var out []Relation
	for _, k := range use {
		if !candidates[k] {
			continue
		}
		from := without(candidates, k)
		gains, rest := mixOf(cov, k, from)
		if rest >= limit || parts(cov, k, from, gains) < 2 {
			continue
		}
		var members []int
		for i, g := range gains {
			if share(cov, k, from[i], g) >= minShare {
				members = append(members, from[i])
			}
		}
		r := relationOf(cov, k, members, first)
		if !slices.ContainsFunc(out, func(o Relation) bool { return o.A == r.A }) {
			out = append(out, r)
		}
	}
	return out
}

// relationOf says how channel k is a sum of members. Any of them is as well one of k and the others, some of them
// inverted; the mix is the one without which what is left is most independent.
func relationOf(cov *mat.SymDense, k int, members []int, first int) Relation {
	all := append(slices.Clone(members), k)
	slices.Sort(all)
	most := math.Inf(-1)
	var r Relation
	for _, j := range all {
		var from []int
		for _, c := range all {
			if c != j {
				from = append(from, c)
			}
		}
		one := sumOf(cov, j, from)
		if v := likelyMix(cov, j, from, one.Of, first); v > most {
			most, r = v, one
		}
	}
	return r
}

// sumOf explains channel k by from, whatever the signs.
func sumOf(cov *mat.SymDense, k int, from []int) Relation {
	in := make([]bool, len(from))
	for i := range in {
		in[i] = true
	}
	r := Relation{Kind: Mix, A: k + 1}
	gains, ok := solve(cov, k, from, in)
	if !ok {
		gains, _ = mixOf(cov, k, from)
	}
	r.RestDB = restDB(left(cov, k, from, gains))
	for i, g := range gains {
		if share(cov, k, from[i], g) >= minShare {
			r.Of = append(r.Of, Part{from[i] + 1, 20 * math.Log10(math.Abs(g)), g < 0})
		}
	}
	return r
}

// What speaks for a channel to be the mix, in the units of independence: recorders put it first, and few microphones
// are turned over in it.
const (
	mixFirst    = 0.7
	perInverted = 0.15
)

// likelyMix says how likely k is the mix of channels that have all to do with each other, and not one of those that
// make it up: the channels without it are more independent than without another.
func likelyMix(cov *mat.SymDense, k int, from []int, of []Part, first int) float64 {
	v := independence(cov, from)
	if k < first {
		v += mixFirst
	}
	for _, p := range of {
		if p.Inverted {
			v -= perInverted
		}
	}
	return v
}

// independence is the logarithm of the determinant of the channels' correlation coefficients: 0 where none has to
// do with another, far below where some are sums of others.
func independence(cov *mat.SymDense, set []int) float64 {
	m := mat.NewSymDense(len(set), nil)
	for i, a := range set {
		for j := i; j < len(set); j++ {
			b := set[j]
			v := cov.At(a, b) / math.Sqrt(cov.At(a, a)*cov.At(b, b))
			if i == j {
				v += 1e-9
			}
			m.SetSym(i, j, v)
		}
	}
	var chol mat.Cholesky
	if !chol.Factorize(m) {
		return math.Inf(-1)
	}
	return chol.LogDet()
}

func share(cov *mat.SymDense, k, of int, gain float64) float64 {
	return gain * gain * cov.At(of, of) / cov.At(k, k)
}

func parts(cov *mat.SymDense, k int, from []int, gains []float64) (n int) {
	for i, g := range gains {
		if g > 0 && share(cov, k, from[i], g) >= minShare {
			n++
		}
	}
	return n
}

// restDB is a share of energy in dB, no lower than what 64-bit sums can tell.
func restDB(share float64) float64 { return 10 * math.Log10(max(share, 1e-14)) }
