// Package align lines recordings up: by what they hear, for any start (Align), and by their timecodes
// (ByTimecode).
//
// Align works in three steps. Envelopes of eight bands at 100 Hz, differentiated and normalised, are
// correlated over every possible offset; they survive noise, levels, polarity, other microphones and
// the smear of a clock that drifts. The best few offsets are then tried on the sound itself: in up to
// 32 windows spread over the overlap a whitened cross-correlation says where each lies, and a line
// through what they say gives offset and drift. At last the windows are compared once more at the full
// rate, corrected for drift, between samples. What the windows agree on decides the certainty.
package align

import (
	"context"
	"fmt"

	"zestyloom/core/stored"
)

// Sound is mono sound that can be read anywhere. Read fills dst from a frame on; all of it lies
// within the sound. It need not be safe for concurrent use.
type Sound interface {
	Rate() int // Hz
	Frames() int64
	Read(dst []float64, frame int64) error
}

// Certainty is how far an alignment can be relied on.
type Certainty string

// Certainties.
const (
	Certain  Certainty = "certain"
	Doubtful Certainty = "doubtful"
	None     Certainty = "none" // the sounds don't line up anywhere that can be told
)

// Alignment says where a recording lies on the clock of its reference: its sample n is heard at
// Offset + n/(1 + Drift·1e-6) of the reference's samples, at the reference's rate.
type Alignment struct {
	Offset    float64   `json:"offset"`    // samples of the reference; negative when the recording started earlier
	Rate      int       `json:"rate"`      // the reference's
	Certainty Certainty `json:"certainty"` //
	Polarity  int       `json:"polarity"`  // 1 or -1
	// Drift is by how many parts in a million the recording's clock ran faster than the reference's:
	// positive when it has more samples for the same stretch. Known is false when the overlap is too
	// short to tell; Drift is 0 then.
	Drift      float64 `json:"drift"`
	DriftKnown bool    `json:"drift_known"`
	// Start and End are the offsets at the first and the last moment that both hear, in samples of the
	// reference: they differ by what the clocks drifted apart meanwhile.
	Start   float64 `json:"start"`
	End     float64 `json:"end"`
	Overlap float64 `json:"overlap"` // seconds that both recordings hear
	Windows int     `json:"windows"` // places of the overlap that were compared
	Agree   int     `json:"agree"`   // of them, those that agree
	Spread  float64 `json:"spread"`  // seconds: root mean square of what those differ by
	Ratio   float64 `json:"ratio"`   // of the next best place's score to the best one's, 0 to 1
	Reason  string  `json:"reason"`  // in words
}

// UnmarshalJSON reads it under the names that its fields have now, and those that they had.
func (a *Alignment) UnmarshalJSON(b []byte) error {
	type plain Alignment
	return stored.Decode(b, (*plain)(a))
}

// Seconds is the offset in seconds.
func (a Alignment) Seconds() float64 { return a.Offset / float64(a.Rate) }

// Thresholds of the decision.
const (
	minOverlap   = 1.5     // seconds that must be heard in common
	minAgree     = 0.4     // share of the compared windows that must agree
	leastAgree   = 0.25    // the same where they leave no doubt otherwise; see few
	minWindows   = 4       // and how many must
	maxRatio     = 0.6     // another place's score, compared with the best
	maxChance    = 1e-6    // how often so many would agree by chance
	minCoarse    = 4.5     // standard deviations by which the envelopes stand out
	maxDrift     = 550     // ppm that are looked for: half a thousandth, and what finding it is off by
	usualDrift   = 120     // ppm that are looked for where a drift can't be told
	maxSpread    = 0.25e-3 // seconds that places which agree may differ by
	slopeOverlap = 8.0     // seconds of overlap from which clocks may have drifted by what matters
	driftOverlap = 45.0    // seconds of overlap from which a drift can be told
)

// Recording is a sound that has been listened to once, to be lined up with any number of others.
type Recording struct {
	Sound
	heard *features
}

// Listen reads a sound once.
func Listen(ctx context.Context, s Sound) (*Recording, error) {
	f, err := envelopes(ctx, s)
	return &Recording{s, f}, err
}

// Align finds where file lies on ref's clock.
func Align(ctx context.Context, ref, file Sound) (Alignment, error) {
	x, y, err := both(ctx, ref, file)
	if err != nil {
		return Alignment{}, err
	}
	return (&Recording{ref, x}).Align(ctx, &Recording{file, y})
}

// Align finds where another recording lies on this one's clock.
func (r *Recording) Align(ctx context.Context, other *Recording) (Alignment, error) {
	ref, file, x, y := r.Sound, other.Sound, r.heard, other.heard
	none := func(format string, args ...any) Alignment {
		return Alignment{Certainty: None, Rate: ref.Rate(), Polarity: 1, Reason: fmt.Sprintf(format, args...)}
	}
	switch {
	case x.quiet():
		return none("the reference is silent, or nothing in it ever changes"), nil
	case y.quiet():
		return none("the recording is silent, or nothing in it ever changes"), nil
	}
	tried, err := trials(ctx, ref, file, x, y)
	if err != nil {
		return Alignment{}, err
	}
	if len(tried) == 0 {
		return none("no place was found where they hear the same, or they have less than %.1f s in common", minOverlap), nil
	}
	best := tried[0]
	if best.agree < minWindows {
		return none("no place was found where they hear the same"), nil
	}
	a, err := best.refine(ctx, ref, file)
	if err != nil {
		return Alignment{}, err
	}
	for _, t := range tried[1:] {
		a.Ratio = max(a.Ratio, t.score/best.score)
	}
	a.judge(best)
	return a, nil
}

// few reports whether places that are few among those compared, as in noise, are enough all the same:
// they agree closely, no other place comes near, and chance would not do it in a thousand million times.
func (a *Alignment) few(t trial) bool {
	return float64(a.Agree) >= leastAgree*float64(a.Windows) && t.chance < 1e-9 && a.Ratio < 0.4 && a.Spread < 0.1e-3
}

// judge decides how certain an alignment is, and says why.
func (a *Alignment) judge(t trial) {
	share := float64(a.Agree) / float64(max(1, a.Windows))
	a.Certainty = Certain
	a.Reason = fmt.Sprintf("%d of %d places agree within %.2f ms", a.Agree, a.Windows, a.Spread*1000)
	if t.turned {
		a.Reason += "; a filter has turned the phase of one, and its polarity can't be told"
	}
	doubt := func(format string, args ...any) {
		if a.Certainty == Certain {
			a.Certainty, a.Reason = Doubtful, fmt.Sprintf(format, args...)
		}
	}
	switch {
	case t.chance > maxChance:
		doubt("the %d places that agree, of %d, could do so by chance", a.Agree, a.Windows)
	case a.Ratio > maxRatio:
		doubt("another place fits nearly as well (%.0f %%): something repeats", a.Ratio*100)
	case share < minAgree && !a.few(t):
		doubt("only %d of the %d places that were compared agree", a.Agree, a.Windows)
	case a.Agree < minWindows:
		doubt("only %d places could be compared", a.Agree)
	case t.place.score < minCoarse && share < 0.6:
		doubt("the course of loudness does not bear it out")
	case a.Spread > maxSpread:
		doubt("the places that agree differ by %.2f ms", a.Spread*1000)
	}
	if t.chance > 0.1 || a.Agree == 0 {
		// What is not known is no number.
		*a = Alignment{Certainty: None, Rate: a.Rate, Polarity: 1, Overlap: a.Overlap, Windows: a.Windows, Reason: "no place was found where they hear the same"}
	}
}
