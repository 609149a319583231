package loudness

import (
	"math"

	"zestyloom/core/automation"
	"zestyloom/core/snag"
)

// Target is what a correction is to reach: what is not given is left as it is.
type Target struct {
	Integrated *float64 `json:"integrated_lufs,omitempty"`
	// ShortTerm is the most that short-term loudness may be, over Window seconds (0 for 3).
	ShortTerm *float64 `json:"max_short_term_lufs,omitempty"`
	Window    float64  `json:"short_term_window_s,omitempty"`
	// Slope is how fast the gain that holds it may move, in dB a second; 0 for DefaultSlope.
	Slope float64 `json:"slope_db_per_s,omitempty"`
	// TruePeak is the ceiling of the limiter, in dBTP.
	TruePeak *float64 `json:"max_true_peak_dbtp,omitempty"`
}

// DefaultSlope is how fast a slow gain moves, in dB a second, and MaxSlope how fast it may be asked to.
const (
	DefaultSlope = 2.0
	MaxSlope     = 20.0
)

// MaxCorrection is the greatest static gain either way, in dB.
const MaxCorrection = 40

// Check refuses a target that can't be.
func (t Target) Check() error {
	l := Limits{Name: "of the correction", Integrated: t.Integrated, ShortTerm: t.ShortTerm, Window: t.Window, TruePeak: t.TruePeak}
	if err := l.Check(); err != nil {
		return err
	}
	if t.TruePeak != nil && *t.TruePeak > 0 {
		return snag.Refuse("bad_limits", "a ceiling of %g dBTP: at most 0 can be held", *t.TruePeak)
	}
	if !(t.Slope >= 0 && t.Slope <= MaxSlope) {
		return snag.Refuse("bad_limits", "a slope of %g dB/s: 0.1 to %g can be asked for", t.Slope, MaxSlope)
	}
	return nil
}

// Equal reports whether two targets ask for the same.
func (t Target) Equal(o Target) bool {
	same := func(a, b *float64) bool { return a == b || a != nil && b != nil && *a == *b }
	return same(t.Integrated, o.Integrated) && same(t.ShortTerm, o.ShortTerm) && same(t.TruePeak, o.TruePeak) && t.Window == o.Window && t.Slope == o.Slope
}

func (t Target) slope() float64 {
	if t.Slope == 0 {
		return DefaultSlope
	}
	return t.Slope
}

// Correction is what is done to a sound that was measured: a gain that stands still, one that moves slowly, and a ceiling.
// It changes nothing that it need not.
type Correction struct {
	GainDB  float64          `json:"gain_db"`
	Curve   automation.Curve `json:"curve,omitempty"` // dB, added; straight in dB between its points
	Ceiling *float64         `json:"ceiling_dbtp,omitempty"`
	// Foreseen is what the gains come to, by the powers that were measured, in LUFS; the ceiling is not in it.
	Integrated float64 `json:"foreseen_integrated_lufs"`
	ShortTerm  float64 `json:"foreseen_max_short_term_lufs"`
	// Deepest is how far the moving gain goes down, in dB.
	Deepest float64 `json:"deepest_db"`
}

// safety is by how many LU the slow gain stays under its limit: it is worked out on tenths of seconds and applied to
// samples.
const safety = 0.02

// Correct works out the correction of a sound from its powers, at a sample rate in Hz; its curve's time begins with the
// sound. A target that can't be reached is refused, with what stands against it.
func Correct(p Powers, rate int, t Target) (Correction, error) {
	c := Correction{Ceiling: t.TruePeak, Integrated: math.Inf(-1), ShortTerm: math.Inf(-1)}
	if err := t.Check(); err != nil {
		return c, err
	}
	window := Limits{Window: t.Window}.ShortTermPowers()
	if t.Integrated != nil && math.IsInf(p.Integrated(), -1) {
		return c, snag.Refuse("nothing_to_measure", "there is no loudness to correct: nothing in it is above %g LUFS for 400 ms", absoluteGate)
	}
	cuts := make([]float64, len(p))
	hold := func() {
		if t.ShortTerm != nil {
			cuts = slow(p, c.GainDB, power(*t.ShortTerm-safety), window, t.slope()/PowersPerSecond)
		}
	}
	hold()
	if t.Integrated != nil {
		// A gain that holds short-term down lowers the whole, which is then raised, and held down again: that comes to an
		// end, or the target is louder than its limit allows.
		off, rise := *t.Integrated-p.under(c.GainDB, cuts, average).Integrated(), 1.0
		for round := 0; round < 40 && math.Abs(off) > 0.002; round++ {
			step := max(-12, min(12, off/rise))
			if c.GainDB += step; math.Abs(c.GainDB) > MaxCorrection {
				return c, snag.Refuse("not_reached", "%.1f LUFS can't be reached by a gain of up to %d dB", *t.Integrated, MaxCorrection)
			}
			hold()
			now := *t.Integrated - p.under(c.GainDB, cuts, average).Integrated()
			rise, off = max(0.1, min(1, (off-now)/step)), now
		}
	}
	after := p.under(c.GainDB, cuts, average)
	c.Integrated = after.Integrated()
	c.ShortTerm, _ = p.under(c.GainDB, cuts, over).Max(window)
	if t.Integrated != nil && math.Abs(c.Integrated-*t.Integrated) > 0.05 {
		return c, snag.Refuse("not_reached", "%.1f LUFS can't be reached while short-term stays under %.1f LUFS: it comes to %.1f", *t.Integrated, *t.ShortTerm, c.Integrated)
	}
	if t.ShortTerm != nil && c.ShortTerm > *t.ShortTerm {
		return c, snag.Refuse("not_reached", "short-term can't be held under %.1f LUFS by a gain that moves by %g dB/s: it comes to %.1f", *t.ShortTerm, t.slope(), c.ShortTerm)
	}
	c.Curve, c.Deepest = curve(cuts, rate)
	return c, nil
}

