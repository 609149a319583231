package meter

// A rectifier that looks at samples only misses what lies between them: a tone of a quarter of the rate may show
// no sample above -3 dB of its peak for ever. So the programme meter rectifies at a rate of about 192 kHz.
const (
	rectifiedAt = 176_000 // Hz at least, by doubling
	taps        = 32      // of the interpolator, for each phase
	kaiserBeta  = 7.5     // -75 dB beside the pass band, which reaches 0.46 of the rate within 0.1 dB
)

// oversampler interpolates a channel by 1, 2 or 4 with a polyphase windowed sinc.
type oversampler struct {
	factor int
	phase  [][]float64 // of factor, each with taps coefficients for the past samples, the newest last
	past   []float64   // the last taps samples, twice in a row so that they always lie in one piece
	at     int
	quiet  int // how many samples of silence came last
}

// rectified is at how many values a sample a programme meter rectifies, at a sample rate.
func rectified(rate int) int {
	n := 1
	for rate*n < rectifiedAt && n < 4 {
		n *= 2
	}
	return n
}

func newOversampler(rate int) *oversampler {
	o := &oversampler{factor: rectified(rate), past: make([]float64, 2*taps)}
	for p := range o.factor {
		// The moment that is interpolated lies p/factor after the first sample behind the middle.
		o.phase = append(o.phase, sinc(taps, kaiserBeta, 1+float64(p)/float64(o.factor)))
	}
	return o
}

// bessel is the modified Bessel function of the first kind, of order 0.
func bessel(x float64) float64 {
	sum, term := 1.0, 1.0
	for k := 1.0; term > 1e-12*sum; k++ {
		term *= (x / (2 * k)) * (x / (2 * k))
		sum += term
	}
	return sum
}

// add takes a sample and calls fn with each of the values between it and the one before, all later by half the taps.
func (o *oversampler) add(v float64, fn func(v float64)) {
	if o.factor == 1 {
		fn(v)
		return
	}
	if o.quiet++; v != 0 {
		o.quiet = 0
	}
	if o.quiet > taps { // what lies between samples of silence is silence
		for range o.phase {
			fn(0)
		}
		return
	}
	o.past[o.at], o.past[o.at+taps] = v, v
	o.at = (o.at + 1) % taps
	x := o.past[o.at : o.at+taps]
	for _, row := range o.phase {
		sum := 0.0
		for k, c := range row {
			sum += c * x[k]
		}
		fn(sum)
	}
}
