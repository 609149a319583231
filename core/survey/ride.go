package survey

import (
	"cmp"
	"math"
	"slices"

	"gonum.org/v1/gonum/mat"
)

// A mixer's output differs from a plain sum: faders ride, the desk is late, a limiter takes the peaks down. Such
// a mix is found on the pieces that windows keeps, in three steps. The common delay is the lag at which the
// other channels together explain most of it. Then gains that change in straight lines between knots are
// fitted by least squares. What is left must be next to nothing, or be what a limiter does: it is in
// proportion to the mix, so nothing where the mix crosses zero, while a microphone that is missing, noise or
// an echo are there all the same.
const (
	knot          = 2048 // samples from knot to knot at up to 64 kHz: 43 ms at 48
	mixLate       = 0.01 // seconds of common delay that are looked for, either way
	ridden        = -40.0
	limitedRest   = -14.0 // dB that a limiter may leave in all
	limitedShape  = 0.22  // of what it leaves, how much may be there where the mix is near zero
	nearZero      = 0.25  // of the mix's RMS: what counts as near
	needExplained = -6.0  // dB that constant gains leave at most, for the rest to be worth while
	maxMembers    = 16
	mostSides     = 2    // other sides of one mix that are tried without
	minMultiple   = 0.03 // of the whitened sounds' multiple correlation: steady tones make each other up, and reach 0.005
	steadySign    = 0.95 // of a member's share: a fader never turns the polarity
	leastShare    = 2e-3 // of the mix's energy, under which a channel is no member
	mostRide      = 20.0 // dB between the lowest tenth of a member's gains and the highest
)

// mixFit is what explains a channel as a mix.
type mixFit struct {
	of      []Part
	from    []int // channels from 0
	delay   int
	rest    float64 // share of the energy that is left
	ride    float64 // dB: the most that a member's gain moves
	limited bool
}

// riddenMixes finds the mixes that mixes has not, and marks them in isMix.
func (s *Surveyor) riddenMixes(cov *mat.SymDense, v *arrivals, distinct []int, isMix []bool) (out []Relation) {
	w := s.windows
	pad := min(w.length/4, int(mixLate*float64(s.rate))+1)
	step := knot
	for rate := s.rate; rate > 64000; rate /= 2 {
		step *= 2
	}
	g := w.gram(distinct, pad)
	for {
		var best mixFit
		chosen, most := -1, math.Inf(-1)
		for _, k := range distinct {
			if s.over() {
				return out
			}
			if isMix[k] {
				continue
			}
			var from []int
			for _, c := range distinct {
				if c != k && !isMix[c] {
					from = append(from, c)
				}
			}
			if len(from) < 2 {
				return out
			}
			f, ok := w.explain(v, g, k, from, step)
			// The other side of the mix, which is nearly the same, leaves open what it is made of: without it.
			for sides := from; !ok && len(sides) > 2 && len(from)-len(sides) < mostSides; {
				alike := slices.MaxFunc(sides, func(a, b int) int {
					return cmp.Compare(math.Abs(v.at(a, k, 0)), math.Abs(v.at(b, k, 0)))
				})
				sides = slices.DeleteFunc(slices.Clone(sides), func(c int) bool { return c == alike })
				f, ok = w.explain(v, g, k, sides, step)
			}
			if !ok {
				continue
			}
			if i := likelyMix(cov, k, from, f.of, s.first); i > most {
				best, chosen, most = f, k, i
			}
		}
		if chosen < 0 {
			return out
		}
		isMix[chosen] = true
		out = append(out, Relation{Kind: Mix, A: chosen + 1, Of: best.of, Delay: best.delay, RestDB: restDB(best.rest), RideDB: best.ride, Limited: best.limited})
	}
}