// under is what powers come to with a gain, and with one for each, in dB at their middles: of that each takes the
// average or what is over it.
func (p Powers) under(gain float64, each []float64, take func(each []float64, i int) float64) Powers {
	out := make(Powers, len(p))
	for i, v := range p {
		out[i] = v * math.Pow(10, (gain+take(each, i))/10)
	}
	return out
}

// average is what a gain through the middles of powers comes to over one of them, in dB.
func average(each []float64, i int) float64 {
	before, after := each[max(0, i-1)], each[min(len(each)-1, i+1)]
	return (before + 6*each[i] + after) / 8
}

// over is the most that a gain through the middles of powers comes to over one of them.
func over(each []float64, i int) float64 {
	v := each[i]
	if i > 0 {
		v = max(v, (each[i]+each[i-1])/2)
	}
	if i+1 < len(each) {
		v = max(v, (each[i]+each[i+1])/2)
	}
	return v
}

// How the slow gain comes to its end: each round takes a part of what is still too much, until that is next to nothing.
const (
	slowPart   = 0.25
	slowEnough = 0.005 // dB, within safety
	slowRounds = 3000
)

// slow finds gains in dB, none above 0, that move by step from one power to the next at most, and with which no window is
// above most. What is too loud in each window that is too loud is lowered, by and by, until none is: what is near none is
// not touched.
func slow(p Powers, gain, most float64, window int, step float64) []float64 {
	cuts := make([]float64, len(p))
	if len(p) < window {
		return cuts
	}
	x := p.under(gain, cuts, average)
	// Windows that are quiet enough without a cut are quiet enough with one.
	var loud []int
	x.windows(window, func(end int, mean float64) {
		if mean > most {
			loud = append(loud, end)
		}
	})
	if len(loud) == 0 {
		return cuts
	}
	needs := make([]float64, len(p)) // dB down
	sums := make([]float64, len(p)+1)
	for range slowRounds {
		// In stretches around what is loud alone.
		done := 0
		for _, end := range loud {
			for i := max(done, end-window+1); i <= end; i++ {
				sums[i+1] = x[i]
				if cuts[i] < 0 {
					sums[i+1] *= math.Pow(10, over(cuts, i)/10)
				}
			}
			done = max(done, end+1)
		}
		worst := 0.0
		for _, end := range loud {
			sum := 0.0
			for _, v := range sums[end-window+2 : end+2] {
				sum += v
			}
			if mean := sum / float64(window); mean > most {
				off := 10 * math.Log10(mean/most)
				worst = max(worst, off)
				for i := end - window + 1; i <= end; i++ {
					if sums[i+1] > most {
						needs[i] = max(needs[i], slowPart*off-cuts[i])
					}
				}
			}
		}
		if worst < slowEnough {
			break
		}
		// What is needed somewhere is come down to, and gone up from, by a step at a time.
		down := 0.0
		for i, v := range needs {
			down = max(v, down-step)
			cuts[i] = -down
		}
		down = 0
		for i := len(needs) - 1; i >= 0; i-- {
			down = max(needs[i], down-step)
			cuts[i] = min(cuts[i], -down)
		}
	}
	return cuts
}

// curve goes through gains at the middles of powers. Points on a straight line between others are left out.
func curve(cuts []float64, rate int) (c automation.Curve, deepest float64) {
	for i, v := range cuts {
		deepest = max(deepest, -v)
		if i > 0 && i+1 < len(cuts) && math.Abs(v-cuts[i-1]-(cuts[i+1]-v)) < 1e-9 {
			continue
		}
		middle := (edge(int64(i)-1, rate) + edge(int64(i), rate)) / 2
		c = append(c, automation.Point{At: middle, Value: v})
	}
	if deepest == 0 {
		return nil, 0
	}
	return c, deepest
}
