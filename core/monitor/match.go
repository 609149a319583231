package monitor

import (
	"context"
	"math"

	"zestyloom/core/audio"
	"zestyloom/core/loudness"
)

// Bounds of matching: silence is not raised to anything, and nothing by more than a microphone's
// neighbour could be softer.
const (
	silent    = -70.0 // LUFS
	mostMatch = 30.0  // dB
)

// Match finds the gain for each input that makes it as loud as the first over a stretch of the common
// clock: by their K-weighted mean squares (ITU-R BS.1770). It is 1 where either is silent there.
func Match(ctx context.Context, inputs []Input, rate int, from, frames int64) ([]float64, error) {
	s, err := Open(inputs, Order{Rate: rate, From: from, To: from + frames})
	if err != nil {
		return nil, err
	}
	defer s.Close()
	sums := make([]float64, len(inputs))
	var n int64
	var filters []*loudness.Weighting
	for range inputs {
		filters = append(filters, loudness.NewWeighting(rate))
	}
	for s.at < s.end {
		b, err := s.Next(ctx)
		if err != nil {
			return nil, err
		}
		n += int64(b.Sound.Frames())
		for c, x := range b.Sound {
			filters[c].Apply(x)
			for _, v := range x {
				sums[c] += v * v
			}
		}
	}
	gains := make([]float64, len(inputs))
	level := func(c int) float64 { return loudness.Of([]float64{sums[c] / float64(n)}, []float64{1}) }
	for c := range gains {
		gains[c] = 1
		if a, b := level(0), level(c); c > 0 && a > silent && b > silent {
			gains[c] = audio.Gain(math.Max(-mostMatch, math.Min(mostMatch, a-b)))
		}
	}
	return gains, nil
}