// explain looks for the common delay at which channels explain k, and fits them there.
func (w *windows) explain(v *arrivals, g *gram, k int, from []int, step int) (mixFit, bool) {
	lags := v.commonLags(k, from, g.pad-1)
	var best mixFit
	at, least := 0, math.Inf(1)
	var use []int
	for _, lag := range lags {
		members := slices.Clone(from)
		slices.SortStableFunc(members, func(a, b int) int {
			return cmp.Compare(math.Abs(v.at(b, k, lag)), math.Abs(v.at(a, k, lag)))
		})
		members = members[:min(maxMembers, len(members))]
		slices.Sort(members)
		if rest := w.constant(g, k, members, lag); rest < least {
			at, least, use = lag, rest, members
		}
	}
	if use == nil || 10*math.Log10(max(least, 1e-14)) > needExplained || v.multiple(k, use, at) < minMultiple {
		return best, false
	}
	return w.fit(k, use, at, step, g.pad)
}

// multiple is the square of the multiple correlation of the whitened sounds, 0 to 1.
func (v *arrivals) multiple(k int, from []int, lag int) float64 {
	n := len(from)
	a := mat.NewSymDense(n, nil)
	c := mat.NewVecDense(n, nil)
	for i := range from {
		a.SetSym(i, i, 1.05)
		c.SetVec(i, v.at(from[i], k, lag))
		for j := i + 1; j < n; j++ {
			a.SetSym(i, j, v.at(from[i], from[j], 0))
		}
	}
	var chol mat.Cholesky
	if !chol.Factorize(a) {
		return 0
	}
	var z mat.VecDense
	_ = chol.SolveVecTo(&z, c)
	return mat.Dot(&z, c)
}

// commonLags are the lags at which channels together have most to do with k, if they are k's members: by the
// multiple correlation of the whitened sounds.
func (v *arrivals) commonLags(k int, from []int, reach int) []int {
	n := len(from)
	a := mat.NewSymDense(n, nil)
	for i := range from {
		a.SetSym(i, i, 1.05)
		for j := i + 1; j < n; j++ {
			a.SetSym(i, j, v.at(from[i], from[j], 0))
		}
	}
	var chol mat.Cholesky
	if !chol.Factorize(a) {
		return nil
	}
	var inverse mat.SymDense
	if chol.InverseTo(&inverse) != nil {
		return nil
	}
	reach = min(reach, v.search)
	score := make([]float64, 2*reach+1)
	c := make([]float64, n)
	for lag := -reach; lag <= reach; lag++ {
		for i, f := range from {
			c[i] = v.at(f, k, lag)
		}
		for i := range c {
			for j := range c {
				score[lag+reach] += c[i] * c[j] * inverse.At(i, j)
			}
		}
	}
	var tops []int
	for i := range score {
		if (i == 0 || score[i-1] < score[i]) && (i+1 == len(score) || score[i+1] <= score[i]) {
			tops = append(tops, i)
		}
	}
	slices.SortFunc(tops, func(a, b int) int { return cmp.Compare(score[b], score[a]) })
	tops = tops[:min(4, len(tops))]
	for i := range tops {
		tops[i] -= reach
	}
	return tops
}

// gram holds the products of channels with each other, by piece, over the part of it that every delay leaves whole.
type gram struct {
	pad  int
	at   []int // of each channel in the matrices, -1 for one that is not used
	sums []*mat.SymDense
}

func (w *windows) gram(use []int, pad int) *gram {
	g := &gram{pad: pad, at: make([]int, len(w.now))}
	for c := range g.at {
		g.at[c] = slices.Index(use, c)
	}
	m := w.length - 2*pad
	for _, piece := range w.best {
		sums := mat.NewSymDense(len(use), nil)
		for i, a := range use {
			for j := i; j < len(use); j++ {
				sums.SetSym(i, j, product(piece[a][pad:pad+m], piece[use[j]][pad:pad+m]))
			}
		}
		g.sums = append(g.sums, sums)
	}
	return g
}

