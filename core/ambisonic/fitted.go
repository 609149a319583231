package ambisonic

import (
	"fmt"
	"math"

	"gonum.org/v1/gonum/mat"

	"zestyloom/core/audio"
	"zestyloom/core/snag"
)

// Levels of speakers are polynomials in the direction of a plane wave, of the order of the field; the energy, and the vector that says
// where it is seen from (Gerzon 1992), are of twice the order and one more. Two demands can so be made of all directions at once: that the
// energy is the same, and that its vector points where the sound comes from. In a plane, with as many speakers as an order can tell apart,
// there are factors that meet both, which no formula gives; where speakers stand above as well they are met in the plane, and nearly so
// above it. The factors are fitted, by Levenberg's and Marquardt's method, from a plainer decoding on, first with the vector as long as may
// be and then with less regard for that.

const (
	fitSteps    = 150     // at most, of each round
	fitGrain    = 1 << 20 // of factors, to where machines that add in another order agree
	fitUnknowns = 200     // at most: it takes a second or two
)

// What a fit has to come to, so that it is taken.
const (
	fitDegrees = 1.0 // in the plane
	fitAbove   = 8.0 // degrees, above it
	fitDB      = 1.0
	fitLength  = 0.3 // of the energy vector: as between two speakers that are 145° apart
)

// fitFigures are what a plane wave comes to.
type fitFigures struct {
	degrees, above float64 // at most, from where the sound comes to where the energy does: in the plane, and above it
	db             float64 // of the level, at most, from all directions
	length         float64 // of the energy vector, at the least, in the plane and above
}

func (f fitFigures) good() bool {
	return f.degrees <= fitDegrees && f.above <= fitAbove && f.db <= fitDB && f.length >= fitLength
}

// says is the figures in words, in tenths that they stay within.
func (f fitFigures) says(plane bool) string {
	tenths := func(x float64) float64 { return max(0.1, math.Ceil(x*10)/10) }
	if plane {
		return fmt.Sprintf("directions within %.1f° and levels within %.1f dB, what is above and below left out", tenths(f.degrees), tenths(f.db))
	}
	return fmt.Sprintf("directions within %.1f°, above within %.1f°, and levels within %.1f dB", tenths(f.degrees), tenths(f.above), tenths(f.db))
}

// fit is what is asked of the factors of speakers, a row each, for the harmonics of plane waves as basis has them.
type fit struct {
	speakers [][3]float64
	waves    []wave
	length   float64 // how much the length of the vector counts
	enough   float64 // share of what is off that a step has to mend, for another to be worth it
}

// wave is a plane wave: its harmonics, the direction in which its energy is to be seen with the two across it, and how much the
// energy, the direction and the length of its vector count.
type wave struct {
	harmonics          []float64
	along, beside, up  [3]float64
	energy, turn, long float64
}

// fitted fits factors of the highest order that is tried until they are good. Nothing where none are.
func fitted(to audio.Layout, speakers []int, at []audio.Direction, field int, plane bool) (g *mat.Dense, order int, figures fitFigures) {
	most := 0
	for most < field && components(most+1, plane) <= len(at) {
		most++
	}
	tried := []int{most, most + 1}
	if !plane { // one more order than can be told apart makes it sharper
		tried = []int{most + 1, most}
	}
	for order := most - 1; order > 0; order-- {
		tried = append(tried, order)
	}
	for _, order := range tried {
		if order < 1 || order > field || components(order, plane)*len(at) > fitUnknowns {
			continue
		}
		g, figures, err := fitOrder(to, speakers, at, order, plane)
		if err == nil && figures.good() {
			return g, order, figures
		}
	}
	return nil, 0, figures
}

// fitOrder fits factors of an order.
func fitOrder(to audio.Layout, speakers []int, at []audio.Direction, order int, plane bool) (*mat.Dense, fitFigures, error) {
	used, level := basis(order, plane)
	f := fit{enough: 1e-6}
	for _, d := range at {
		f.speakers = append(f.speakers, pointing(d.Azimuth, d.Elevation))
	}
	at3 := func(az, el, energy, turn, long float64) wave {
		h, k := Harmonics(order, az, el), make([]float64, len(used))
		for i, n := range used {
			k[i] = level[i] * h[n]
		}
		seen := max(el, 0) // what comes from below is seen at the horizon, where there are speakers
		return wave{k, pointing(az, seen), pointing(az+90, 0), pointing(az, seen+90), energy, turn, long}
	}
	g := mat.NewDense(len(at), len(used), nil)
	rounds := []float64{0.3, 0.1, 0.03, 0.01, 0.003, 0.001}
	if plane {
		// In all directions that orders to 7 can tell apart. The length counts to the end, a little: there is so one solution and not
		// a family of them, and every machine comes to the same.
		for i := range 96 {
			f.waves = append(f.waves, at3(3.75*(float64(i)+0.5), 0, 1, 1, 1))
		}
		for s, d := range at {
			h := Harmonics(order, d.Azimuth, 0)
			for k, n := range used {
				g.Set(s, k, level[k]*h[n])
			}
		}
	} else {
		// In the plane above all; from below nothing but that it is as loud.
		for i := range 48 {
			f.waves = append(f.waves, at3(7.5*float64(i), 0, 3, 3, 1))
		}
		for _, el := range []float64{15, 30, 45, 60, 75, 90} {
			n := max(1, int(24*math.Cos(el*math.Pi/180)))
			for i := range n {
				f.waves = append(f.waves, at3(el+360*float64(i)/float64(n), el, 0.7, 0.7, 1))
			}
		}
		for _, el := range []float64{-25, -50, -75} {
			n := int(16 * math.Cos(el*math.Pi/180))
			for i := range n {
				f.waves = append(f.waves, at3(360*float64(i)/float64(n), el, 0.3, 0, 0.3))
			}
		}
		if err := allRound(g, to, speakers, order, used, level, false); err != nil {
			return nil, fitFigures{}, err
		}
		rounds, f.enough = []float64{0.3, 0.1, 0.05}, 1e-3
	}
	x := g.RawMatrix().Data
	f.begin(x, MaxRE(order, plane), used)
	for _, f.length = range rounds {
		if err := f.solve(x); err != nil {
			return nil, fitFigures{}, err
		}
	}
	for k := range x {
		x[k] = math.Round(x[k]*fitGrain) / fitGrain
	}
	return g, f.figures(x, plane, at3), nil
}

