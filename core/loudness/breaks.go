package loudness

import (
	"math"
	"slices"

	"zestyloom/core/audio"
)

// Break is a stretch where a limit is not kept.
type Break struct {
	What string  // "short-term loudness", "momentary loudness" or "true peak"
	From int     // tenths of a second, from the beginning of the first window that breaks it
	To   int     // to the end of the last
	Most float64 // in LUFS or dBTP
	Over float64 // by how much, in LU or dB
	At   int     // the tenth with which the worst window ends, or which has the peak
}

// Breaks lists where limits are not kept, the gravest first. peaks are true peaks, full scale 1, of the same tenths.
func (l Limits) Breaks(p Powers, peaks []float32) []Break {
	out := []Break{}
	gather := func(what string, limit *float64, window, n int, value func(i int) float64) {
		if limit == nil {
			return
		}
		open := -1 // of out
		for i := range n {
			v := value(i)
			if !(v > *limit) {
				if open >= 0 && i >= out[open].To {
					open = -1
				}
				continue
			}
			if open < 0 {
				out = append(out, Break{What: what, From: max(0, i-window+1), Most: math.Inf(-1)})
				open = len(out) - 1
			}
			b := &out[open]
			b.To = i + 1
			if v > b.Most {
				b.Most, b.Over, b.At = v, v-*limit, i
			}
		}
	}
	gather("momentary loudness", l.Momentary, MomentaryPowers, len(p), func(i int) float64 { return p.At(i, MomentaryPowers) })
	gather("short-term loudness", l.ShortTerm, l.ShortTermPowers(), len(p), func(i int) float64 { return p.At(i, l.ShortTermPowers()) })
	gather("true peak", l.TruePeak, 1, len(peaks), func(i int) float64 { return audio.Decibels(float64(peaks[i])) })
	slices.SortStableFunc(out, func(a, b Break) int {
		switch {
		case a.Over > b.Over:
			return -1
		case a.Over < b.Over:
			return 1
		}
		return 0
	})
	return out
}
