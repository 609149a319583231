package monitor

import (
	"context"
	"io"
	"math"

	"zestyloom/core/snag"
	"zestyloom/core/waveform"
)

// Difference is what is left of one input when another is taken from it.
type Difference struct {
	Columns []waveform.Pair
	LeftDB  float64 // how loud that is against the first; 0 for all of it, -200 at the least
	ScaleDB float64 // by what the second was scaled to fit best
	Turned  bool    // its polarity was turned to fit
}

// MostDifference is how many samples can be compared at once.
const MostDifference = 1 << 21

// Differ takes the second input from the first over samples [from, to) of the common clock, scaled so
// that least is left, and draws what is left in columns. Both are read where they would be laid: at whole
// samples.
func Differ(ctx context.Context, inputs [2]Input, rate int, from, to int64, columns int) (d Difference, err error) {
	if to <= from || to-from > MostDifference {
		return d, snag.Refuse("bad_range", "a difference is drawn of up to %d samples, not of %d: look closer", MostDifference, to-from)
	}
	s, err := Open(inputs[:], Order{Rate: rate, From: from, To: to})
	if err != nil && snag.Of(err).Code == "nothing_to_hear" {
		return Difference{Columns: make([]waveform.Pair, columns)}, nil
	}
	if err != nil {
		return d, err
	}
	defer s.Close()
	x, y := make([]float64, to-from), make([]float64, to-from)
	n := 0
	for {
		b, err := s.Next(ctx)
		if err == io.EOF {
			break
		}
		if err != nil {
			return d, err
		}
		copy(x[n:], b.Sound[0])
		n += copy(y[n:], b.Sound[1])
	}
	xy, yy, xx := 0.0, 0.0, 0.0
	for i := range x {
		xy, yy, xx = xy+x[i]*y[i], yy+y[i]*y[i], xx+x[i]*x[i]
	}
	scale := 0.0
	if yy > 0 {
		scale = xy / yy
	}
	left := 0.0
	for i := range x {
		x[i] -= scale * y[i]
		left += x[i] * x[i]
	}
	d.Turned = scale < 0
	d.LeftDB, d.ScaleDB = ratio(left, xx), ratio(scale*scale, 1)
	d.Columns, err = waveform.Draw(0, to-from, to-from, columns, func(dst []float64, frame int64) error {
		copy(dst, x[frame:])
		return nil
	})
	return d, err
}

// ratio is one energy against another in dB, held at -200.
func ratio(a, b float64) float64 {
	if b == 0 || a/b < 1e-20 {
		return -200
	}
	return 10 * math.Log10(a/b)
}
