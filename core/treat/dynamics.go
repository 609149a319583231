package treat

import (
	"math"

	"zestyloom/core/automation"
	"zestyloom/core/snag"
)

// Compressor turns down what is louder than its threshold. The zero value is none.
//
// The level is the peak of all channels in each sixteen samples (a grain), and its gain that of a static curve with a soft
// knee, smoothed in dB by a time constant each for going down and coming back, after which 63 % of a step are done
// (D. Giannoulis, M. Massberg and J. Reiss, "Digital Dynamic Range Compressor Design", JAES 60, 2012: feed-forward, in the
// log domain, branching). It acts a grain after what it hears, going straight from one gain to the next.
type Compressor struct {
	Threshold float64 `json:"threshold_db"` // dBFS, -80 to 0
	Ratio     float64 `json:"ratio"`        // 1 to 100; 0 is none
	Knee      float64 `json:"knee_db"`      // width, 0 to 24
	Attack    float64 `json:"attack_ms"`    // 0.1 to 300
	Release   float64 `json:"release_ms"`   // 5 to 2000
	Makeup    float64 `json:"makeup_db"`    // 0 to 24
}

// Expander turns down what is softer than its threshold, by Range at the most: with a high ratio, a gate. As Compressor, but
// that Attack is for coming up and Release for going down. The zero value is none.
type Expander struct {
	Threshold float64 `json:"threshold_db"`
	Ratio     float64 `json:"ratio"`    // 1 to 100; 0 is none
	Range     float64 `json:"range_db"` // 0 to 80
	Attack    float64 `json:"attack_ms"`
	Release   float64 `json:"release_ms"`
}

// DeEsser turns down what lies above a frequency while that is loud: as a high shelf of second order, by the level of a
// high-pass there. The zero value is none.
type DeEsser struct {
	Hz        float64 `json:"hz"` // 1000 to 16000; 0 is none
	Threshold float64 `json:"threshold_db"`
	Ratio     float64 `json:"ratio"`
	Range     float64 `json:"range_db"` // by how much at the most, 0 to 24
	Attack    float64 `json:"attack_ms"`
	Release   float64 `json:"release_ms"`
}

// Limits of dynamics.
const (
	MinThreshold           = -80
	MaxThreshold           = 0
	MaxRatio               = 100
	MaxKnee, MaxMakeup     = 24, 24
	MaxRange, MaxDeEss     = 80, 24
	MinAttack, MaxAttack   = 0.1, 300
	MinRelease, MaxRelease = 5, 2000
)

func checkDynamics(what string, threshold, ratio, attack, release float64) error {
	switch {
	case !(threshold >= MinThreshold && threshold <= MaxThreshold):
		return snag.Refuse("bad_treatment", "%s: a threshold of %g dBFS: %d to 0 can be had", what, threshold, MinThreshold)
	case !(ratio >= 1 && ratio <= MaxRatio):
		return snag.Refuse("bad_treatment", "%s: a ratio of %g to 1: 1 to %d can be had", what, ratio, MaxRatio)
	case !(attack >= MinAttack && attack <= MaxAttack):
		return snag.Refuse("bad_treatment", "%s: an attack of %g ms: %g to %d can be had", what, attack, MinAttack, MaxAttack)
	case !(release >= MinRelease && release <= MaxRelease):
		return snag.Refuse("bad_treatment", "%s: a release of %g ms: %d to %d can be had", what, release, MinRelease, MaxRelease)
	}
	return nil
}

func within(what string, v, most float64) error {
	if !(v >= 0 && v <= most) {
		return snag.Refuse("bad_treatment", "%s of %g dB: 0 to %g can be had", what, v, most)
	}
	return nil
}

func (c Compressor) check() error {
	if c == (Compressor{}) {
		return nil
	}
	if err := checkDynamics("compressor", c.Threshold, c.Ratio, c.Attack, c.Release); err != nil {
		return err
	}
	if err := within("a knee", c.Knee, MaxKnee); err != nil {
		return err
	}
	return within("a makeup gain", c.Makeup, MaxMakeup)
}

func (e Expander) check() error {
	if e == (Expander{}) {
		return nil
	}
	if err := checkDynamics("expander", e.Threshold, e.Ratio, e.Attack, e.Release); err != nil {
		return err
	}
	return within("a range", e.Range, MaxRange)
}

func (d DeEsser) check() error {
	switch {
	case d == DeEsser{}:
		return nil
	case !(d.Hz >= 1000 && d.Hz <= 16000):
		return snag.Refuse("bad_treatment", "a de-esser from %g Hz on: 1000 to 16000 Hz can be had", d.Hz)
	}
	if err := checkDynamics("de-esser", d.Threshold, d.Ratio, d.Attack, d.Release); err != nil {
		return err
	}
	return within("a range", d.Range, MaxDeEss)
}

// Gain is the static curve: by how many dB a level in dBFS is turned down (0 or less), without the makeup gain.
func (c Compressor) Gain(level float64) float64 {
	slope := 1/c.Ratio - 1
	over := level - c.Threshold
	switch {
	case 2*over <= -c.Knee:
		return 0
	case c.Knee > 0 && 2*over < c.Knee:
		x := over + c.Knee/2
		return slope * x * x / (2 * c.Knee)
	}
	return slope * over
}

// Gain is the static curve: by how many dB a level in dBFS is turned down (0 or less).
func (e Expander) Gain(level float64) float64 {
	return max(-e.Range, min(0, (level-e.Threshold)*(e.Ratio-1)))
}

// Gain is the static curve: by how many dB what lies above its frequency is turned down (0 or less) at a level of that.
func (d DeEsser) Gain(level float64) float64 {
	return max(-d.Range, min(0, (level-d.Threshold)*(1/d.Ratio-1)))
}

const grain = 16 // samples that have one level

// rider follows a level and gives a gain for each sample. It is part of a state.
type rider struct {
	peak     float64 // of the grain so far
	db       float64 // smoothed
	from, to float64 // factors at the beginning and the end of this grain
}

// riding is what riders of one kind have in common.
type riding struct {
	gain       func(level float64) float64
	down, back float64 // of what was a grain ago so much is left, where it goes down and where it comes back
	makeup     float64 // a factor
	// moves is the threshold over time, where it moves; rest is what gain has it at.
	moves automation.Curve
	rest  float64
}

func newRiding(gain func(float64) float64, downMs, backMs, makeup float64, rate int) *riding {
	left := func(ms float64) float64 { return math.Exp(-grain / (ms / 1000 * float64(rate))) }
	return &riding{gain: gain, down: left(downMs), back: left(backMs), makeup: math.Pow(10, makeup/20)}
}

func (r *riding) fresh() rider { return rider{from: r.makeup, to: r.makeup} }

// silence is the level of a grain without a sound, in dBFS.
const silence = -200

// turn ends a grain, at a place: what was heard in it is what the gain goes to in the one after it.
func (r *riding) turn(s *rider, at int64) {
	level := float64(silence)
	if s.peak > 1e-10 {
		level = 20 * math.Log10(s.peak)
	}
	if len(r.moves) > 0 { // a lower threshold is a louder sound
		level += r.rest - r.moves.Value(at)
	}
	want, left := r.gain(level), r.back
	if want < s.db {
		left = r.down
	}
	s.db = want + float64(left*(s.db-want))
	s.from, s.to, s.peak = s.to, float64(math.Exp(s.db*(math.Ln10/20))*r.makeup), 0
}
