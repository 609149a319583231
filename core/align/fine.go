package align

import (
	"cmp"
	"context"
	"math"
	"math/bits"
	"slices"

	"gonum.org/v1/gonum/dsp/fourier"

	"zestyloom/core/safely"
)

// trial is an offset tried on the sound itself.
type trial struct {
	place
	overlap  float64 // seconds
	windows  []window
	slope    float64 // seconds a second: how the offset changes along the file
	at       float64 // seconds: the offset at the file's beginning
	sign     float64 // 1 or -1
	turned   bool    // by something between: a filter turned the phase, and the sign says little
	agree    int
	strength float64 // mean height of the peaks that agree, in standard deviations
	score    float64
	chance   float64 // how often as many would agree if nothing did
}

// window is a short piece of the file, and where in the reference it was found.
type window struct {
	from   float64 // seconds from the file's beginning
	length float64 // seconds
	late   float64 // seconds by which it was found later than its place says
	height float64 // of the peak, in standard deviations; its sign is the polarity
	clear  bool    // no other peak is about as high
	agrees bool
}

func (w window) middle() float64 { return w.from + w.length/2 }

const (
	maxSlots  = 32
	tolerance = 0.5e-3 // seconds by which windows that agree may differ
	slack     = 0.04   // seconds around a place that are searched, beside what drift needs
)

// trials tries the places where the envelopes are alike, and returns the trials in order of their
// score.
func trials(ctx context.Context, ref, file Sound, x, y *features) ([]trial, error) {
	var out []trial
	for _, p := range places(x, y) {
		t := trial{place: p}
		from, to := max(0, -p.lag), min(y.frames, x.frames-p.lag)
		t.overlap = float64(to-from) / perSecond
		t.choose(x, y, from, to)
		if len(t.windows) == 0 {
			continue
		}
		if ok, err := t.promising(ctx, ref, file); err != nil {
			return nil, err
		} else if !ok {
			continue
		}
		if err := t.locate(ctx, ref, file); err != nil {
			return nil, err
		}
		t.fit()
		out = append(out, t)
	}
	slices.SortStableFunc(out, func(a, b trial) int { return cmp.Compare(b.score, a.score) })
	return out, nil
}

// choose divides the overlap, in frames [from, to) of the file, into slots, and takes from each the
// piece in which most happens in both recordings. Slots in which next to nothing does are left out.
func (t *trial) choose(x, y *features, from, to int) {
	slots := max(4, min(maxSlots, int(t.overlap/0.4)))
	length := int(max(0.4, min(2, t.overlap/8)) * perSecond)
	type piece struct {
		from     int
		activity float64
	}
	var pieces []piece
	for s := range slots {
		lo := from + (to-from-length)*s/slots
		hi := from + (to-from-length)*(s+1)/slots
		best := piece{-1, 0}
		for n := lo; n <= hi && n+length <= to; n += 5 {
			a := min(x.energy[n+t.lag+length]-x.energy[n+t.lag], y.energy[n+length]-y.energy[n])
			if a > best.activity {
				best = piece{n, a}
			}
		}
		if best.from >= 0 {
			pieces = append(pieces, best)
		}
	}
	if len(pieces) == 0 {
		return
	}
	sorted := slices.Clone(pieces)
	slices.SortFunc(sorted, func(a, b piece) int { return cmp.Compare(a.activity, b.activity) })
	least := sorted[len(sorted)*3/4].activity * 0.1
	for _, p := range pieces {
		if p.activity >= least {
			t.windows = append(t.windows, window{from: float64(p.from) / perSecond, length: float64(length) / perSecond})
		}
	}
}

// promising tries a third of the windows: where fewer than three of them agree, the others need not be
// looked at. What is certain has more.
func (t *trial) promising(ctx context.Context, ref, file Sound) (bool, error) {
	if len(t.windows) < 12 {
		return true, nil
	}
	quick := trial{place: t.place, overlap: t.overlap}
	for i := 1; i < len(t.windows); i += 3 {
		quick.windows = append(quick.windows, t.windows[i])
	}
	if err := quick.locate(ctx, ref, file); err != nil {
		return false, err
	}
	quick.fit()
	return quick.agree >= 3, nil
}

// reach is how far around a place a window is searched for, in seconds.
func (t *trial) reach() float64 { return min(0.6, slack+maxDrift/2*1e-6*t.overlap) }

