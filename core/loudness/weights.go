package loudness

import (
	"math"

	"zestyloom/core/audio"
	"zestyloom/core/snag"
)

// Weights are the factors by which a layout's channels enter its loudness (BS.1770-5, table 4): 1.41 where a speaker
// stands 60° to 120° to the side and under 30° high, 0 for an LFE, else 1. Channels that stand for no place, mono files
// of a recorder say, enter with 1 each. An ambisonic sound has no loudness by itself: it is measured as it is decoded.
func Weights(l audio.Layout) ([]float64, error) {
	if l.Kind == audio.Ambisonic {
		return nil, snag.Refuse("no_loudness", "the loudness of %s is that of its speakers: decode it to a layout of speakers first", l.Name)
	}
	out := make([]float64, l.Count)
	for i := range out {
		out[i] = 1
		d, ok := l.Direction(i)
		side := math.Abs(d.Azimuth)
		switch {
		case l.IsLFE(i):
			out[i] = 0
		case ok && math.Abs(d.Elevation) < 30 && side >= 60 && side <= 120:
			out[i] = 1.41
		}
	}
	return out, nil
}