func product(x, y []float32) float64 {
	y = y[:len(x)]
	var a, b, c, d float64
	for len(x) >= 4 {
		a += float64(x[0]) * float64(y[0])
		b += float64(x[1]) * float64(y[1])
		c += float64(x[2]) * float64(y[2])
		d += float64(x[3]) * float64(y[3])
		x, y = x[4:], y[4:]
	}
	for i := range x {
		a += float64(x[i]) * float64(y[i])
	}
	return (a + b) + (c + d)
}

// constant is the share of channel k that gains which hold for a whole piece leave.
func (w *windows) constant(g *gram, k int, from []int, delay int) float64 {
	var total, rest float64
	n := len(from)
	in := make([]bool, n)
	at := make([]int, n)
	m := w.length - 2*g.pad
	for p, piece := range w.best {
		y := piece[k][g.pad+delay:][:m]
		e := product(y, y)
		if e < 1e-9*float64(m) {
			continue
		}
		cov := mat.NewSymDense(n+1, nil)
		cov.SetSym(n, n, e)
		for i, c := range from {
			at[i] = i
			for j := i; j < n; j++ {
				cov.SetSym(i, j, g.sums[p].At(g.at[c], g.at[from[j]]))
			}
			cov.SetSym(i, i, cov.At(i, i)*(1+1e-6)) // two sides of one mix are nearly the same
			in[i] = cov.At(i, i) > 1e-9*e
			cov.SetSym(i, n, product(piece[c][g.pad:][:m], y))
		}
		gains, ok := solve(cov, n, at, in)
		if !ok {
			gains = make([]float64, n)
		}
		total += e
		rest += e * left(cov, n, at, gains)
	}
	if total == 0 {
		return 1
	}
	return rest / total
}

// fit explains channel k by from, later by delay, with moving gains. ok is false where they don't.
func (w *windows) fit(k int, from []int, delay, step, pad int) (mixFit, bool) {
	f := mixFit{from: from, delay: delay}
	n := len(from)
	segs := (w.length - 2*pad) / step
	if segs < 1 {
		return f, false
	}
	var total, rest float64
	var below, belowCount, all, allCount float64 // of what is left: near zero, and everywhere, in units of the segment's mix
	type gain struct{ db, weight float64 }
	gains := make([][]gain, n)
	positive, weight := make([]float64, n), make([]float64, n)
	fitted, left := make([]float64, step), make([]float64, step)
	for _, piece := range w.best {
		y := piece[k][pad : pad+segs*step]
		energy := 0.0
		for _, v := range y {
			energy += float64(v) * float64(v)
		}
		if energy < 1e-9*float64(len(y)) {
			continue
		}
		x := make([][]float32, n)
		power := make([]float64, n)
		for i, c := range from {
			x[i] = piece[c][pad-delay : pad-delay+segs*step]
			for _, v := range x[i] {
				power[i] += float64(v) * float64(v)
			}
		}
		coef, ok := knots(y, x, power, step, segs)
		if !ok {
			total, rest = total+energy, rest+energy
			continue
		}
		at := func(i, s int) float64 { return coef[i*(segs+1)+s] }
		for i := range from {
			for s := range segs {
				e := 0.0
				for _, v := range x[i][s*step : (s+1)*step] {
					e += float64(v) * float64(v)
				}
				g := (at(i, s) + at(i, s+1)) / 2
				share := g * g * e
				weight[i] += share
				if g > 0 {
					positive[i] += share
				}
				if share > 0 {
					gains[i] = append(gains[i], gain{20 * math.Log10(math.Abs(g)), share})
				}
			}
		}
		for s := range segs {
			clear(fitted)
			for i := range from {
				g0, d := at(i, s), (at(i, s+1)-at(i, s))/float64(step)
				for t, v := range x[i][s*step : (s+1)*step] {
					fitted[t] += (g0 + d*float64(t)) * float64(v)
				}
			}
			var ey, em, er float64
			for t, v := range y[s*step : (s+1)*step] {
				left[t] = float64(v) - fitted[t]
				ey += float64(v) * float64(v)
				em += fitted[t] * fitted[t]
				er += left[t] * left[t]
			}
			total += ey
			rest += er
			if em == 0 || er < 1e-6*em {
				continue
			}
			limit := nearZero * math.Sqrt(em/float64(step))
			for t, v := range left {
				all += v * v
				allCount++
				if math.Abs(fitted[t]) < limit {
					below += v * v
					belowCount++
				}
			}
		}
	}
	if total == 0 {
		return f, false
	}
	f.rest = rest / total
	for i := range from {
		share := weight[i] / total
		if share < leastShare || len(gains[i]) == 0 {
			continue
		}
		p := positive[i] / weight[i]
		if p < steadySign && p > 1-steadySign {
			return f, false
		}
		slices.SortFunc(gains[i], func(a, b gain) int {
			if a.db < b.db {
				return -1
			}
			return 1
		})
		quantile := func(q float64) float64 {
			want := q * weight[i]
			for _, g := range gains[i] {
				if want -= g.weight; want <= 0 {
					return g.db
				}
			}
			return gains[i][len(gains[i])-1].db
		}
		if ride := quantile(0.9) - quantile(0.1); ride > mostRide {
			return f, false
		} else if ride > f.ride {
			f.ride = ride
		}
		f.of = append(f.of, Part{Channel: from[i] + 1, GainDB: quantile(0.5), Inverted: p < 0.5})
	}
	restDB := 10 * math.Log10(max(f.rest, 1e-14))
	switch {
	case len(f.of) < 2:
		return f, false
	case restDB <= ridden:
		return f, true
	case restDB > limitedRest || belowCount < 100:
		return f, false
	}
	f.limited = true
	return f, below/belowCount < limitedShape*all/allCount
}