// pointing is the direction as a vector: ahead, to the left, up.
func pointing(azimuth, elevation float64) [3]float64 {
	s, c := math.Sincos(azimuth * math.Pi / 180)
	up, flat := math.Sincos(elevation * math.Pi / 180)
	return [3]float64{c * flat, s * flat, up}
}

func dot(a, b [3]float64) float64 { return a[0]*b[0] + a[1]*b[1] + a[2]*b[2] }

// begin weights the orders of what a fit begins with, and makes it as loud as one speaker on average.
func (f *fit) begin(x, weights []float64, used []int) {
	for i := range x {
		x[i] *= weights[degree(used[i%len(used)])]
	}
	mean := 0.0
	for _, w := range f.waves {
		_, v := f.heard(x, w)
		mean += v[0] / float64(len(f.waves))
	}
	for i := range x {
		x[i] /= math.Sqrt(mean)
	}
}

// heard is what a plane wave comes to: the level of each speaker, and the energy with its vector along where it is to be seen and across.
func (f *fit) heard(x []float64, w wave) (levels []float64, v [4]float64) {
	levels = make([]float64, len(f.speakers))
	for s, to := range f.speakers {
		g := 0.0
		for k, h := range w.harmonics {
			g += x[s*len(w.harmonics)+k] * h
		}
		levels[s] = g
		v[0] += g * g
		v[1] += g * g * dot(to, w.along)
		v[2] += g * g * dot(to, w.beside)
		v[3] += g * g * dot(to, w.up)
	}
	return levels, v
}

// residuals are what is off, four for each wave, and how they change with the factors.
func (f *fit) residuals(x []float64, r []float64, j *mat.Dense) (sum float64) {
	for i, w := range f.waves {
		levels, v := f.heard(x, w)
		off := r[4*i : 4*i+4]
		off[0], off[1], off[2], off[3] = w.energy*(v[0]-1), w.turn*v[2], w.turn*v[3], w.long*f.length*(1-v[1])
		sum += off[0]*off[0] + off[1]*off[1] + off[2]*off[2] + off[3]*off[3]
		if j == nil {
			continue
		}
		for s, to := range f.speakers {
			g := 2 * levels[s]
			slopes := [4]float64{w.energy * g, w.turn * g * dot(to, w.beside), w.turn * g * dot(to, w.up), -w.long * f.length * g * dot(to, w.along)}
			for k, h := range w.harmonics {
				for c, slope := range slopes {
					j.Set(4*i+c, s*len(w.harmonics)+k, slope*h)
				}
			}
		}
	}
	return sum
}

// solve brings the sum of the squares of what is off down, as far as it goes.
func (f *fit) solve(x []float64) error {
	n, m := len(x), 4*len(f.waves)
	r, next := make([]float64, m), make([]float64, n)
	j := mat.NewDense(m, n, nil)
	damp := 1e-3
	sum := f.residuals(x, r, j)
	for range fitSteps {
		var square mat.SymDense
		square.SymOuterK(1, j.T())
		var slope mat.VecDense
		slope.MulVec(j.T(), mat.NewVecDense(m, r))
		better := false
		for range 12 {
			a := mat.NewSymDense(n, nil)
			a.CopySym(&square)
			for p := range n {
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
				better = sum-now > f.enough*sum && sum > 1e-15
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
		if !better {
			break
		}
	}
	return nil
}

// figures are those of factors, from all degrees around, at several heights where there are speakers above.
func (f *fit) figures(x []float64, plane bool, at func(az, el, energy, turn, long float64) wave) (out fitFigures) {
	out.length = 1
	heights := []float64{0}
	if !plane {
		heights = []float64{0, 10, 20, 30, 45, 60, 80, -30, -60}
	}
	for _, el := range heights {
		for az := -180.0; az < 180; az++ {
			_, v := f.heard(x, at(az, el, 0, 0, 0))
			out.db = max(out.db, math.Abs(10*math.Log10(v[0])))
			if el < 0 {
				continue
			}
			across := math.Hypot(v[2], v[3])
			off := math.Abs(math.Atan2(across, v[1])) * 180 / math.Pi
			if el == 0 {
				out.degrees = max(out.degrees, off)
			} else {
				out.above = max(out.above, off)
			}
			out.length = min(out.length, math.Hypot(v[1], across)/v[0])
		}
	}
	return out
}
