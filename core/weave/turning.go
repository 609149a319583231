package weave

import (
	"math"

	"zestyloom/core/ambisonic"
	"zestyloom/core/audio"
	"zestyloom/core/automation"
	"zestyloom/core/snag"
)

// Turning is how a sound field is turned over time, in degrees as ambisonic.Turn has them: a curve takes the place of the figure. Angles may
// go on beyond 180°, so that a field goes round.
type Turning struct {
	Yaw   automation.Curve `json:"yaw,omitempty"`
	Pitch automation.Curve `json:"pitch,omitempty"`
	Roll  automation.Curve `json:"roll,omitempty"`
}

// curves calls fn for each curve.
func (t *Turning) curves(fn func(c *automation.Curve)) {
	if t != nil {
		fn(&t.Yaw)
		fn(&t.Pitch)
		fn(&t.Roll)
	}
}

func (t *Turning) check() (err error) {
	t.curves(func(c *automation.Curve) {
		if e := c.Check(-MostTurns, MostTurns); e != nil && err == nil {
			err = snag.Refuse("bad_patch", "angles over time: %w", e)
		}
	})
	return err
}

// moves reports whether any angle does.
func (t *Turning) moves() (yes bool) {
	t.curves(func(c *automation.Curve) { yes = yes || len(*c) > 0 })
	return yes
}

// turnAt is how a field is turned at a sample.
func (p Patch) turnAt(sample int64) (t ambisonic.Turn) {
	if p.Turn != nil {
		t = *p.Turn
	}
	for _, f := range []struct {
		c  automation.Curve
		to *float64
	}{{p.Turning.Yaw, &t.Yaw}, {p.Turning.Pitch, &t.Pitch}, {p.Turning.Roll, &t.Roll}} {
		if len(f.c) > 0 {
			*f.to = f.c.Value(sample)
		}
	}
	return t
}

// turner gives the factors of a sound field that is turned over time, by cells.
type turner struct {
	patch Patch
	from  audio.Layout
	cells [][2]int
	most  []float64 // the greatest factor that each cell can have, by which those that are given are divided
	// source is the component that each cell has of the turned field, and by what that is multiplied: a conversion moves and scales
	// components, and a mirror turns some over.
	source []int
	factor []float64
}

// newTurner finds the crossings that a turn can reach: those of components of one order. A rotation's own are at most 1 between components
// that are all scaled alike (N3D), and other norms scale them.
func newTurner(p Patch, from, to audio.Layout) (*turner, error) {
	t := &turner{patch: p, from: from}
	convert, _, err := ambisonic.Convert(from, to)
	if err != nil {
		return nil, err
	}
	var mirror audio.Matrix
	if p.Mirror != "" {
		if mirror, err = ambisonic.Mirrored(from, p.Mirror); err != nil {
			return nil, err
		}
	}
	for i, row := range convert {
		for j, f := range row {
			if f == 0 {
				continue
			}
			order := ambisonic.OrderOf(from, j)
			for k := range from.Count {
				if order == 0 || ambisonic.OrderOf(from, k) != order {
					continue
				}
				most := math.Abs(f) * ambisonic.Scale(from, j) / ambisonic.Scale(from, k)
				factor := f / most
				if mirror != nil {
					factor *= mirror[k][k]
				}
				t.cells, t.most = append(t.cells, [2]int{i, k}), append(t.most, most)
				t.source, t.factor = append(t.source, j), append(t.factor, factor)
			}
		}
	}
	return t, nil
}

// into works the factors of all cells out for a turn.
func (t *turner) into(g []float64, turn ambisonic.Turn) {
	m, err := ambisonic.Rotate(t.from, turn)
	if err != nil {
		return // that it is a sound field was found out at rest
	}
	for k, c := range t.cells {
		g[k] = m[t.source[k]][c[1]] * t.factor[k]
	}
}

// turnedEvery is at which samples a field that turns is worked out; between them factors go straight. At an order N and an angle of w
// radians a sample factors are off by at most (N·w·turnedEvery)²/8: once around in two seconds, less than -100 dB to the third order and
// -85 dB to the seventh.
const turnedEvery = 32

// fill gives the factors of n samples of each cell.
func (t *turner) fill(dst [][]float64, at int64, n int) {
	a, b := make([]float64, len(t.cells)), make([]float64, len(t.cells))
	from := at - ((at%turnedEvery)+turnedEvery)%turnedEvery
	turn := t.patch.turnAt(from)
	t.into(b, turn)
	for ; from < at+int64(n); from += turnedEvery {
		copy(a, b)
		if next := t.patch.turnAt(from + turnedEvery); next != turn {
			turn = next
			t.into(b, turn)
		}
		lo, hi := max(from, at), min(from+turnedEvery, at+int64(n))
		for i := range t.cells {
			out, first, step := dst[i][lo-at:hi-at], a[i], b[i]-a[i]
			for k := range out {
				out[k] = first + float64(step*(float64(lo-from+int64(k))/turnedEvery))
			}
		}
	}
}
