package readiness

import (
	"fmt"

	"zestyloom/core/delivery"
	"zestyloom/core/loudness"
	"zestyloom/core/snag"
)

// Loudness lists the limits of a plan's spec that what is delivered will not keep. measured says what was found of a bus of
// the reel, by its ID, and is false for one of which nothing is known; the files themselves are measured once they are
// written. A span is held against nothing: its loudness is not that of the reel.
func Loudness(p delivery.Plan, measured func(bus string) (loudness.Result, loudness.Powers, bool)) []Finding {
	out := []Finding{}
	if p.Order.Span != nil {
		return out
	}
	for _, set := range p.Sets {
		limits, asked := p.Order.Spec.LimitsOf(set)
		if !asked || set.Bus == "" {
			continue
		}
		r, powers, known := measured(set.Bus)
		if !known {
			continue
		}
		for _, v := range limits.Judge(r, powers) {
			if v.Pass {
				continue
			}
			at := ""
			if v.At != nil {
				start, _ := p.Reel.Span()
				at = fmt.Sprintf(", at %s", p.Rate.FormatSamples(start+*v.At, int64(p.Rates.Reel)))
			}
			out = append(out, Finding{Stage: "measure", Snag: snag.New("loudness", "%s: %s is %s%s, and %s asks for %s", set.Name, v.What, v.Words, at, limits.Name, v.Asked)})
		}
	}
	return out
}
