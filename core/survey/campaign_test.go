package survey_test

import (
	"fmt"
	"math"
	"math/rand/v2"
	"os"
	"testing"

	"github.com/stretchr/testify/assert"

	"zestyloom/core/audio"
	"zestyloom/core/survey"
	"zestyloom/internal/testmedia"
)

// trials is how many random recordings of a kind are tried: few with every test, 300 with LONG_TESTS=1 (make
// test-long).
func trials() int {
	if os.Getenv("LONG_TESTS") != "" {
		return 300
	}
	return testmedia.Sized(4, 8)
}

// talk is something like speech: syllables of pulses or noise through a formant, and pauses.
func talk(rng *rand.Rand, n int) []float64 {
	x := make([]float64, n)
	for at := 0; at < n; {
		if rng.Float64() < 0.2 {
			at += int(rate * (0.05 + 0.4*rng.Float64()))
			continue
		}
		length := int(rate * (0.06 + 0.2*rng.Float64()))
		pitch, hz := 90+140*rng.Float64(), 300+2500*rng.Float64()
		loud, voiced := 0.2+rng.Float64(), rng.Float64() < 0.7
		r := math.Exp(-math.Pi * 120 / rate)
		a1, a2 := 2*r*math.Cos(2*math.Pi*hz/rate), -r*r
		y1, y2, phase := 0.0, 0.0, 0.0
		for i := 0; i < length && at < n; i, at = i+1, at+1 {
			in := 0.05 * rng.NormFloat64()
			if voiced {
				if phase += pitch / rate; phase >= 1 {
					phase--
					in += 6
				}
			} else {
				in *= 12
			}
			y := in*0.3 + (1-r)*in + a1*y1 + a2*y2
			y1, y2 = y, y1
			x[at] = y * loud * math.Sin(math.Pi*float64(i)/float64(length))
		}
	}
	g := 0.1 / max(1e-9, rmsOf(x))
	return times(x, g)
}

// scene is what a recorder's microphones hear: each has its talker, the others later and fainter, and noise of
// its own. A boom hears all.
func scene(rng *rand.Rand, mics, n int) [][]float64 {
	talkers := make([][]float64, mics)
	for i := range talkers {
		talkers[i] = talk(rng, n)
	}
	out := make([][]float64, mics)
	for i := range out {
		out[i] = white(rng.Uint64(), n, 0.1*audio.Gain(-60+20*rng.Float64()))
		for j, x := range talkers {
			g, d := audio.Gain(-12-14*rng.Float64()), 40+rng.IntN(600)
			if j == i {
				g, d = 1, 0
			}
			out[i] = sum(out[i], times(later(x, d), g))
		}
		out[i] = times(out[i], audio.Gain(-12*rng.Float64()))
	}
	return out
}

// ride is a fader's course: smooth, up to ±6 dB around a setting, its fastest turn in about a second and a half.
func ride(rng *rand.Rand, n int, depth float64) []float64 {
	g := make([]float64, n)
	base := audio.Gain(-12 + 12*rng.Float64())
	f1, f2, p1, p2 := 0.05+0.25*rng.Float64(), 0.05+0.15*rng.Float64(), 6.3*rng.Float64(), 6.3*rng.Float64()
	for i := range g {
		t := 2 * math.Pi * float64(i) / rate
		g[i] = base * audio.Gain(depth*(0.6*math.Sin(f1*t+p1)+0.4*math.Sin(f2*t+p2)))
	}
	return g
}

// soften is a soft limiter: what goes over the threshold is taken down at once and comes back within 80 ms.
func soften(x []float64, threshold float64) []float64 {
	out := make([]float64, len(x))
	env, back := 0.0, math.Exp(-1/(0.08*rate))
	for i, v := range x {
		env = max(math.Abs(v), env*back)
		g := 1.0
		if env > threshold {
			g = threshold / env * (1 + math.Log(env/threshold)*0.3)
		}
		out[i] = v * g
	}
	return out
}

// saturate is a memoryless soft limiter.
func saturate(x []float64, threshold float64) []float64 {
	out := make([]float64, len(x))
	for i, v := range x {
		out[i] = threshold * math.Tanh(v/threshold)
	}
	return out
}

func peakOf(x []float64) (p float64) {
	for _, v := range x {
		p = max(p, math.Abs(v))
	}
	return p
}

