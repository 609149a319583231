package treat

import "math"

// Curve is what the filters of a chain do at a sample rate: levels in dB at frequencies from 20 Hz to 20 kHz, a 24th of an octave
// apart.
func (c Chain) Curve(rate int) (hz, db []float64) {
	sections := settingsOf(c, rate).sections
	for k := 0; ; k++ {
		f := 20 * math.Pow(2, float64(k)/24)
		if f > 20_000 || 2*f >= float64(rate) {
			return hz, db
		}
		level := 0.0
		for _, s := range sections {
			level += 20 * math.Log10(max(1e-6, s.at(2*math.Pi*f/float64(rate))))
		}
		hz, db = append(hz, f), append(db, level)
	}
}
