package ambisonic

import (
	"fmt"
	"math"
	"sync"

	"gonum.org/v1/gonum/mat"

	"zestyloom/core/audio"
	"zestyloom/core/snag"
	"zestyloom/core/spatial"
)

// Way is how a sound field is decoded to speakers.
type Way string

// The ways.
const (
	// ModeMatching gives the speakers the levels whose own sound fields add up to it: directions are exact in the middle (the
	// velocity vector), and levels vary with the direction where speakers stand unevenly.
	ModeMatching Way = "mode-matching"
	// EnergyPreserving gives each direction the same energy (Zotter, Pomberger, Noisternig 2012).
	EnergyPreserving Way = "energy-preserving"
	// AllRound decodes to many speakers that stand evenly, each of which is then put between the real ones (Zotter, Frank 2012):
	// energies come from where the sound does, as nearly as uneven speakers allow, whatever the order.
	AllRound Way = "all-round"
	// Fitted has energies come from where the sound does, the same from all around, as nearly as a fit of both comes. Speakers that stand
	// too unevenly for it are decoded to all-round.
	Fitted Way = "fitted"
)

// Decoder is a decoding to a layout of speakers.
type Decoder struct {
	Matrix audio.Matrix
	Order  int // as far as there are speakers for it: less than the field's where they are few
	Plane  bool
	Says   string
}

// decoders are those that were made, by what they were made for.
var decoders sync.Map

// Decode makes a decoder from a sound field to a bed, which is kept and never changed. maxRE weights the orders so that the energy is as much as possible where
// the sound comes from (Daniel 2000). An LFE stays silent. Mono takes W; of two speakers each has a virtual cardioid.
func Decode(from, to audio.Layout, way Way, maxRE bool) (Decoder, error) {
	if from.Kind != audio.Ambisonic || to.Kind != audio.Bed {
		return Decoder{}, snag.Refuse("bad_patch", "%s can't be decoded to %s: a sound field is decoded to speakers", from.Name, to.Name)
	}
	if way != ModeMatching && way != EnergyPreserving && way != AllRound && way != Fitted {
		return Decoder{}, snag.Refuse("bad_patch", "a sound field is decoded %s, %s, %s or %s, not %q", Fitted, AllRound, ModeMatching, EnergyPreserving, way)
	}
	key := fmt.Sprint(from.Name, " to ", to.Name, ", ", way, maxRE)
	if d, ok := decoders.Load(key); ok {
		return d.(Decoder), nil
	}
	d, err := decoder(from, to, way, maxRE)
	if err == nil {
		decoders.Store(key, d)
	}
	return d, err
}

func decoder(from, to audio.Layout, way Way, maxRE bool) (Decoder, error) {
	var speakers []int
	var at []audio.Direction
	plane := true
	for i := range to.Count {
		if d, ok := to.Direction(i); ok {
			speakers, at = append(speakers, i), append(at, d)
			plane = plane && math.Abs(d.Elevation) < 1
		}
	}
	switch len(speakers) {
	case 0:
		return Decoder{}, snag.Refuse("bad_patch", "%s has no speakers with a direction", to.Name)
	case 1, 2:
		return few(from, to, speakers, at), nil
	}
	d := Decoder{Plane: plane}
	if way == Fitted {
		if g, order, figures := fitted(to, speakers, at, from.Order, plane); g != nil {
			d.Order = order
			d.take(g, from, to, speakers, even(order))
			d.Says = fmt.Sprintf("decoded to %s, fitted, order %d, %s", to.Name, order, figures.says(plane))
			return d, nil
		}
		way, maxRE = AllRound, true
	}
	// So many components can be told apart by so many speakers.
	for d.Order = from.Order; way != AllRound && d.Order > 0 && components(d.Order, plane) > len(speakers); d.Order-- {
	}
	used, level := basis(d.Order, plane)
	g, err := mat.NewDense(len(speakers), len(used), nil), error(nil)
	if way == AllRound {
		err = allRound(g, to, speakers, d.Order, used, level, plane)
	} else {
		y := mat.NewDense(len(used), len(speakers), nil)
		for s, dir := range at {
			h := Harmonics(d.Order, dir.Azimuth, dir.Elevation)
			for k, n := range used {
				y.Set(k, s, level[k]*h[n])
			}
		}
		g, err = solved(y, way)
	}
	if err != nil {
		return Decoder{}, err
	}
	weights := even(d.Order)
	if maxRE {
		weights = MaxRE(d.Order, plane)
	}
	d.take(g, from, to, speakers, weights)
	d.Says = fmt.Sprintf("decoded to %s, %s, order %d", to.Name, way, d.Order)
	if maxRE {
		d.Says += ", max-rE"
	}
	if plane {
		d.Says += ", what is above and below left out"
	}
	return d, nil
}

