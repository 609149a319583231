package ambisonic

import (
	"math"

	"gonum.org/v1/gonum/mat"

	"zestyloom/core/audio"
	"zestyloom/core/snag"
)

// Levels of speakers are polynomials in the cosine and sine of the direction of a plane wave, of the order of the field; energies, and
// what they are seen from, are of twice the order and one more. Two demands can then be made for every direction at once: that
// the energy is the same, and that its vector (Gerzon 1992) points where the sound comes from. With as many speakers as an order can tell
// apart there are factors that meet both, which no formula gives: they are fitted, by Levenberg's and Marquardt's method, from
// an even decoding on, first with the vector as long as may be and then with less and less regard for that.

const (
	fitDirections = 96  // more than the order of what is demanded can tell apart, for orders to 7
	fitSteps      = 150 // at most, of each round
	fitGrain      = 1 << 20
)

// fitRounds are how much the length of the energy vector counts beside its direction and the energy, one round after the other. It
// counts in the last one, too, so that there is one solution and not a family of them: every machine comes to the same.
var fitRounds = []float64{0.3, 0.1, 0.03, 0.01, 0.003, 0.001}

// fit finds the factors of speakers in a plane, a row each, for the harmonics of a plane wave as basis has them.
type fit struct {
	towards [][2]float64 // the speakers
	from    [][2]float64 // plane waves
	waves   [][]float64  // their harmonics
	length  float64      // weight of the vector's length
}

// What a fit has to come to, so that it is taken.
const (
	fitDegrees = 1.0
	fitDB      = 1.0
	fitLength  = 0.3 // of the energy vector: as between two speakers that are 145° apart
)

// fitFigures are what a plane wave comes to from any direction.
type fitFigures struct {
	degrees float64 // at most, from where the sound comes to where the energy does
	db      float64 // of the level, at most
	length  float64 // of the energy vector, at the least
}

func (f fitFigures) good() bool {
	return f.degrees <= fitDegrees && f.db <= fitDB && f.length >= fitLength
}

// fittedTo fits factors of the highest order that speakers can tell apart, else of the next, else of lower ones, until they are good.
// Nothing where no order is, or where they do not stand in a plane.
func fittedTo(at []audio.Direction, field int, plane bool) (*mat.Dense, int, fitFigures) {
	if !plane {
		return nil, 0, fitFigures{}
	}
	most := 0
	for most < field && components(most+1, true) <= len(at) {
		most++
	}
	tried := []int{most}
	if most < field {
		tried = append(tried, most+1)
	}
	for order := most - 1; order > 0; order-- {
		tried = append(tried, order)
	}
	for _, order := range tried {
		if order < 1 {
			continue
		}
		used, level := basis(order, true)
		g, figures, err := fitted(at, order, used, level)
		if err == nil && figures.good() {
			return g, order, figures
		}
	}
	return nil, 0, fitFigures{}
}

// figures are those of factors, over all degrees of the circle.
func (f *fit) figures(x []float64, wave func(azimuth float64) []float64) (out fitFigures) {
	out.length = 1
	one := fit{towards: f.towards}
	for az := -180.0; az < 180; az++ {
		s, c := math.Sincos(az * math.Pi / 180)
		one.from, one.waves = [][2]float64{{c, s}}, [][]float64{wave(az)}
		_, e, along, across := one.heard(x, 0)
		out.degrees = max(out.degrees, math.Abs(math.Atan2(across, along))*180/math.Pi)
		out.db = max(out.db, math.Abs(10*math.Log10(e)))
		out.length = min(out.length, math.Hypot(along, across)/e)
	}
	return out
}

