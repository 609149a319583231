package loudness

import (
	"math"

	"zestyloom/core/audio"
	"zestyloom/core/automation"
)

// Reading gives the frames [from, to) of a sound in blocks, in order. Blocks may be changed by what they are given to.
type Reading func(from, to int64, fn func(b audio.Block) error) error

// Whole is a sound that was measured and can be read again.
type Whole struct {
	Layout audio.Layout
	Rate   int // Hz
	Frames int64
	Powers Powers
	// Peaks are its true peaks in tenths of a second, full scale 1, exact where they are above Floor, in dBTP.
	Peaks []float32
	Floor float64
	Read  Reading
}

// mostRounds are made to come to a loudness after a ceiling, which can't be foreseen.
const mostRounds = 12

// Correct works out the correction of a sound and, where its target has a ceiling, the further gain in dB that holds true
// peaks under that: it reads the stretches again that come above it. What that takes of the loudness is made up for.
func (w Whole) Correct(t Target, freeLFE bool) (c Correction, peaks automation.Curve, err error) {
	target := t
	var toward Approach
	for round := 1; ; round++ {
		if c, err = Correct(w.Powers, w.Rate, target); err != nil || t.TruePeak == nil {
			return c, nil, err
		}
		hold, err := w.hold(c, *t.TruePeak, freeLFE)
		if err == nil {
			peaks, err = hold.Curve()
		}
		if err != nil {
			return c, nil, err
		}
		after := w.after(c, hold, peaks)
		c.Integrated = after.Integrated()
		c.ShortTerm, _ = after.Max(Limits{Window: t.Window}.ShortTermPowers())
		if t.Integrated == nil {
			return c, peaks, nil
		}
		next, more := toward.Next(*target.Integrated, c.Integrated, *t.Integrated)
		if !more || round == mostRounds {
			return c, peaks, nil
		}
		target.Integrated = &next
	}
}

// after is what the powers come to with all gains of a correction, and with that which holds peaks.
func (w Whole) after(c Correction, hold *Ceiling, peaks automation.Curve) Powers {
	const places = 10 // of a tenth, which a slow gain is even over
	out := make(Powers, len(w.Powers))
	for i, p := range w.Powers {
		from, to := edge(int64(i)-1, w.Rate), edge(int64(i), w.Rate)
		factor := math.Pow(10, c.GainDB/10)
		if len(c.Curve) > 0 {
			sum := 0.0
			for k := range int64(places) {
				sum += math.Pow(10, c.Curve.Value(from+(to-from)*(2*k+1)/(2*places))/10)
			}
			factor *= sum / places
		}
		if len(peaks) > 0 {
			factor *= hold.share(peaks, from, to)
		}
		out[i] = p * factor
	}
	return out
}

// hold listens to what comes above a ceiling once the other gains of a correction are on.
func (w Whole) hold(c Correction, ceiling float64, freeLFE bool) (*Ceiling, error) {
	hold := NewCeiling(w.Layout, w.Rate, ceiling, freeLFE)
	over := func(i int) bool {
		if i >= len(w.Peaks) {
			return true // what is after the last whole tenth was not listened to in tenths
		}
		most := c.GainDB
		if len(c.Curve) > 0 {
			_, v := c.Curve.Range(edge(int64(i)-1, w.Rate), edge(int64(i), w.Rate))
			most += v
		}
		const near = 0.1 // dB: a gain that moves may raise a peak a little
		return ceiling-most-near < w.Floor || audio.Decibels(float64(w.Peaks[i]))+most > ceiling-near
	}
	tenths := int((w.Frames*PowersPerSecond + int64(w.Rate) - 1) / int64(w.Rate))
	for i := 0; i < tenths; {
		if !over(i) {
			i++
			continue
		}
		first := i
		for i < tenths && over(i) {
			i++
		}
		const around = 256 // samples: what the filter between samples needs
		from, to := max(0, edge(int64(first)-1, w.Rate)-around), min(w.Frames, edge(int64(i)-1, w.Rate)+around)
		if to <= from {
			continue
		}
		a, err := NewApplier(Correction{GainDB: c.GainDB, Curve: c.Curve}, w.Layout, w.Rate, freeLFE)
		if err != nil {
			return nil, err
		}
		a.at = from
		s := hold.Stretch(from)
		if err := w.Read(from, to, func(b audio.Block) error {
			s.Add(a.Add(b))
			return nil
		}); err != nil {
			return nil, err
		}
		if to == w.Frames {
			s.End()
		}
	}
	return hold, nil
}
