package demo

import (
	"math"
	"math/rand/v2"
)

// add mixes src into dst at a gain, late by a number of samples, with a one-pole low-pass that
// leaves keep of each step (1 leaves all): distance, in short.
func add(dst, src []float64, gain float64, late int, keep float64) {
	from, to := max(0, late), min(len(dst), late+len(src))
	if to <= from {
		return
	}
	y, dst := 0.0, dst[from:to]
	for i, x := range src[from-late : to-late] {
		if y += keep * (x - y); y < 1e-200 && y > -1e-200 {
			y = 0 // what dies away in silence would cost a hundred times as much, being no normal number any more
		}
		dst[i] += gain * y
	}
}

// room adds the reflections of a place to what was said there.
func room(src []float64, gain float64, seed uint64) []float64 {
	out := make([]float64, len(src))
	rnd := rand.New(rand.NewPCG(seed, 1))
	for n := range 9 {
		late := 400 + n*310 + rnd.IntN(220)
		add(out, src, gain*math.Pow(0.72, float64(n)), late, 0.35)
	}
	return out
}

// hiss is the noise of a microphone and its amplifier: dark noise of about the given peak.
func hiss(frames int, level float64, seed uint64, keep float64) []float64 {
	rnd := rand.New(rand.NewPCG(seed, 2))
	out := make([]float64, frames)
	y := 0.0
	for i := range out {
		y += keep * (rnd.Float64()*2 - 1 - y)
		out[i] = level * y
	}
	return out
}

// engine is a ship's diesel far below: harmonics of a slow beat that wander a little.
func engine(frames int, level float64, seed uint64, rate float64) []float64 {
	rnd := rand.New(rand.NewPCG(seed, 3))
	out := make([]float64, frames)
	var phases [9]float64
	wander := 0.0
	rumble := hiss(frames, 1, seed, 0.02)
	for i := range out {
		wander += 0.00002 * (rnd.Float64()*2 - 1 - wander*0.01)
		s := 0.0
		for h := range phases {
			phases[h] += 13.4 * float64(h+1) * (1 + wander) / rate
			s += math.Sin(2*math.Pi*phases[h]) / float64(h+1)
		}
		out[i] = level * (0.5*s*(0.8+0.2*math.Sin(2*math.Pi*0.7*float64(i)/rate)) + 2*rumble[i])
	}
	return out
}

// horn is a ship's horn, from a second on for a length.
func horn(frames int, at, length, rate float64) []float64 {
	out := make([]float64, frames)
	for n := int(at * rate); n < int((at+length)*rate) && n < frames; n++ {
		t := float64(n)/rate - at
		env := math.Min(1, t/0.35) * math.Min(1, (length-t)/0.6)
		s := 0.0
		for h := 1; h <= 8; h++ {
			s += math.Sin(2*math.Pi*116.5*float64(h)*t) / float64(h)
			s += math.Sin(2*math.Pi*146.8*float64(h)*t+1) / float64(h)
		}
		out[n] = env * s * 0.2
	}
	return out
}

// chord is a slow pad of the score: one chord every bar seconds, one voice of it a side.
func chord(frames int, side int, rate float64) []float64 {
	roots := []float64{110, 87.31, 130.81, 98}
	out := make([]float64, frames)
	const bar = 5.0
	for i := range out {
		t := float64(i) / rate
		k := int(t / bar)
		u := t - float64(k)*bar
		env := math.Min(1, u/0.9) * math.Min(1, (bar-u)/1.4)
		root := roots[k%len(roots)]
		s := 0.0
		for n, ratio := range []float64{1, 1.498, 2, 2.378, 2.997} {
			detune := 1 + 0.0016*float64(side)*float64(n-2)
			s += math.Sin(2*math.Pi*root*ratio*detune*t+float64(side*n)) / float64(n+1)
		}
		out[i] = 0.2 * env * s
	}
	return out
}

// slam is a hatch that falls shut in a hold: a second, loud at once.
func slam(rate float64, seed uint64) []float64 {
	x := hiss(int(1.2*rate), 1, seed, 0.8)
	for i := range x {
		t := float64(i) / rate
		x[i] = (0.75*x[i] + 0.25*math.Sin(2*math.Pi*90*t)) * math.Exp(-t/0.45)
	}
	return x
}

// glass is struck for a hundredth of a second, at a quarter of the rate and between the samples: these stay 3 dB under the
// true peak.
func glass(rate float64) []float64 {
	x := make([]float64, int(rate/100))
	for i := range x {
		u := float64(i) / float64(len(x))
		x[i] = 0.97 * math.Sin(math.Pi/2*float64(i)+math.Pi/4) * (1 - math.Cos(2*math.Pi*u)) / 2
	}
	return x
}

// fade brings the ends of a track to nothing over a time in samples.
func fade(x []float64, n int) []float64 {
	for i := range min(n, len(x)/2) {
		g := float64(i) / float64(n)
		x[i] *= g
		x[len(x)-1-i] *= g
	}
	return x
}

// turn is the cosine and sine of a fraction of a full turn.
func turn(u float64) (c, s float64) {
	s, c = math.Sincos(2 * math.Pi * u)
	return c, s
}