// Real rough mixes are found: with faders that ride, late, limited, some members turned over, one side or two.
func TestRandomMixesAreFound(t *testing.T) {
	found, wrong, total := map[string]int{}, 0, map[string]int{}
	for seed := range trials() {
		rng := rand.New(rand.NewPCG(uint64(seed), 41))
		n := rate * (3 + rng.IntN(9))
		mics := scene(rng, 2+rng.IntN(6), n)
		kind := []string{"riding", "late", "limited", "all"}[seed%4]
		depth, late := 0.0, 0
		if kind == "riding" || kind == "all" {
			depth = 0.2 + 5.8*rng.Float64()
		}
		if kind == "late" || kind == "all" {
			late = 1 + rng.IntN(480)
		}
		signs, sides := make([]float64, len(mics)), 1+rng.IntN(2)
		for i := range signs {
			signs[i] = 1
			if rng.Float64() < 0.15 {
				signs[i] = -1
			}
		}
		var ch [][]float64
		for range sides {
			mix := make([]float64, n)
			for i, x := range mics {
				g := ride(rng, n, depth)
				for t := range mix {
					mix[t] += signs[i] * g[t] * x[t]
				}
			}
			switch {
			case kind == "limited" && seed%8 < 4:
				mix = saturate(mix, peakOf(mix)*audio.Gain(-6*rng.Float64()))
			case kind == "limited" || kind == "all":
				mix = soften(mix, peakOf(mix)*audio.Gain(-8*rng.Float64()))
			}
			ch = append(ch, later(mix, late))
		}
		f := holds(t, 40000, append(ch, mics...)...)
		total[kind]++
		ok := true
		for side := range sides {
			r := find(f, survey.Mix, side+1, 0)
			ok = ok && r != nil && r.Delay == late
		}
		if ok {
			found[kind]++
		} else {
			t.Logf("seed %d, %s, %d mics, %d late, %g dB: %s", seed, kind, len(mics), late, depth, relationsIn(f))
		}
		for m := range mics {
			if find(f, survey.Mix, sides+m+1, 0) != nil {
				wrong++
			}
		}
	}
	t.Logf("found %v of %v; sources called mixes: %d", found, total, wrong)
	all, of := 0, 0
	for k := range total {
		all, of = all+found[k], of+total[k]
	}
	assert.GreaterOrEqual(t, float64(all), 0.95*float64(of))
	assert.Zero(t, wrong, "a source is no mix of its mix and the others")
}

// relationsIn writes what was found down in short.
func relationsIn(f survey.Findings) (out string) {
	for _, r := range f.Relations {
		out += fmt.Sprintf(" %s %d %d (%d, %.0f dB)", r.Kind, r.A, r.B, r.Delay, r.RestDB)
	}
	return out
}

// Of strangers none is a mix.
func TestRandomStrangersAreNoMix(t *testing.T) {
	for seed := range trials() {
		rng := rand.New(rand.NewPCG(uint64(seed), 43))
		n := rate * (3 + rng.IntN(6))
		ch := scene(rng, 3+rng.IntN(6), n)
		if seed%3 == 0 { // of several takes: nothing to do with each other but a hum
			for i := range ch {
				ch[i] = talk(rng, n)
				for k := range ch[i] {
					ch[i][k] += 0.01 * math.Sin(2*math.Pi*50*float64(k)/rate+float64(i))
				}
			}
		}
		if seed%5 == 1 { // all on line-up tone, at other phases
			for i := range ch {
				for k := range ch[i] {
					ch[i][k] = 0.1*math.Sin(2*math.Pi*1000*float64(k)/rate+float64(i*i)) + 1e-5*rng.NormFloat64()
				}
			}
		}
		for _, r := range holds(t, 40000, ch...).Relations {
			assert.NotEqual(t, survey.Mix, r.Kind, "seed %d: %+v", seed, r)
		}
	}
}

// What is nearly a mix is not called one: noise on it, a microphone that is not there, members that are late one
// by one, between samples or by more than a desk is, a filter on it, another take's microphones.
func TestRandomNearMissesAreNoMix(t *testing.T) {
	for seed := range trials() {
		rng := rand.New(rand.NewPCG(uint64(seed), 47))
		n := rate * (3 + rng.IntN(6))
		mics := scene(rng, 3+rng.IntN(5), n)
		kept := mics
		mix := make([]float64, n)
		depth := 6 * rng.Float64()
		kind := seed % 6
		for i, x := range mics {
			g := ride(rng, n, depth)
			if kind == 2 {
				x = later(x, 200*i)
			}
			for t := range mix {
				mix[t] += g[t] * x[t]
			}
		}
		switch kind {
		case 0:
			mix = sum(mix, white(uint64(seed), n, rmsOf(mix)*audio.Gain(-37+20*rng.Float64())))
		case 1: // the loudest of those not recorded is a good part of the mix
			kept = mics[1:]
		case 3:
			mix = later(mix, 600+rng.IntN(2000))
		case 4:
			low := 0.0
			for t, v := range mix {
				low += 0.2 * (v - low)
				mix[t] = low
			}
		case 5:
			kept = scene(rng, len(mics), n)
		}
		f := holds(t, 40000, append([][]float64{mix}, kept...)...)
		for _, r := range f.Relations {
			assert.NotEqual(t, survey.Mix, r.Kind, "seed %d, kind %d: %+v", seed, kind, r)
		}
	}
}
