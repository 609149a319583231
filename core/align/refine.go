package align

import (
	"context"
	"math"
	"math/cmplx"
	"slices"
)

// refined is a window found at the full rate.
type refined struct {
	file, ref float64 // its middle, in samples of either, at the reference's rate
}

// refine compares the windows that agree once more, at the full rate and corrected for the drift
// found so far, and draws the line through where they lie.
func (t *trial) refine(ctx context.Context, ref, file Sound) (Alignment, error) {
	rate := float64(ref.Rate())
	a := Alignment{Rate: ref.Rate(), Polarity: int(t.sign), Overlap: t.overlap, Windows: len(t.windows)}
	var chosen []window
	for _, w := range t.windows {
		if w.agrees {
			chosen = append(chosen, w)
		}
	}
	search := int(2e-3 * rate)
	length := int(min(1, t.windows[0].length) * rate)
	own := float64(file.Rate())
	step := own / rate / (1 + t.slope) // file samples for each of the reference
	moved := newInterpolator(step)
	x, y := make([][]float64, len(chosen)), make([][]float64, len(chosen))
	begin := make([]float64, len(chosen))
	for i, w := range chosen {
		if err := ctx.Err(); err != nil {
			return a, err
		}
		middle := w.middle() * rate
		there := middle + (float64(t.lag)/perSecond+t.at+t.slope*w.middle())*rate // of the reference
		begin[i] = math.Round(there-float64(length)/2) - float64(search)
		x[i], y[i] = make([]float64, length+2*search), make([]float64, length)
		if err := padded(ref, x[i], int64(begin[i])); err != nil {
			return a, err
		}
		if err := moved.read(y[i], w.middle()*own-float64(length/2)*step, func(dst []float64, at int64) error { return padded(file, dst, at) }); err != nil {
			return a, err
		}
	}
	in, quarter := make([][]float64, len(chosen)), make([][]float64, len(chosen))
	halves(func(first int) {
		c := newCorrelator(length+2*search, rate, 150, 7000)
		for i := first; i < len(chosen); i += 2 {
			in[i], quarter[i] = c.turned(x[i], y[i], 2*search+1)
		}
	})
	phase := phaseOf(in, quarter, t.sign)
	t.sign = math.Copysign(1, math.Cos(phase))
	t.turned = math.Mod(phase, math.Pi) != 0
	var found []refined
	for i, w := range chosen {
		for k := range in[i] {
			in[i][k] = in[i][k]*math.Cos(phase) + quarter[i][k]*math.Sin(phase)
		}
		if k, height, _ := peak(in[i], 1); height > 0 {
			found = append(found, refined{w.middle() * rate, begin[i] + k + float64(length/2)})
		}
	}
	a.line(found, t)
	return a, nil
}

// phaseOf is by how much all windows are turned where they fit best, whatever their phase: in radians. It is 0 or π, as the sign has
// it, where it is not clearly another: a turned polarity is no filter.
func phaseOf(in, quarter [][]float64, sign float64) float64 {
	const clearly = math.Pi / 6
	var all complex128
	for i := range in {
		best, most := complex128(0), 0.0
		for k, v := range in[i] {
			if z := complex(v, quarter[i][k]); cmplx.Abs(z) > most {
				best, most = z, cmplx.Abs(z)
			}
		}
		all += best
	}
	plain := 0.0
	if sign < 0 {
		plain = math.Pi
	}
	phase := cmplx.Phase(all)
	if math.Abs(math.Remainder(phase-plain, 2*math.Pi)) < clearly {
		return plain
	}
	return phase
}

// line fits offset and drift to the windows that were found, leaving out those that fall far from the
// rest, and judges how well they agree.
func (a *Alignment) line(found []refined, t *trial) {
	rate := float64(a.Rate)
	drifts := t.overlap >= slopeOverlap
	keep := found
	var offset, slope float64 // the reference's position is offset + file·(1 + slope)
	for range 5 {
		if offset, slope = fitLine(keep, drifts); math.Abs(slope) > steepest(t.overlap) {
			offset, slope = fitLine(keep, false)
		}
		residual := func(r refined) float64 { return math.Abs(r.ref - r.file - offset - slope*r.file) }
		var rs []float64
		for _, r := range keep {
			rs = append(rs, residual(r))
		}
		slices.Sort(rs)
		if len(rs) == 0 {
			break
		}
		limit := max(4*rs[len(rs)/2], 0.05e-3*rate)
		now := slices.DeleteFunc(slices.Clone(found), func(r refined) bool { return residual(r) > limit })
		if len(now) == len(keep) {
			break
		}
		keep = now
	}
	a.Agree, a.Offset, a.Polarity = len(keep), offset, int(t.sign)
	square, mean := 0.0, 0.0
	for _, r := range keep {
		d := r.ref - r.file - offset - slope*r.file
		square += d * d
		mean += r.file / float64(len(keep))
	}
	if len(keep) > 0 {
		a.Spread = math.Sqrt(square/float64(len(keep))) / rate
	}
	a.Drift = (1/(1+slope) - 1) * 1e6
	first, last := max(0, -float64(t.lag)/perSecond)*rate, (max(0, -float64(t.lag)/perSecond)+t.overlap)*rate
	a.Start, a.End = offset+slope*first, offset+slope*last
	if t.overlap >= driftOverlap && len(keep) > 3 {
		around := 0.0
		for _, r := range keep {
			around += (r.file - mean) * (r.file - mean)
		}
		// How far the slope can be off, with a twentieth of a sample that peaks are never better than.
		sigma := max(math.Sqrt(square/float64(len(keep)-2)), 0.05)
		a.DriftKnown = around > 0 && 2*sigma/math.Sqrt(around) < 1e-6
	}
	if !a.DriftKnown {
		a.Drift = 0
	}
}

// fitLine is the least-squares line through ref - file over file.
func fitLine(rs []refined, drifts bool) (offset, slope float64) {
	n := float64(len(rs))
	if n == 0 {
		return 0, 0
	}
	mx, my := 0.0, 0.0
	for _, r := range rs {
		mx += r.file / n
		my += (r.ref - r.file) / n
	}
	if !drifts || len(rs) < 3 {
		return my, 0
	}
	xx, xy := 0.0, 0.0
	for _, r := range rs {
		xx += (r.file - mx) * (r.file - mx)
		xy += (r.file - mx) * (r.ref - r.file - my)
	}
	if xx > 0 {
		slope = xy / xx
	}
	return my - slope*mx, slope
}
