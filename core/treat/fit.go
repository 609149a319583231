package treat

import (
	"math"
	"math/cmplx"
)

// fitFrom is the frequency, in radians a sample, from which sections are fitted: below it, matched ones are within a few
// hundredths of a decibel of what they stand for.
const fitFrom = 0.05

// fitted moves the coefficients of a section until its levels are those of an analogue filter at w, from far below it to
// 0.95 of half the sample rate: by damped least squares on the logarithm of the level, weighted anew in each turn so that
// the largest difference gets smaller (Lawson). It stays stable, with an inverse that is.
func (s section) fitted(a analogue, w float64) section {
	const wide, near, turns = 40, 12, 60
	const points = wide + 2*near
	var freqs, want, weight [points]float64
	low, high := min(w/32, 0.002), 0.95*math.Pi
	for i := range freqs {
		if i < wide {
			freqs[i] = low * math.Pow(high/low, float64(i)/(wide-1))
		} else { // about its own frequency, where it may be narrow: in parts of its width
			x := a.d1 * (float64((i-wide)/2) + 0.25) / 2.5
			freqs[i] = min(w*math.Exp(x*float64(1-2*(i%2))), high)
		}
		want[i] = math.Log(a.at(freqs[i] / w))
		weight[i] = 1
	}
	off := func(s section) (e [points]float64, most float64) {
		for i, f := range freqs {
			e[i] = math.Log(s.at(f)) - want[i]
			most = max(most, math.Abs(e[i]))
		}
		return e, most
	}
	cost := func(e [points]float64) (c float64) {
		for i, v := range e {
			c += weight[i] * v * v
		}
		return c
	}
	now := s
	e, least := off(now)
	best := now
	damping := 1e-4
	for range turns {
		var m [5][6]float64
		for i, f := range freqs {
			z := cmplx.Exp(complex(0, -f))
			b := complex(now.b0, 0) + complex(now.b1, 0)*z + complex(now.b2, 0)*z*z
			d := 1 + complex(now.a1, 0)*z + complex(now.a2, 0)*z*z
			g := [5]float64{real(1 / b), real(z / b), real(z * z / b), -real(z / d), -real(z * z / d)}
			for r := range 5 {
				for c := range 5 {
					m[r][c] += weight[i] * g[r] * g[c]
				}
				m[r][5] -= weight[i] * g[r] * e[i]
			}
		}
		moved := false
		for range 8 {
			step, ok := solved(m, damping)
			next := section{now.b0 + step[0], now.b1 + step[1], now.b2 + step[2], now.a1 + step[3], now.a2 + step[4]}
			if ok && next.b0 > 0 && next.slowest() < 1 && next.inverse().slowest() < 1 {
				if ne, most := off(next); cost(ne) < cost(e) {
					now, e, moved = next, ne, true
					damping = max(1e-9, damping/4)
					if most < least {
						best, least = next, most
					}
					break
				}
			}
			damping *= 8
		}
		if !moved && damping > 1e6 {
			break
		}
		sum := 0.0
		for i, v := range e {
			weight[i] *= math.Abs(v) + 0.1*least
			sum += weight[i]
		}
		for i := range weight {
			weight[i] *= points / sum
		}
	}
	return best
}

// solved solves five equations, damped, by Gauss's elimination.
func solved(m [5][6]float64, damping float64) (x [5]float64, ok bool) {
	for i := range 5 {
		m[i][i] *= 1 + damping
		m[i][i] += 1e-12
	}
	for i := range 5 {
		best := i
		for r := i + 1; r < 5; r++ {
			if math.Abs(m[r][i]) > math.Abs(m[best][i]) {
				best = r
			}
		}
		m[i], m[best] = m[best], m[i]
		if m[i][i] == 0 {
			return x, false
		}
		for r := i + 1; r < 5; r++ {
			f := m[r][i] / m[i][i]
			for c := i; c < 6; c++ {
				m[r][c] -= f * m[i][c]
			}
		}
	}
	for i := 4; i >= 0; i-- {
		x[i] = m[i][5]
		for c := i + 1; c < 5; c++ {
			x[i] -= m[i][c] * x[c]
		}
		x[i] /= m[i][i]
	}
	return x, true
}
