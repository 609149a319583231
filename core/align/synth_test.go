package align_test

import (
	"math"
	"math/rand/v2"
)

// memory is sound in memory.
type memory struct {
	rate int
	x    []float64
}

func (m memory) Rate() int     { return m.rate }
func (m memory) Frames() int64 { return int64(len(m.x)) }
func (m memory) Read(dst []float64, frame int64) error {
	copy(dst, m.x[frame:frame+int64(len(dst))])
	return nil
}

// resonator is a two-pole filter: a formant.
type resonator struct{ a1, a2, g, y1, y2 float64 }

func (r *resonator) set(hz, width float64, rate int) {
	p := math.Exp(-math.Pi * width / float64(rate))
	r.a1, r.a2, r.g = 2*p*math.Cos(2*math.Pi*hz/float64(rate)), -p*p, 1-p
}

func (r *resonator) step(x float64) float64 {
	y := r.g*x + r.a1*r.y1 + r.a2*r.y2
	r.y2, r.y1 = r.y1, y
	return y
}

// voice is something like speech: syllables of changing pitch and formants, consonants of noise, and
// pauses of changing length.
func voice(seed uint64, rate int, seconds float64) []float64 {
	rng := rand.New(rand.NewPCG(seed, 7))
	x := make([]float64, int(seconds*float64(rate)))
	var f [4]resonator
	for at := 0; at < len(x); {
		if rng.Float64() < 0.15 {
			at += int((0.2 + rng.ExpFloat64()*0.5) * float64(rate)) // a pause
			continue
		}
		n := int((0.07 + rng.Float64()*0.2) * float64(rate))
		voiced := rng.Float64() < 0.7
		pitch, glide := 90+rng.Float64()*140, (rng.Float64()-0.5)*60
		for i, hz := range []float64{250 + rng.Float64()*500, 900 + rng.Float64()*1400, 2200 + rng.Float64()*1200, 3500 + rng.Float64()*1500} {
			f[i].set(hz, 80+60*float64(i), rate)
		}
		loud, phase := 0.1+0.5*rng.Float64(), 0.0
		for i := 0; i < n && at < len(x); i++ {
			t := float64(i) / float64(n)
			in := rng.NormFloat64() * 0.1
			if voiced {
				if phase += (pitch + glide*t) / float64(rate); phase >= 1 {
					phase--
					in += 8
				}
			} else {
				in *= 8
			}
			y := 0.0
			for k := range f {
				y += f[k].step(in) / float64(k+1)
			}
			x[at] = y * loud * math.Sin(math.Pi*t)
			at++
		}
	}
	return level(x, 0.1)
}

// level brings a sound to an RMS.
func level(x []float64, rms float64) []float64 {
	sum := 0.0
	for _, v := range x {
		sum += v * v
	}
	g := rms / math.Sqrt(sum/float64(len(x)))
	for i := range x {
		x[i] *= g
	}
	return x
}

// room is what a microphone hears at another place: the direct sound, and reflections after it.
func room(x []float64, seed uint64, rate int) []float64 {
	rng := rand.New(rand.NewPCG(seed, 11))
	out := append([]float64(nil), x...)
	for range 14 {
		delay := int((0.002 + rng.Float64()*0.07) * float64(rate))
		gain := 0.5 * math.Exp(-float64(delay)/float64(rate)/0.03) * math.Copysign(1, rng.Float64()-0.4)
		for i := delay; i < len(x); i++ {
			out[i] += gain * x[i-delay]
		}
	}
	return out
}

// noisy adds noise of an RMS, coloured a little as rooms are.
func noisy(x []float64, seed uint64, rms float64) []float64 {
	rng := rand.New(rand.NewPCG(seed, 13))
	noise := make([]float64, len(x))
	y := 0.0
	for i := range noise {
		y = 0.7*y + rng.NormFloat64()
		noise[i] = y
	}
	level(noise, rms)
	out := make([]float64, len(x))
	for i := range x {
		out[i] = x[i] + noise[i]
	}
	return out
}

func times(x []float64, g float64) []float64 {
	out := make([]float64, len(x))
	for i, v := range x {
		out[i] = v * g
	}
	return out
}

// banded is what a camera's microphone makes of it: nothing low, nothing high.
func banded(x []float64, rate int) []float64 {
	out := make([]float64, len(x))
	a, b := 1-math.Exp(-2*math.Pi*250/float64(rate)), 1-math.Exp(-2*math.Pi*3500/float64(rate))
	lo, hi, hi2 := 0.0, 0.0, 0.0
	for i, v := range x {
		lo += a * (v - lo)
		hi += b * (v - lo - hi)
		hi2 += b * (hi - hi2)
		out[i] = hi2
	}
	return out
}

// sampled is a sound as a recorder hears it whose first sample is at a moment of x, in samples of it,
// and that takes step of its samples at a time: by a windowed sinc of 48 taps.
func sampled(x []float64, at, step float64, n int) []float64 {
	out := make([]float64, n)
	cut := math.Min(1, 1/step)
	for i := range out {
		t := at + float64(i)*step
		whole := int(math.Floor(t))
		if t == float64(whole) && step == 1 {
			if whole >= 0 && whole < len(x) {
				out[i] = x[whole]
			}
			continue
		}
		// Both sines turn by the same angle from tap to tap: they are turned, not worked out.
		d := float64(whole-23) - t
		sin, cos := math.Sincos(math.Pi * d * cut)
		ds, dc := math.Sincos(math.Pi * cut)
		wsin, wcos := math.Sincos(math.Pi * d / 24.5)
		ws, wc := math.Sincos(math.Pi / 24.5)
		sum := 0.0
		for k := whole - 23; k <= whole+24; k++ {
			if k >= 0 && k < len(x) {
				h := cut
				if math.Abs(d) > 1e-9 {
					h = sin / (math.Pi * d)
				}
				sum += x[k] * h * (0.5 + 0.5*wcos)
			}
			sin, cos = sin*dc+cos*ds, cos*dc-sin*ds
			wsin, wcos = wsin*wc+wcos*ws, wcos*wc-wsin*ws
			d++
		}
		out[i] = sum
	}
	return out
}