// fitted solves for speakers in a plane.
func fitted(at []audio.Direction, order int, used []int, level []float64) (*mat.Dense, fitFigures, error) {
	f := fit{}
	for _, d := range at {
		s, c := math.Sincos(d.Azimuth * math.Pi / 180)
		f.towards = append(f.towards, [2]float64{c, s})
	}
	wave := func(az float64) []float64 {
		h, out := Harmonics(order, az, 0), make([]float64, len(used))
		for k, n := range used {
			out[k] = level[k] * h[n]
		}
		return out
	}
	for i := range fitDirections {
		az := 360 * (float64(i) + 0.5) / fitDirections
		s, c := math.Sincos(az * math.Pi / 180)
		f.from = append(f.from, [2]float64{c, s})
		f.waves = append(f.waves, wave(az))
	}
	// From a sampling of the field at the speakers on, with the weights of max-rE, as loud as one speaker on average.
	x := make([]float64, len(at)*len(used))
	weights := MaxRE(order, true)
	for s, d := range at {
		h := Harmonics(order, d.Azimuth, 0)
		for k, n := range used {
			x[s*len(used)+k] = weights[degree(n)] * level[k] * h[n]
		}
	}
	mean := 0.0
	for i := range f.waves {
		_, e, _, _ := f.heard(x, i)
		mean += e / fitDirections
	}
	for k := range x {
		x[k] /= math.Sqrt(mean)
	}
	for _, f.length = range fitRounds {
		if err := f.solve(x); err != nil {
			return nil, fitFigures{}, err
		}
	}
	// Rounded, to where machines that add in another order agree.
	for k := range x {
		x[k] = math.Round(x[k]*fitGrain) / fitGrain
	}
	return mat.NewDense(len(at), len(used), x), f.figures(x, wave), nil
}

// heard is what a plane wave comes to: the level of each speaker, the energy, and the energy vector along and across where it comes from.
func (f *fit) heard(x []float64, i int) (levels []float64, energy, along, across float64) {
	wave, from := f.waves[i], f.from[i]
	levels = make([]float64, len(f.towards))
	for s, to := range f.towards {
		g := 0.0
		for k, h := range wave {
			g += x[s*len(wave)+k] * h
		}
		levels[s] = g
		energy += g * g
		along += g * g * (to[0]*from[0] + to[1]*from[1])
		across += g * g * (to[1]*from[0] - to[0]*from[1])
	}
	return levels, energy, along, across
}

// residuals are what is off, three for each direction, and how they change with the factors.
func (f *fit) residuals(x []float64, r []float64, j *mat.Dense) (sum float64) {
	for i, wave := range f.waves {
		levels, e, along, across := f.heard(x, i)
		r[3*i], r[3*i+1], r[3*i+2] = e-1, across, f.length*(1-along)
		sum += r[3*i]*r[3*i] + r[3*i+1]*r[3*i+1] + r[3*i+2]*r[3*i+2]
		if j == nil {
			continue
		}
		from := f.from[i]
		for s, to := range f.towards {
			g := 2 * levels[s]
			ahead, beside := to[0]*from[0]+to[1]*from[1], to[1]*from[0]-to[0]*from[1]
			for k, h := range wave {
				n := s*len(wave) + k
				j.Set(3*i, n, g*h)
				j.Set(3*i+1, n, g*h*beside)
				j.Set(3*i+2, n, -f.length*g*h*ahead)
			}
		}
	}
	return sum
}

// solve brings the sum of the squares of what is off down, as far as it goes.
func (f *fit) solve(x []float64) error {
	n, m := len(x), 3*len(f.waves)
	r, next := make([]float64, m), make([]float64, n)
	j := mat.NewDense(m, n, nil)
	damp := 1e-3
	sum := f.residuals(x, r, j)
	for range fitSteps {
		var square mat.Dense
		square.Mul(j.T(), j)
		var slope mat.VecDense
		slope.MulVec(j.T(), mat.NewVecDense(m, r))
		better := false
		for range 12 {
			a := mat.NewSymDense(n, nil)
			for p := range n {
				for q := p; q < n; q++ {
					a.SetSym(p, q, square.At(p, q))
				}
				a.SetSym(p, p, square.At(p, p)+damp)
			}
			var chol mat.Cholesky
			var step mat.VecDense
			if !chol.Factorize(a) || chol.SolveVecTo(&step, &slope) != nil {
				damp *= 4
				continue
			}
			for k := range next {
				next[k] = x[k] - step.AtVec(k)
			}
			if now := f.residuals(next, r, nil); now < sum {
				better = sum-now > 1e-15*(1+sum)
				copy(x, next)
				damp = max(damp/3, 1e-12)
				break
			}
			damp *= 4
		}
		sum = f.residuals(x, r, j)
		if math.IsNaN(sum) {
			return snag.Refuse("bad_patch", "the speakers of this layout can't be solved for")
		}
		if !better || sum < 1e-20 {
			break
		}
	}
	return nil
}
