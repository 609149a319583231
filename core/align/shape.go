package align

import "math"

// shapeFloor is the level below which a line is silence, in dB of full scale: what is quieter does not shape it.
const shapeFloor = -60

// Shape finds where a line, given by its loudness in even steps, is most likely spoken in another recording, given alike: at
// which step, and how alike the two are there, as the correlation of their levels in dB (-1 to 1). Performances differ in
// their sound, but not much in when they are loud and when they pause. Without enough to compare the likeness is 0.
func Shape(line, other []float64) (at int, likeness float64) {
	x, y := shaped(line), shaped(other)
	n := len(x)
	if n < 8 || len(y) < n {
		return 0, 0
	}
	var sx, sxx float64
	for _, v := range x {
		sx += v
		sxx += v * v
	}
	varX := sxx - sx*sx/float64(n)
	if varX <= 1e-9 {
		return 0, 0
	}
	var sy, syy float64
	for _, v := range y[:n] {
		sy += v
		syy += v * v
	}
	for lag := 0; ; lag++ {
		sxy := 0.0
		for i, v := range x {
			sxy += v * y[lag+i]
		}
		if varY := syy - sy*sy/float64(n); varY > 1e-9 {
			if r := (sxy - sx*sy/float64(n)) / math.Sqrt(varX*varY); r > likeness {
				at, likeness = lag, r
			}
		}
		if lag+n >= len(y) {
			return at, likeness
		}
		sy += y[lag+n] - y[lag]
		syy += y[lag+n]*y[lag+n] - y[lag]*y[lag]
	}
}

// shaped is a loudness in dB above the floor.
func shaped(x []float64) []float64 {
	out := make([]float64, len(x))
	for i, v := range x {
		if v > 0 {
			out[i] = max(0, 20*math.Log10(v)-shapeFloor)
		}
	}
	return out
}
