package align

import (
	"context"
	"math"
	"slices"
)

// Nearest finds which of several microphones of the reference a recording agrees with best at an
// alignment: the one to look at and to listen to beside it. Microphones stand in different places, so that
// most of them hear the same some milliseconds earlier or later. It returns an index of ref.
func Nearest(ctx context.Context, a Alignment, ref []Sound, file Sound) (best int, err error) {
	if len(ref) < 2 {
		return 0, nil
	}
	const (
		places = 12
		window = 0.5    // seconds
		close  = 0.4e-3 // seconds either way
		room   = 8e-3   // seconds either way that are correlated
	)
	rate := float64(a.Rate)
	drift := 1 + a.Drift*1e-6
	own := float64(file.Rate()) / rate * drift // file samples for each of the reference
	from := max(0, a.Offset)
	to := min(float64(ref[0].Frames()), a.Offset+float64(file.Frames())/own)
	length, search := int(window*rate), int(room*rate)
	if to-from < float64(length) {
		return 0, nil
	}
	c := newCorrelator(length+2*search, rate, 150, 7000)
	moved := newInterpolator(own)
	x, y := make([]float64, length+2*search), make([]float64, length)
	reach := int(close * rate)
	sum := make([][]float64, len(ref)) // of all places, by how much later it is heard there
	for i := range sum {
		sum[i] = make([]float64, 2*reach+1)
	}
	for n := range places {
		if err := ctx.Err(); err != nil {
			return 0, err
		}
		at := math.Round(from + (to-from-float64(length))*float64(n)/(places-1))
		if err := moved.read(y, (at-a.Offset)*own, func(dst []float64, at int64) error { return padded(file, dst, at) }); err != nil {
			return 0, err
		}
		for i, s := range ref {
			if err := padded(s, x, int64(at)-int64(search)); err != nil {
				return 0, err
			}
			r := c.correlate(x, y)[:2*search+1]
			square := 0.0
			for _, v := range r {
				square += v * v
			}
			if square == 0 {
				continue
			}
			for k := range sum[i] {
				sum[i][k] += r[search-reach+k] * float64(a.Polarity) / math.Sqrt(square/float64(len(r)))
			}
		}
	}
	most := 0.0
	for i := range sum {
		if top := slices.Max(sum[i]); top > most {
			best, most = i, top
		}
	}
	return best, nil
}
