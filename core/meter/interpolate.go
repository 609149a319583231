package meter

import "math"

// True peaks lie between samples (ITU-R BS.1770-5, annex 2). They are looked for at eight places a sample, and between
// these by the parabola through the greatest three.
//
// The interpolator is a sinc in a Kaiser window, 48 samples wide: its pass band is within 0.01 dB to 0.45 of the rate,
// and above 0.55 of it images are 70 dB down. At 0.45 of the rate, eight places a sample alone could miss 0.14 dB of a
// peak; the parabola leaves less than 0.01 dB of it.
const (
	peakTaps   = 48
	peakPlaces = 8
	peakBeta   = 7.0
)

// peakPhases are the coefficients for each place after a sample, the oldest sample first.
var peakPhases = func() (out [peakPlaces][peakTaps]float64) {
	for p := range out {
		copy(out[p][:], sinc(peakTaps, peakBeta, float64(p)/peakPlaces))
	}
	return out
}()

// sinc is an interpolator of so many taps for a place after the sample in the middle, of sum 1.
func sinc(taps int, beta, place float64) []float64 {
	out := make([]float64, taps)
	sum := 0.0
	for k := range out {
		d := float64(k-taps/2+1) - place
		v := 1.0
		if d != 0 {
			v = math.Sin(math.Pi*d) / (math.Pi * d)
		}
		x := d / (float64(taps)/2 + 0.5)
		out[k] = v * bessel(beta*math.Sqrt(max(0, 1-x*x))) / bessel(beta)
		sum += out[k]
	}
	for k := range out {
		out[k] /= sum
	}
	return out
}

// The middles between samples tell where it is worth to look closer: for that 16 taps do, which are 1.5 dB down at 0.45
// of the rate. A programme meter needs the places in between where they can move it; 24 taps are within 0.1 dB to 0.42.
const (
	roughTaps = 16
	roughBeta = 4.0
	quasiTaps = 24
	quasiBeta = 5.0
)

// rough is the place in the middle between two samples, of which one side of the coefficients says all.
var rough = [roughTaps / 2]float64(sinc(roughTaps, roughBeta, 0.5)[roughTaps/2:])

// quasiPhases are the places at a quarter, a half and three quarters.
var quasiPhases = [3][quasiTaps]float64{
	[quasiTaps]float64(sinc(quasiTaps, quasiBeta, 0.25)), [quasiTaps]float64(sinc(quasiTaps, quasiBeta, 0.5)), [quasiTaps]float64(sinc(quasiTaps, quasiBeta, 0.75)),
}

// between is the value at a place (of peakPlaces) after the sample in the middle of 48.
func between(x *[peakTaps]float64, place int) float64 {
	if place == 0 {
		return x[peakTaps/2-1]
	}
	h := &peakPhases[place]
	var a, b, c, d float64
	for k := 0; k < peakTaps; k += 4 {
		a += h[k] * x[k]
		b += h[k+1] * x[k+1]
		c += h[k+2] * x[k+2]
		d += h[k+3] * x[k+3]
	}
	return (a + b) + (c + d)
}

// quarter is the value k+1 quarters after the sample in the middle of 24.
func quarter(x *[quasiTaps]float64, k int) float64 {
	h := &quasiPhases[k]
	var a, b, c, d float64
	for k := 0; k < quasiTaps; k += 4 {
		a += h[k] * x[k]
		b += h[k+1] * x[k+1]
		c += h[k+2] * x[k+2]
		d += h[k+3] * x[k+3]
	}
	return (a + b) + (c + d)
}

// middles gives values about in the middle between samples: dst[i] lies between x[i+7] and x[i+8].
func middles(dst, x []float64) {
	const m = roughTaps / 2
	i := 0
	for ; i+4 <= len(dst); i += 4 {
		w := (*[roughTaps + 3]float64)(x[i:])
		var a, b, c, d float64
		for k := range m {
			h := rough[k]
			a += h * (w[m-1-k] + w[m+k])
			b += h * (w[m-k] + w[m+1+k])
			c += h * (w[m+1-k] + w[m+2+k])
			d += h * (w[m+2-k] + w[m+3+k])
		}
		dst[i], dst[i+1], dst[i+2], dst[i+3] = a, b, c, d
	}
	for ; i < len(dst); i++ {
		w := (*[roughTaps]float64)(x[i:])
		var a float64
		for k := range m {
			a += rough[k] * (w[m-1-k] + w[m+k])
		}
		dst[i] = a
	}
}
