package treat

import (
	"math"
	"math/cmplx"
	"slices"
)

// fitFrom is the frequency, in radians a sample, from which sections are fitted: below it, matched ones are within a few
// hundredths of a decibel of what they stand for.
const fitFrom = 0.05

// The coefficients of a section, as fits name them.
const (
	b0 = iota
	b1
	b2
	a1
	a2
)

// fit is what the levels of sections in a row are to be, at so many frequencies.
type fit struct {
	freqs   []float64 // radians a sample
	want    []float64 // the logarithm of the level there
	allowed []float64 // by how much it may differ
	free    [][]int   // of each section, the coefficients that move
	unity   bool      // levels count from that at zero
}

func (f *fit) add(freq, level, allowed float64) {
	f.freqs, f.want, f.allowed = append(f.freqs, freq), append(f.want, math.Log(level)), append(f.allowed, allowed)
}

// off is by how much sections differ, in logarithms, and in parts of what they may at the most.
func (f *fit) off(list []section) (e []float64, most float64) {
	e = make([]float64, len(f.freqs))
	zero := 0.0
	for _, s := range list {
		if f.unity {
			zero += math.Log(s.at(0))
		}
	}
	for i, freq := range f.freqs {
		e[i] = -f.want[i] - zero
		for _, s := range list {
			e[i] += math.Log(s.at(freq))
		}
		most = max(most, math.Abs(e[i])/f.allowed[i])
	}
	return e, most
}

// slopes are by how much the logarithm of the level at a frequency changes with each coefficient that moves.
func (f *fit) slopes(g []float64, list []section, freq float64) []float64 {
	g = g[:0]
	z := cmplx.Exp(complex(0, -freq))
	for k, s := range list {
		b := complex(s.b0, 0) + complex(s.b1, 0)*z + complex(s.b2, 0)*z*z
		d := 1 + complex(s.a1, 0)*z + complex(s.a2, 0)*z*z
		all := [5]float64{b0: real(1 / b), b1: real(z / b), b2: real(z * z / b), a1: -real(z / d), a2: -real(z * z / d)}
		for _, i := range f.free[k] {
			g = append(g, all[i])
		}
	}
	return g
}

// moved are sections after a step; false where one would not be stable, or its inverse.
func (f *fit) moved(list []section, step []float64) ([]section, bool) {
	next := slices.Clone(list)
	n := 0
	for k := range next {
		s := &next[k]
		all := [5]*float64{b0: &s.b0, b1: &s.b1, b2: &s.b2, a1: &s.a1, a2: &s.a2}
		for _, i := range f.free[k] {
			*all[i] += step[n]
			n++
		}
		if !(s.b0 > 0 && s.slowest() < 1 && s.inverse().slowest() < 1) {
			return nil, false
		}
	}
	return next, true
}

// run moves coefficients until the levels are what they are to be: by damped least squares on the logarithm of the level, weighted
// anew in each turn so that the largest difference gets smaller (Lawson). Sections stay stable, with inverses that are.
func (f *fit) run(list []section) []section {
	const turns, enough = 60, 1
	unknowns := 0
	for _, free := range f.free {
		unknowns += len(free)
	}
	weight := make([]float64, len(f.freqs))
	for i := range weight {
		weight[i] = 1
	}
	cost := func(e []float64) (c float64) {
		for i, v := range e {
			c += weight[i] * v * v / (f.allowed[i] * f.allowed[i])
		}
		return c
	}
	now := list
	e, least := f.off(now)
	best := now
	damping := 1e-4
	var g, zero []float64
	for range turns {
		m := equations(unknowns)
		if f.unity {
			zero = f.slopes(zero, now, 0)
		}
		for i, freq := range f.freqs {
			g = f.slopes(g, now, freq)
			for r := range zero {
				g[r] -= zero[r]
			}
			share := weight[i] / (f.allowed[i] * f.allowed[i])
			for r := range g {
				for c := range g {
					m[r][c] += share * g[r] * g[c]
				}
				m[r][unknowns] -= share * g[r] * e[i]
			}
		}
		better := false
		for range 8 {
			step, ok := solved(m, damping)
			var next []section
			if ok {
				next, ok = f.moved(now, step)
			}
			if ok {
				if ne, most := f.off(next); cost(ne) < cost(e) {
					now, e, better = next, ne, true
					damping = max(1e-9, damping/4)
					if most < least {
						best, least = next, most
					}
					break
				}
			}
			damping *= 8
		}
		if least < enough || !better && damping > 1e6 {
			break
		}
		sum := 0.0
		for i, v := range e {
			weight[i] *= math.Abs(v)/f.allowed[i] + 0.1*least
			sum += weight[i]
		}
		for i := range weight {
			weight[i] *= float64(len(weight)) / sum
		}
	}
	return best
}

// fitted moves the coefficients of a section until its levels are those of an analogue filter at w, from far below it to
// 0.95 of half the sample rate.
func (s section) fitted(a analogue, w float64) section {
	const wide, near = 40, 12
	const allowed = 0.0001 // a thousandth of a decibel
	f := fit{free: [][]int{{b0, b1, b2, a1, a2}}}
	low, high := min(w/32, 0.002), 0.95*math.Pi
	for i := range wide {
		freq := low * math.Pow(high/low, float64(i)/(wide-1))
		f.add(freq, a.at(freq/w), allowed)
	}
	for i := range 2 * near { // about its own frequency, where it may be narrow: in parts of its width
		x := a.d1 * (float64(i/2) + 0.25) / 2.5
		freq := min(w*math.Exp(x*float64(1-2*(i%2))), high)
		f.add(freq, a.at(freq/w), allowed)
	}
	return f.run([]section{s})[0]
}

// equations are n linear ones in as many unknowns, all zero: each row ends in what it is equal to.
func equations(n int) [][]float64 {
	m := make([][]float64, n)
	for i := range m {
		m[i] = make([]float64, n+1)
	}
	return m
}

// solved solves equations, damped, by Gauss's elimination. It leaves them as they were.
func solved(given [][]float64, damping float64) (x []float64, ok bool) {
	n := len(given)
	m := equations(n)
	for i := range m {
		copy(m[i], given[i])
		m[i][i] *= 1 + damping
		m[i][i] += 1e-12
	}
	x = make([]float64, n)
	for i := range n {
		best := i
		for r := i + 1; r < n; r++ {
			if math.Abs(m[r][i]) > math.Abs(m[best][i]) {
				best = r
			}
		}
		m[i], m[best] = m[best], m[i]
		if m[i][i] == 0 {
			return x, false
		}
		for r := i + 1; r < n; r++ {
			f := m[r][i] / m[i][i]
			for c := i; c <= n; c++ {
				m[r][c] -= f * m[i][c]
			}
		}
	}
	for i := n - 1; i >= 0; i-- {
		x[i] = m[i][n]
		for c := i + 1; c < n; c++ {
			x[i] -= m[i][c] * x[c]
		}
		x[i] /= m[i][i]
	}
	return x, true
}
