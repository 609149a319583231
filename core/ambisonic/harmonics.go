// Package ambisonic has the mathematics of sound fields by spherical harmonics, of orders 0 to 7: encoding at a direction,
// conversion between orders of channels and norms, rotation, mirroring, and decoding to speakers and virtual microphones.
//
// Azimuths are in degrees to the left, elevations up; the front is x, the left y, above z. Channels are in ACN order,
// n = l² + l + m, unless a layout's norm says otherwise.
package ambisonic

import (
	"math"

	"zestyloom/core/audio"
)

// Harmonics are the real spherical harmonics of a direction up to an order, in ACN order and fully normalised (N3D): without
// the Condon-Shortley phase, of mean square 1 over the sphere.
func Harmonics(order int, azimuth, elevation float64) []float64 {
	out := make([]float64, (order+1)*(order+1))
	s, c := math.Sincos(elevation * math.Pi / 180)
	p := legendre(order, s, c)
	for l := range order + 1 {
		for m := range l + 1 {
			n := math.Sqrt(float64(2*l+1) * ratio(l, m))
			if m == 0 {
				out[l*l+l] = n * p[l][0]
				continue
			}
			n *= math.Sqrt2 * p[l][m]
			sin, cos := math.Sincos(float64(m) * azimuth * math.Pi / 180)
			out[l*l+l+m], out[l*l+l-m] = n*cos, n*sin
		}
	}
	return out
}

// ratio is (l-m)! / (l+m)!.
func ratio(l, m int) float64 {
	v := 1.0
	for k := l - m + 1; k <= l+m; k++ {
		v /= float64(k)
	}
	return v
}

// legendre has the associated Legendre functions P(l, m) of x = sin of an elevation, y its cosine, without the phase.
func legendre(order int, x, y float64) [][]float64 {
	p := make([][]float64, order+1)
	for l := range p {
		p[l] = make([]float64, l+1)
	}
	p[0][0] = 1
	for l := 1; l <= order; l++ {
		p[l][l] = float64(2*l-1) * y * p[l-1][l-1]
		p[l][l-1] = float64(2*l-1) * x * p[l-1][l-1]
		for m := range l - 1 {
			p[l][m] = (float64(2*l-1)*x*p[l-1][m] - float64(l+m-1)*p[l-2][m]) / float64(l-m)
		}
	}
	return p
}

// Encode are the factors by which a source enters the channels of an ambisonic layout from a direction. spread, in degrees, is
// the angle over which it is spread out evenly, 0 for a point and 360 for everywhere: the higher an order the more of it goes.
func Encode(l audio.Layout, azimuth, elevation, spread float64) []float64 {
	y := Harmonics(l.Order, azimuth, elevation)
	caps := capOf(l.Order, spread)
	out := make([]float64, l.Count)
	for i := range out {
		n, f := component(l.Norm, i)
		out[i] = f * caps[degree(n)] * y[n]
	}
	return out
}

// capOf is by how much each order is less for a source that is even over a cap of an angle: (P(l-1) - P(l+1)) / ((2l+1)(1-x)) at
// its cosine x.
func capOf(order int, spread float64) []float64 {
	out := make([]float64, order+1)
	x := math.Cos(min(360, max(0, spread)) / 2 * math.Pi / 180)
	p := polynomials(order+1, x)
	for l := range out {
		if out[l] = 1; l > 0 && 1-x > 1e-9 {
			out[l] = (p[l-1] - p[l+1]) / (float64(2*l+1) * (1 - x))
		}
	}
	return out
}

// polynomials are the Legendre polynomials at x, of degrees 0 to n.
func polynomials(n int, x float64) []float64 {
	p := make([]float64, max(2, n+1))
	p[0], p[1] = 1, x
	for l := 2; l <= n; l++ {
		p[l] = (float64(2*l-1)*x*p[l-1] - float64(l-1)*p[l-2]) / float64(l)
	}
	return p
}

// degree is the order of an ACN channel.
func degree(acn int) int { return int(math.Sqrt(float64(acn))) }