// even are weights that leave all orders as they are.
func even(order int) []float64 {
	w := make([]float64, order+1)
	for l := range w {
		w[l] = 1
	}
	return w
}

// take makes the matrix of the factors of speakers for the harmonics that basis has; weights are those of the orders.
func (d *Decoder) take(g *mat.Dense, from, to audio.Layout, speakers []int, weights []float64) {
	used, level := basis(d.Order, d.Plane)
	d.Matrix = audio.NewMatrix(to.Count, from.Count)
	index := map[int]int{}
	for i := range from.Count {
		n, _ := component(from.Norm, i)
		index[n] = i
	}
	for s, out := range speakers {
		for k, n := range used {
			i := index[n]
			_, f := component(from.Norm, i)
			d.Matrix[out][i] = g.At(s, k) * level[k] * weights[degree(n)] / f
		}
	}
}

func components(order int, plane bool) int {
	if plane {
		return 2*order + 1
	}
	return (order + 1) * (order + 1)
}

// basis are the ACN channels that a decoder uses, and what they are multiplied by: in a plane those that turn with the azimuth
// alone, brought to a mean square of 1 over the circle.
func basis(order int, plane bool) (used []int, level []float64) {
	if !plane {
		for n := range (order + 1) * (order + 1) {
			used, level = append(used, n), append(level, 1)
		}
		return used, level
	}
	front := Harmonics(order, 0, 0)
	for l := range order + 1 {
		k := 1.0
		if l > 0 {
			k = math.Sqrt2 / front[l*l+2*l]
			used, level = append(used, l*l), append(level, k)
		}
		used, level = append(used, l*l+2*l), append(level, k)
	}
	return used, level
}

// solved are the factors of speakers, a row each, from the harmonics of their directions, a column each.
func solved(y *mat.Dense, way Way) (*mat.Dense, error) {
	var svd mat.SVD
	if !svd.Factorize(y, mat.SVDThin) {
		return nil, snag.Refuse("bad_patch", "the speakers of this layout can't be solved for")
	}
	var u, v mat.Dense
	svd.UTo(&u)
	svd.VTo(&v)
	values := svd.Values(nil)
	k, s := y.Dims()
	middle := mat.NewDense(len(values), len(values), nil)
	for i, x := range values {
		switch {
		case way == EnergyPreserving:
			middle.Set(i, i, 1/math.Sqrt(float64(k))) // a direction's harmonics have a square sum of k
		case x > values[0]*1e-3:
			middle.Set(i, i, 1/x)
		}
	}
	var g mat.Dense
	g.Product(&v, middle, u.T())
	if r, c := g.Dims(); r != s || c != k {
		return nil, snag.Refuse("bad_patch", "the speakers of this layout can't be solved for")
	}
	return &g, nil
}

// evenly are directions all around, in a plane or on the sphere (along a spiral by the golden angle), each with its share of them.
func evenly(plane bool, fn func(azimuth, elevation, share float64)) {
	if plane {
		const n = 360
		for i := range n {
			fn(float64(i)-180, 0, 1.0/n)
		}
		return
	}
	const n = 2000
	for i := range n {
		fn(math.Mod(float64(i)*137.50776405003785, 360)-180, math.Asin(-1+(2*float64(i)+1)/n)*180/math.Pi, 1.0/n)
	}
}

