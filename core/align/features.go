package align

import (
	"context"
	"math"
	"slices"

	"gonum.org/v1/gonum/dsp/fourier"

	"zestyloom/core/safely"
)

// The envelopes: eight bands of the speech range, a hundred values a second.
const (
	perSecond = 100
	bands     = 8
	lowest    = 180.0  // Hz
	highest   = 3600.0 // Hz
	coarse    = 8000   // Hz, or a little more: what sound is brought down to first
	span      = 128    // samples of a spectrum at that rate
)

// features are a recording's envelopes: by band, a value each hundredth of a second.
type features struct {
	band   [][]float32
	frames int
	// energy[n] is the sum of all squares before frame n.
	energy []float64
}

// quiet reports whether there is nothing to go by.
func (f *features) quiet() bool { return f.frames == 0 || f.energy[f.frames] == 0 }

// both works out the features of two recordings at once.
func both(ctx context.Context, a, b Sound) (x, y *features, err error) {
	var err2 error
	safely.Both(func() { x, err = envelopes(ctx, a) }, func() { y, err2 = envelopes(ctx, b) })
	if err == nil {
		err = err2
	}
	return x, y, err
}

// envelopes reads a sound once.
func envelopes(ctx context.Context, s Sound) (*features, error) {
	d := newDecimator(s)
	rate := d.rate()
	step := rate / perSecond
	frames := int(float64(s.Frames()) / float64(s.Rate()) * perSecond)
	f := &features{frames: frames, band: make([][]float32, bands), energy: make([]float64, frames+1)}
	for b := range f.band {
		f.band[b] = make([]float32, frames)
	}
	fft := fourier.NewFFT(span)
	window := hann(span)
	edges := make([]int, bands+1)
	for b := range edges {
		edges[b] = int(math.Round(lowest * math.Pow(highest/lowest, float64(b)/bands) / rate * span))
	}
	for b := 1; b <= bands; b++ {
		edges[b] = max(edges[b], edges[b-1]+1)
	}
	for b := range edges { // a low rate has no high bands
		edges[b] = min(edges[b], span/2+1)
	}
	x, spectrum := make([]float64, span), make([]complex128, span/2+1)
	const block = 1 << 13 // frames of the low rate read at once
	low := make([]float64, block+span)
	var first int64 // of low
	have := 0
	for n := range frames {
		if n%1000 == 0 {
			if err := ctx.Err(); err != nil {
				return nil, err
			}
		}
		from := int64(math.Round(float64(n) * step))
		if from+span > first+int64(have) {
			keep := copy(low, low[min(int64(have), from-first):have])
			first = from
			if err := d.read(low[keep:keep+block], first+int64(keep)); err != nil {
				return nil, err
			}
			have = keep + block
		}
		for i, v := range low[from-first : from-first+span] {
			x[i] = v * window[i]
		}
		fft.Coefficients(spectrum, x)
		for b := range bands {
			sum := 0.0
			for _, c := range spectrum[edges[b]:edges[b+1]] {
				sum += real(c)*real(c) + imag(c)*imag(c)
			}
			f.band[b][n] = float32(sum)
		}
	}
	if frames > 0 {
		for _, e := range f.band {
			f.normalise(e)
		}
	}
	for n := range frames {
		f.energy[n+1] += f.energy[n]
	}
	return f, nil
}

// normalise turns a band's energies into what is correlated: the slope of their logarithm above the
// noise floor, with unit variance and without outliers.
func (f *features) normalise(e []float32) {
	sorted := slices.Clone(e)
	slices.Sort(sorted)
	top := float64(sorted[len(e)-1])
	floor := max(2*float64(sorted[len(e)/4]), top*1e-8, 1e-18) // 80 dB under the loudest at most; silence stays silent
	level := make([]float64, len(e))
	for n, v := range e {
		level[n] = math.Log(float64(v) + floor)
	}
	slope := make([]float64, len(e))
	square := 0.0
	for n := 2; n+2 < len(e); n++ {
		slope[n] = level[n+2] + level[n+1] - level[n-1] - level[n-2]
		square += slope[n] * slope[n]
	}
	scale := 0.0
	// A band in which nothing changes by more than rounding has nothing to say.
	if mean := square / float64(len(e)); mean > 1e-6 {
		scale = 1 / math.Sqrt(mean)
	}
	for n := range e {
		v := max(-4, min(4, slope[n]*scale))
		e[n] = float32(v)
		f.energy[n+1] += v * v
	}
}

func hann(n int) []float64 {
	w := make([]float64, n)
	for i := range w {
		w[i] = 0.5 - 0.5*math.Cos(2*math.Pi*(float64(i)+0.5)/float64(n))
	}
	return w
}

// decimator reads a sound at a low rate: every so many samples of it, low-passed.
type decimator struct {
	s    Sound
	by   int
	taps []float64
	in   []float64
}

func newDecimator(s Sound) *decimator {
	d := &decimator{s: s, by: max(1, s.Rate()/coarse)}
	if d.by > 1 {
		// Flat enough over most of the bands; what folds into the highest does so alike in all recordings.
		n := 8*d.by + 1
		d.taps = make([]float64, n)
		sum := 0.0
		cut := 0.45 / float64(d.by)
		for i := range d.taps {
			t := float64(i - n/2)
			v := 2 * cut
			if t != 0 {
				v = math.Sin(2*math.Pi*cut*t) / (math.Pi * t)
			}
			d.taps[i] = v * (0.54 + 0.46*math.Cos(2*math.Pi*t/float64(n-1)))
			sum += d.taps[i]
		}
		for i := range d.taps {
			d.taps[i] /= sum
		}
	}
	return d
}

func (d *decimator) rate() float64 { return float64(d.s.Rate()) / float64(d.by) }

// read fills dst with samples of the low rate from one on, silence around the sound.
func (d *decimator) read(dst []float64, at int64) error {
	if d.by == 1 {
		return padded(d.s, dst, at)
	}
	half := len(d.taps) / 2
	need := (len(dst)-1)*d.by + len(d.taps)
	if cap(d.in) < need {
		d.in = make([]float64, need)
	}
	in := d.in[:need]
	if err := padded(d.s, in, at*int64(d.by)-int64(half)); err != nil {
		return err
	}
	for i := range dst {
		dst[i] = product(d.taps, in[i*d.by:])
	}
	return nil
}

// product is the sum of products, in four lanes.
func product(h, x []float64) float64 {
	x = x[:len(h)]
	var a, b, c, e float64
	i := 0
	for ; i+4 <= len(h); i += 4 {
		a += h[i] * x[i]
		b += h[i+1] * x[i+1]
		c += h[i+2] * x[i+2]
		e += h[i+3] * x[i+3]
	}
	for ; i < len(h); i++ {
		a += h[i] * x[i]
	}
	return a + b + c + e
}