// locate finds each window in the reference, at the low rate.
func (t *trial) locate(ctx context.Context, ref, file Sound) error {
	if len(t.windows) == 0 {
		return nil
	}
	d, e := newDecimator(ref), newDecimator(file)
	rate := d.rate()
	own := newInterpolator(e.rate() / rate) // the file's low rate may be another
	reach := int(t.reach() * rate)
	length := int(t.windows[0].length * rate)
	x, y := make([][]float64, len(t.windows)), make([][]float64, len(t.windows))
	for i := range t.windows {
		if err := ctx.Err(); err != nil {
			return err
		}
		w := &t.windows[i]
		x[i], y[i] = make([]float64, length+2*reach), make([]float64, length)
		at := int64(math.Round(w.from * rate))
		if err := own.read(y[i], float64(at)*own.step, e.read); err != nil {
			return err
		}
		if err := d.read(x[i], at+int64(math.Round(float64(t.lag)*rate/perSecond))-int64(reach)); err != nil {
			return err
		}
	}
	halves(func(first int) {
		c := newCorrelator(length+2*reach, rate, 150, 3500)
		for i := first; i < len(t.windows); i += 2 {
			r := c.correlate(x[i], y[i])[:2*reach+1]
			k, height, clear := peak(r, int(1e-3*rate))
			// Places are whole hundredths, samples are not: what rounding moved is taken back.
			lag := float64(t.lag) / perSecond
			moved := math.Round(lag*rate)/rate - lag
			t.windows[i].late = (k-float64(reach))/rate + moved
			t.windows[i].height, t.windows[i].clear = height, clear
		}
	})
	return nil
}

// halves does the even and the odd half of something at once.
func halves(fn func(first int)) {
	safely.Both(func() { fn(0) }, func() { fn(1) })
}

// correlator works out whitened cross-correlations of one size (C. Knapp and G. Carter, "The
// generalized correlation method for estimation of time delay", 1976: the phase transform).
type correlator struct {
	fft    *fourier.FFT
	in     []float64
	a, b   []complex128
	weight []float64 // by frequency: a band with soft edges
}

func newCorrelator(size int, rate, low, high float64) *correlator {
	n := 1 << bits.Len(uint(size-1))
	c := &correlator{fft: fourier.NewFFT(n), in: make([]float64, n), a: make([]complex128, n/2+1), b: make([]complex128, n/2+1), weight: make([]float64, n/2+1)}
	high = min(high, 0.45*rate)
	for k := range c.weight {
		f := float64(k) * rate / float64(n)
		switch {
		case f < low || f > high:
		case f < 1.5*low:
			c.weight[k] = 0.5 - 0.5*math.Cos(math.Pi*(f-low)/(0.5*low))
		case f > 0.8*high:
			c.weight[k] = 0.5 + 0.5*math.Cos(math.Pi*(f-0.8*high)/(0.2*high))
		default:
			c.weight[k] = 1
		}
	}
	return c
}

// correlate returns at [k] how well y fits x from its sample k on. What it returns is overwritten by
// the next call.
func (c *correlator) correlate(x, y []float64) []float64 {
	c.product(x, y)
	return c.fft.Sequence(c.in, c.a)
}

// turned is correlate, and beside it how well y fits with each of its frequencies turned by a quarter: together they tell a place from
// a phase, which filters turn. n values of both are kept.
func (c *correlator) turned(x, y []float64, n int) (in, quarter []float64) {
	c.product(x, y)
	in = slices.Clone(c.fft.Sequence(c.in, c.a)[:n])
	for k, v := range c.a {
		c.a[k] = complex(imag(v), -real(v))
	}
	return in, slices.Clone(c.fft.Sequence(c.in, c.a)[:n])
}

// product is the whitened spectrum of x by y's, in c.a.
func (c *correlator) product(x, y []float64) {
	c.spectrum(c.a, x)
	c.spectrum(c.b, y)
	for k, w := range c.weight {
		if w == 0 {
			c.a[k] = 0
			continue
		}
		p := c.a[k] * complex(real(c.b[k]), -imag(c.b[k]))
		m := math.Hypot(real(p), imag(p))
		if m > 0 {
			p *= complex(w/m, 0)
		}
		c.a[k] = p
	}
}