// Sampled are the factors of one of so many speakers that stand evenly all around, towards a direction, with the weights of max-rE: as
// far as they can tell orders apart.
func Sampled(l audio.Layout, d audio.Direction, speakers int) []float64 {
	order := min(l.Order, int(math.Sqrt(float64(speakers)))-1)
	y := Harmonics(order, d.Azimuth, d.Elevation)
	w := MaxRE(order, false)
	out := make([]float64, l.Count)
	for i := range out {
		if n, f := component(l.Norm, i); n < len(y) {
			out[i] = w[degree(n)] * y[n] / f / math.Sqrt(float64(speakers*len(y)))
		}
	}
	return out
}

// allRound fills in the factors of speakers, by what even ones would play and where these lie between the real ones. On average
// over all directions the energy is 1.
func allRound(g *mat.Dense, to audio.Layout, speakers []int, order int, used []int, level []float64, plane bool) error {
	panner, err := spatial.NewPanner(to)
	if err != nil {
		return err
	}
	weights := MaxRE(order, plane)
	evenly(plane, func(az, el, share float64) {
		gains := panner.Gains(spatial.Position{Azimuth: az, Elevation: el})
		h := Harmonics(order, az, el)
		for s, i := range speakers {
			for k, n := range used {
				g.Set(s, k, g.At(s, k)+share*gains[i]*level[k]*h[n])
			}
		}
	})
	mean := 0.0
	evenly(plane, func(az, el, share float64) {
		h := Harmonics(order, az, el)
		for s := range speakers {
			sum := 0.0
			for k, n := range used {
				sum += g.At(s, k) * weights[degree(n)] * level[k] * h[n]
			}
			mean += share * sum * sum
		}
	})
	g.Scale(1/math.Sqrt(mean), g)
	return nil
}

// MaxRE are the weights of orders that put as much as possible of the energy where the sound comes from: Legendre polynomials at
// the greatest root of the one of the next degree, in a plane cos(lπ/(2N+2)); scaled so that the energy stays the same.
func MaxRE(order int, plane bool) []float64 {
	w := make([]float64, order+1)
	if plane {
		for l := range w {
			w[l] = math.Cos(float64(l) * math.Pi / float64(2*order+2))
		}
	} else {
		copy(w, polynomials(max(1, order), greatestRoot(order+1))[:order+1])
	}
	is, all := 0.0, 0.0
	for l := range w {
		n := float64(2*l + 1)
		if plane {
			if n = 2; l == 0 {
				n = 1
			}
		}
		is, all = is+n*w[l]*w[l], all+n
	}
	scale := math.Sqrt(all / is)
	for l := range w {
		w[l] *= scale
	}
	return w
}

// greatestRoot is that of the Legendre polynomial of a degree.
func greatestRoot(n int) float64 {
	x := math.Cos(2.404825557695773 / (float64(n) + 0.5)) // the first root of J0
	for range 50 {
		p := polynomials(n, x)
		slope := float64(n) * (p[n-1] - x*p[n]) / (1 - x*x)
		step := p[n] / slope
		if x -= step; math.Abs(step) < 1e-16 {
			break
		}
	}
	return x
}

// few decodes to one speaker or two: all that is there, or a virtual cardioid towards either side.
func few(from, to audio.Layout, speakers []int, at []audio.Direction) Decoder {
	d := Decoder{Order: 0, Says: "W alone, from all directions alike"}
	d.Matrix = audio.NewMatrix(to.Count, from.Count)
	if len(speakers) == 1 {
		d.Matrix[speakers[0]] = Microphone(from, 0, 0, 1)
		return d
	}
	d.Order, d.Says = min(1, from.Order), "two virtual cardioids, 90° to the left and to the right"
	for i, s := range speakers {
		d.Matrix[s] = Microphone(from, math.Copysign(90, at[i].Azimuth), 0, 0.5)
	}
	return d
}

// Microphone are the factors of a virtual microphone in a sound field, towards a direction: 1 for a pattern is omnidirectional,
// 0.5 a cardioid, 0 a figure of eight. Its sensitivity to a plane wave from where it points is 1.
func Microphone(l audio.Layout, azimuth, elevation, pattern float64) []float64 {
	y := Harmonics(min(1, l.Order), azimuth, elevation)
	out := make([]float64, l.Count)
	for i := range out {
		n, f := component(l.Norm, i)
		switch {
		case n == 0:
			out[i] = pattern / f
		case n < len(y):
			out[i] = (1 - pattern) * y[n] / 3 / f
		}
	}
	return out
}
