// Package meter has the meters that people watch while they listen: the sample peak, and a
// quasi-peak programme meter of type IIa (IEC 60268-10).
package meter

import "math"

// FullScale is the magnitude from which a sample counts as one at full scale: the greatest positive
// value of 16 bits, the coarsest coding in which recordings are clipped.
const FullScale = 1 - 1.0/(1<<15)

// A programme meter rises by two detectors with these time constants, which together follow the
// integration that IEC 60268-10 asks of type IIa (a burst of 5 kHz reads, against a steady tone, -2 dB
// at 10 ms, -4 dB at 5 ms, -9 dB at 1.5 ms, -17 dB at 0.5 ms), and falls by 24 dB in 2.8 s.
const (
	fast, slow = 1.27e-3, 5.9e-3 // seconds
	share      = 0.6             // of the fast detector
	steady     = 0.9733          // what a steady sine of peak 1 comes to
	fall       = 24 / 2.8        // dB a second
)

// Programme is a type IIa programme meter of one channel. It rectifies between samples too, and so is late by 16
// of them.
type Programme struct {
	over         *oversampler
	rise         [2]float64
	decay        float64
	first, other float64
}

// NewProgramme makes a meter for a sample rate in Hz.
func NewProgramme(rate int) *Programme {
	p := &Programme{over: newOversampler(rate)}
	p.rise, p.decay = ballistics(rate * p.over.factor)
	return p
}

// ballistics are by which part of what is missing both detectors rise with each of so many values a second, and by which
// factor they fall.
func ballistics(rate int) (rise [2]float64, decay float64) {
	at := func(t float64) float64 { return 1 - math.Exp(-1/(t*float64(rate))) }
	return [2]float64{at(fast), at(slow)}, math.Pow(10, -fall/20/float64(rate))
}

// Add takes samples into account and returns the greatest reading while they lasted, as the peak of
// the steady sine that reads the same, full scale 1. Samples that are not numbers count as silence.
func (p *Programme) Add(samples []float64) float64 {
	most := 0.0
	a, b := p.first, p.other
	rectify := func(v float64) {
		v = math.Abs(v)
		a *= p.decay
		b *= p.decay
		if v > a {
			a += p.rise[0] * (v - a)
		}
		if v > b {
			b += p.rise[1] * (v - b)
		}
		most = max(most, share*a+(1-share)*b)
	}
	for _, v := range samples {
		if !(math.Abs(v) <= math.MaxFloat64) {
			v = 0
		}
		p.over.add(v, rectify)
	}
	p.first, p.other = a, b
	return most / steady
}

// Mark is the reading on the scale of a type IIa meter for a level in dBFS: marks are 4 dB apart and
// mark 4 is -18 dBFS. Readings under mark 0 are not on the scale and negative.
func Mark(dbfs float64) float64 { return 4 + (dbfs+18)/4 }

// Reading is what a meter shows of one channel over a moment.
type Reading struct {
	Peak float64 // greatest magnitude, full scale 1
	PPM  float64 // programme meter, as Programme.Add gives it
	Over int     // samples at full scale
}

// Channel reads one channel with both meters.
type Channel struct{ ppm *Programme }

// NewChannel makes meters for a sample rate in Hz.
func NewChannel(rate int) *Channel { return &Channel{NewProgramme(rate)} }

// Add takes samples into account.
func (c *Channel) Add(samples []float64) Reading {
	r := Reading{PPM: c.ppm.Add(samples)}
	for _, v := range samples {
		if v = math.Abs(v); v > r.Peak { // never for what is no number
			r.Peak = v
		}
		if v >= FullScale {
			r.Over++
		}
	}
	return r
}