// spectrum is that of a piece with its edges faded.
func (c *correlator) spectrum(to []complex128, x []float64) {
	n := copy(c.in, x)
	clear(c.in[n:])
	edge := n / 16
	for i := range edge {
		f := 0.5 - 0.5*math.Cos(math.Pi*(float64(i)+0.5)/float64(edge))
		c.in[i] *= f
		c.in[n-1-i] *= f
	}
	c.fft.Coefficients(to, c.in)
}

// peak finds the greatest magnitude, between samples, and how high it stands in standard deviations,
// with its sign. clear says that no other peak, at least apart samples away, is about as high.
func peak(r []float64, apart int) (at, height float64, clear bool) {
	best, square := 0, 0.0
	for i, v := range r {
		square += v * v
		if math.Abs(v) > math.Abs(r[best]) {
			best = i
		}
	}
	if square == 0 {
		return 0, 0, false
	}
	other := 0.0
	for i, v := range r {
		if i < best-apart || i > best+apart {
			other = max(other, math.Abs(v))
		}
	}
	at = float64(best)
	if best > 0 && best+1 < len(r) {
		a, b, c := r[best-1], r[best], r[best+1]
		if den := a - 2*b + c; den != 0 {
			at += max(-0.5, min(0.5, 0.5*(a-c)/den))
		}
	}
	return at, r[best] / math.Sqrt(square/float64(len(r))), other < 0.9*math.Abs(r[best])
}

// fit draws the line through what most windows say, by trying every line that two of them define, or
// every offset that one does where the overlap is too short for a drift.
func (t *trial) fit() {
	ws := t.windows
	value := func(w window) float64 { return min(math.Abs(w.height), 20) }
	tried := 0
	try := func(at, slope, sign float64) {
		tried++
		score, agree := 0.0, 0
		for _, w := range ws {
			if w.clear && w.height*sign > 0 && math.Abs(w.late-at-slope*w.middle()) <= tolerance {
				score += value(w)
				agree++
			}
		}
		if score > t.score {
			t.score, t.agree, t.at, t.slope, t.sign = score, agree, at, slope, sign
		}
	}
	t.sign = 1
	free := 1
	drifts := t.overlap >= slopeOverlap
	if drifts {
		free = 2
	}
	for i, a := range ws {
		if !a.clear {
			continue
		}
		sign := math.Copysign(1, a.height)
		try(a.late, 0, sign)
		for k := i + 1; drifts && k < len(ws); k++ {
			b := ws[k]
			// Neighbours say little of the slope.
			if !b.clear || b.height*sign < 0 || b.middle()-a.middle() < t.overlap/8 {
				continue
			}
			slope := (b.late - a.late) / (b.middle() - a.middle())
			if math.Abs(slope) <= steepest(t.overlap) {
				try(a.late-slope*a.middle(), slope, sign)
			}
		}
	}
	total := 0.0
	for i := range ws {
		w := &ws[i]
		if w.agrees = w.clear && w.height*t.sign > 0 && math.Abs(w.late-t.at-t.slope*w.middle()) <= tolerance; w.agrees {
			total += math.Abs(w.height)
		}
	}
	if t.agree > 0 {
		t.strength = total / float64(t.agree)
	}
	// Of the windows beyond those that define the line, each lies on it by chance with this
	// probability: the tolerance either way, in the range that was searched, with one sign of two.
	p := min(1, tolerance/t.reach()) / 2
	t.chance = min(1, float64(max(1, tried))*maxPlaces*tail(len(ws)-free, t.agree-free, p))
}

// steepest is how far clocks may have drifted apart a second for an overlap: what is short shows a slope
// where there is none.
func steepest(overlap float64) float64 {
	if overlap < driftOverlap {
		return usualDrift * 1e-6
	}
	return maxDrift * 1e-6
}

// tail is the probability of at least k successes in n trials.
func tail(n, k int, p float64) float64 {
	if k <= 0 {
		return 1
	}
	sum := 0.0
	for i := k; i <= n; i++ {
		a, _ := math.Lgamma(float64(n + 1))
		b, _ := math.Lgamma(float64(i + 1))
		c, _ := math.Lgamma(float64(n - i + 1))
		sum += math.Exp(a - b - c + float64(i)*math.Log(p) + float64(n-i)*math.Log1p(-p))
	}
	return min(1, sum)
}