// knots are the gains at the knots of a piece, by least squares: those of member i at [i*(segs+1)+s].
func knots(y []float32, x [][]float32, power []float64, step, segs int) ([]float64, bool) {
	n, k := len(x), segs+1
	size := n * k
	a, b := make([]float64, size*size), make([]float64, size)
	for i := range n {
		for s := range segs {
			var b0, b1 float64
			xi, ys := x[i][s*step:(s+1)*step], y[s*step:(s+1)*step]
			for t, v := range xi {
				h := float64(t) / float64(step)
				p := float64(v) * float64(ys[t])
				b0 += (1 - h) * p
				b1 += h * p
			}
			b[i*k+s] += b0
			b[i*k+s+1] += b1
			for j := i; j < n; j++ {
				var a00, a01, a11 float64
				for t, v := range x[j][s*step : (s+1)*step] {
					h := float64(t) / float64(step)
					p := float64(v) * float64(xi[t])
					q := h * p
					a11 += h * q
					a01 += q - h*q
					a00 += p - 2*q + h*q
				}
				add := func(r, c int, v float64) {
					a[r*size+c] += v
					if r != c {
						a[c*size+r] += v
					}
				}
				add(i*k+s, j*k+s, a00)
				add(i*k+s+1, j*k+s+1, a11)
				if i == j {
					add(i*k+s, j*k+s+1, a01)
				} else {
					add(i*k+s, j*k+s+1, a01)
					add(i*k+s+1, j*k+s, a01)
				}
			}
		}
	}
	// Gains hold from knot to knot where nothing speaks for another, as in a member's pause.
	for i := range n {
		soft := 1e-5*power[i]/float64(k) + 1e-12
		for s := range segs {
			r, c := i*k+s, i*k+s+1
			a[r*size+r] += soft
			a[c*size+c] += soft
			a[r*size+c] -= soft
			a[c*size+r] -= soft
		}
		for s := range k {
			a[(i*k+s)*size+i*k+s] *= 1 + 1e-9
			a[(i*k+s)*size+i*k+s] += 1e-3 * soft
		}
	}
	var chol mat.Cholesky
	if !chol.Factorize(mat.NewSymDense(size, a)) {
		return nil, false
	}
	var z mat.VecDense
	if chol.SolveVecTo(&z, mat.NewVecDense(size, b)) != nil {
		return nil, false
	}
	return z.RawVector().Data, true
}
