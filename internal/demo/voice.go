// Package demo makes Lantern Ferry, the demonstration production: a made-up night-ferry drama whose
// every sound is computed here from fixed seeds. Voices differ in pitch and pace and microphones in
// what reaches them, so that the recordings look and behave like a day on location.
package demo

import (
	"math"
	"math/rand/v2"
)

// voice is somebody who speaks.
type voice struct {
	seed    uint64
	pitch   float64 // Hz
	pace    float64 // syllables a second
	formant float64 // of the vocal tract, 1 for an average one
}

var (
	ines     = voice{11, 208, 5.2, 1.14}
	odell    = voice{23, 104, 3.6, 0.90}
	marit    = voice{37, 172, 4.4, 1.05}
	english  = voice{41, 128, 4.0, 0.97}
	portugal = voice{53, 190, 5.6, 1.10}
)

// vowels are the first three formants of five vowels, in Hz.
var vowels = [][3]float64{{730, 1090, 2440}, {530, 1840, 2480}, {390, 1990, 2550}, {570, 840, 2410}, {440, 1020, 2240}}

// resonator is a two-pole filter around a frequency.
type resonator struct{ a1, a2, gain, y1, y2 float64 }

func (r *resonator) tune(freq, width, rate float64) {
	radius := math.Exp(-math.Pi * width / rate)
	r.a1 = 2 * radius * math.Cos(2*math.Pi*freq/rate)
	r.a2 = -radius * radius
	r.gain = 1 - radius
}

func (r *resonator) next(x float64) float64 {
	y := r.gain*x + r.a1*r.y1 + r.a2*r.y2
	r.y2, r.y1 = r.y1, y
	return y
}

// line is a stretch of speech, in seconds.
type line struct{ at, length float64 }

// say speaks lines into a track of the given length, at a clock of rate samples a second. A clock
// that is off gives the drift of a recorder that is off.
func (v voice) say(lines []line, frames int, rate float64) []float64 {
	out := make([]float64, frames)
	for n, l := range lines {
		v.phrase(out, l, rand.New(rand.NewPCG(v.seed, uint64(n))), rate)
	}
	return out
}

func (v voice) phrase(out []float64, l line, rnd *rand.Rand, rate float64) {
	var f [3]resonator
	phase, breath := 0.0, 0.0
	at := l.at
	for at < l.at+l.length {
		syllable := (0.7 + 0.6*rnd.Float64()) / v.pace
		vowel := vowels[rnd.IntN(len(vowels))]
		stress := 0.45 + 0.55*rnd.Float64()
		hiss := rnd.Float64() < 0.45 // a fricative opens the syllable
		gap := 0.0
		if rnd.Float64() < 0.16 {
			gap = 0.12 + 0.25*rnd.Float64()
		}
		for i, w := range [3]float64{70, 100, 140} {
			f[i].tune(vowel[i]*v.formant, w, rate)
		}
		rise := 1 + 0.12*(rnd.Float64()-0.5)
		for n := int(at * rate); n < int((at+syllable)*rate) && n < len(out); n++ {
			u := (float64(n)/rate - at) / syllable
			envelope := math.Sin(math.Pi*math.Min(1, math.Max(0, u))) * stress
			// The pitch falls over the phrase and bends within the syllable.
			fall := 1.1 - 0.22*(float64(n)/rate-l.at)/l.length
			phase += v.pitch * fall * (1 + (rise-1)*u) / rate
			if phase >= 1 {
				phase--
			}
			pulse := 0.0
			if phase < 0.4 {
				pulse = math.Sin(math.Pi * phase / 0.4)
			}
			noise := rnd.Float64()*2 - 1
			breath = 0.6*breath + 0.4*noise
			x := (pulse-0.25)*3 + 0.08*noise
			y := f[0].next(x) + 0.6*f[1].next(x) + 0.3*f[2].next(x)
			s := 2.4 * y * envelope
			if hiss && u < 0.22 {
				s += 0.16 * (noise - breath) * math.Sin(math.Pi*u/0.22) * stress
			}
			out[n] += s
		}
		at += syllable + gap
	}
}

// normalise brings the peak of a track to a level, and what lies under it closer, as a limiter on
// a recorder does.
func normalise(x []float64, peak float64) []float64 {
	top := 0.0
	for _, v := range x {
		top = math.Max(top, math.Abs(v))
	}
	if top > 0 {
		for i := range x {
			x[i] = peak * math.Tanh(2.6*x[i]/top) / math.Tanh(2.6)
		}
	}
	return x
}
