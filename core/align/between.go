package align

import "math"

// interpolator reads sound between samples, in steps of a little more or less than one or of the ratio
// of two rates, by a windowed sinc: good to about -90 dB in the bands that are compared here. What is
// delivered goes through core/resample instead.
type interpolator struct {
	step float64
	half int       // taps either side
	row  []float64 // phases + 1 rows of 2·half taps
	in   []float64
}

const phases = 256

func newInterpolator(step float64) *interpolator {
	wide := max(1, step) // several samples a step: what would fold is left out
	p := &interpolator{step: step, half: int(math.Ceil(16 * wide))}
	p.row = make([]float64, (phases+1)*2*p.half)
	for f := range phases + 1 {
		for k := range 2 * p.half {
			d := float64(k-p.half+1) - float64(f)/phases
			v := 1 / wide
			if d != 0 {
				v = math.Sin(math.Pi*d/wide) / (math.Pi * d)
			}
			p.row[f*2*p.half+k] = v * (0.5 + 0.5*math.Cos(math.Pi*d/(float64(p.half)+0.5)))
		}
	}
	return p
}

// read fills dst from a moment on, in samples of what src reads.
func (p *interpolator) read(dst []float64, at float64, src func(dst []float64, at int64) error) error {
	if p.step == 1 && at == math.Floor(at) {
		return src(dst, int64(at))
	}
	first := int64(math.Floor(at)) - int64(p.half) + 1
	need := int(math.Ceil(float64(len(dst))*p.step)) + 2*p.half + 2
	if cap(p.in) < need {
		p.in = make([]float64, need)
	}
	in := p.in[:need]
	if err := src(in, first); err != nil {
		return err
	}
	n := 2 * p.half
	for i := range dst {
		t := at + float64(i)*p.step
		whole := math.Floor(t)
		phase := (t - whole) * phases
		f := int(phase)
		part := phase - float64(f)
		x := in[int64(whole)-first-int64(p.half)+1:]
		a, b := product(p.row[f*n:(f+1)*n], x), product(p.row[(f+1)*n:(f+2)*n], x)
		dst[i] = a + part*(b-a)
	}
	return nil
}
