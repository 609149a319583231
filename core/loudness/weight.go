// Package loudness measures how loud sound is (ITU-R BS.1770-5).
package loudness

import (
	"math"
	"math/cmplx"
)

// Weighting is the K-weighting of one channel, with the state it is in.
type Weighting struct{ shelf, high biquad }

type biquad struct{ b0, b1, b2, a1, a2, x1, x2, y1, y2 float64 }

// Analogue prototypes of the two stages of BS.1770, of which the standard gives the coefficients at
// 48 kHz: a shelf and a high-pass.
const (
	shelfHz, shelfDB, shelfQ = 1681.974450955533, 3.999843853973347, 0.7071752369554196
	highHz, highQ            = 38.13547087602444, 0.5003270373238773
)

// CalibrationHz is the tone that reads the same at every rate: that of the standard's calibration, for which the
// offset of -0.691 stands.
const CalibrationHz = 997

// NewWeighting makes the filter for a sample rate in Hz: at 48 kHz that of the standard, at others the same
// analogue filters, with the gain at which CalibrationHz reads as at 48 kHz. (A bilinear transform
// bends frequencies, and so bends the shelf a little at each rate.)
func NewWeighting(rate int) *Weighting {
	w := weighting(rate)
	if rate != 48000 {
		g := weighting(48000).gainAt(CalibrationHz, 48000) / w.gainAt(CalibrationHz, rate)
		w.shelf.b0, w.shelf.b1, w.shelf.b2 = g*w.shelf.b0, g*w.shelf.b1, g*w.shelf.b2
	}
	return w
}

// gainAt is the magnitude of the response at a frequency.
func (w *Weighting) gainAt(hz float64, rate int) float64 {
	z := cmplx.Exp(complex(0, -2*math.Pi*hz/float64(rate)))
	h := complex(1, 0)
	for _, f := range []biquad{w.shelf, w.high} {
		h *= (complex(f.b0, 0) + complex(f.b1, 0)*z + complex(f.b2, 0)*z*z) / (1 + complex(f.a1, 0)*z + complex(f.a2, 0)*z*z)
	}
	return cmplx.Abs(h)
}

func weighting(rate int) *Weighting {
	k := math.Tan(math.Pi * shelfHz / float64(rate))
	vh := math.Pow(10, shelfDB/20)
	vb := math.Pow(vh, 0.4996667741545416)
	n := 1 + k/shelfQ + k*k
	w := &Weighting{shelf: biquad{
		b0: (vh + vb*k/shelfQ + k*k) / n, b1: 2 * (k*k - vh) / n, b2: (vh - vb*k/shelfQ + k*k) / n,
		a1: 2 * (k*k - 1) / n, a2: (1 - k/shelfQ + k*k) / n,
	}}
	k = math.Tan(math.Pi * highHz / float64(rate))
	n = 1 + k/highQ + k*k
	w.high = biquad{b0: 1, b1: -2, b2: 1, a1: 2 * (k*k - 1) / n, a2: (1 - k/highQ + k*k) / n}
	return w
}

// Apply filters samples in place, going on from where it was.
func (w *Weighting) Apply(x []float64) {
	w.shelf.apply(x)
	w.high.apply(x)
}

// squares filters samples into k and adds their squares to sum. Both stages go along together, which a processor
// computes in the time of one. Samples that are no numbers count as silence.
func (w *Weighting) squares(k, x []float64, sum float64) float64 {
	k = k[:len(x)]
	s, h := w.shelf, w.high
	for i, v := range x {
		if v-v != 0 {
			v = 0
		}
		y := s.b0*v + s.b1*s.x1 + s.b2*s.x2 - s.a2*s.y2 - s.a1*s.y1
		s.x2, s.x1 = s.x1, v
		z := h.b0*y + h.b1*s.y1 + h.b2*s.y2 - h.a2*h.y2 - h.a1*h.y1
		s.y2, s.y1 = s.y1, y
		h.y2, h.y1 = h.y1, z
		k[i] = z
		sum += z * z
	}
	// What has died away must not slow the processor down.
	for _, v := range []*float64{&s.y1, &s.y2, &h.y1, &h.y2} {
		if math.Abs(*v) < 1e-150 {
			*v = 0
		}
	}
	h.x1, h.x2 = s.y1, s.y2
	w.shelf, w.high = s, h
	return sum
}

func (f *biquad) apply(x []float64) {
	for i, v := range x {
		y := f.b0*v + f.b1*f.x1 + f.b2*f.x2 - f.a1*f.y1 - f.a2*f.y2
		f.x2, f.x1, f.y2, f.y1 = f.x1, v, f.y1, y
		x[i] = y
	}
}

// Of is the loudness in LUFS of channels whose K-weighted mean squares are given, each with its
// weight (1 for the front, 1.41 for surrounds). It is -Inf for silence.
func Of(squares, weights []float64) float64 {
	sum := 0.0
	for i, z := range squares {
		sum += z * weights[i]
	}
	return -0.691 + 10*math.Log10(sum)
}
