// Package treat has what is done to a strand wherever it is used: switched off, its polarity turned,
// trimmed, delayed, and freed of rumble. An untouched strand passes bit for bit.
package treat

import (
	"math"

	"zestyloom/core/audio"
	"zestyloom/core/snag"
)

// Treatment is what is done to one strand. The zero value does nothing.
type Treatment struct {
	Off      bool    `json:"off,omitempty"`
	Invert   bool    `json:"invert,omitempty"`
	TrimDB   float64 `json:"trim_db,omitempty"`   // -60 to 24
	Delay    int64   `json:"delay,omitempty"`     // samples at the rate it is used at; negative is earlier
	HighPass float64 `json:"high_pass,omitempty"` // Hz, 20 to 400, 0 for none: 12 dB an octave, -3 dB there
	Chain    Chain   `json:"chain,omitzero"`      // filters and dynamics, after the high-pass
}

// Limits of a treatment.
const (
	MinTrimDB, MaxTrimDB     = -60, 24
	MinHighPass, MaxHighPass = 20, 400
	MaxDelay                 = 10 * 192000
)

// Check refuses a treatment beyond its limits.
func (t Treatment) Check() error {
	switch {
	case !(t.TrimDB >= MinTrimDB && t.TrimDB <= MaxTrimDB):
		return snag.Refuse("bad_trim", "a trim of %g dB is out of range: %d dB to %d dB can be had", t.TrimDB, MinTrimDB, MaxTrimDB)
	case t.HighPass != 0 && !(t.HighPass >= MinHighPass && t.HighPass <= MaxHighPass):
		return snag.Refuse("bad_high_pass", "a high-pass at %g Hz is out of range: %d Hz to %d Hz can be had, or none", t.HighPass, MinHighPass, MaxHighPass)
	case t.Delay < -MaxDelay || t.Delay > MaxDelay:
		return snag.Refuse("bad_delay", "a delay of %d samples is out of range: %d can be had either way; longer shifts are made in Sync", t.Delay, MaxDelay)
	}
	return t.Chain.Check()
}

// Gain is the factor that trim and polarity come to; exactly 1 or -1 without a trim.
func (t Treatment) Gain() float64 {
	g := audio.Gain(t.TrimDB)
	if t.Invert {
		return -g
	}
	return g
}

// HighPass is a second-order Butterworth high-pass with the state it is in.
type HighPass struct {
	b0, b1, b2, a1, a2 float64
	x1, x2, y1, y2     float64
}

// NewHighPass makes a filter by the bilinear transform, its corner at the exact frequency.
func NewHighPass(hz float64, rate int) *HighPass {
	k := math.Tan(math.Pi * hz / float64(rate))
	n := 1 / (1 + math.Sqrt2*k + k*k)
	return &HighPass{b0: n, b1: -2 * n, b2: n, a1: 2 * (k*k - 1) * n, a2: (1 - math.Sqrt2*k + k*k) * n}
}

// Apply filters samples in place, going on from where it was.
func (f *HighPass) Apply(x []float64) {
	for i, v := range x {
		y := float64(f.b0*v) + float64(f.b1*f.x1) + float64(f.b2*f.x2) - float64(f.a1*f.y1) - float64(f.a2*f.y2)
		f.x2, f.x1, f.y2, f.y1 = f.x1, v, f.y1, y
		x[i] = y
	}
}

// Settle is how many samples before a place the filter must begin for what came before to be more
// than 180 dB down: the sound there is then the same wherever one begins.
func Settle(hz float64, rate int) int64 {
	// The poles decay with exp(-2π·hz/√2·t).
	return int64(math.Ceil(180/8.685889638*math.Sqrt2/(2*math.Pi*hz)*float64(rate))) + 2
}

// Overshoot bounds how far the filter's output can go beyond its input: the sum of the magnitudes
// of its impulse response, which is under 2.5 for every corner (1 for the sample itself, and two
// lobes of what it takes away).
const Overshoot = 2.5
