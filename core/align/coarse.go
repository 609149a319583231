package align

import (
	"cmp"
	"math"
	"math/bits"
	"slices"
	"sync"

	"gonum.org/v1/gonum/dsp/fourier"

	"zestyloom/core/safely"
)

// place is an offset at which envelopes are alike.
type place struct {
	lag   int     // hundredths of a second that the file's first frame lies after the reference's
	score float64 // in standard deviations of what chance gives
}

// maxPlaces is how many are tried on the sound itself: of those that come near the best. Something that
// repeats comes as near as its overlap is long.
const (
	maxPlaces = 6
	nearBest  = 0.4
)

// places finds where the envelopes of two recordings are most alike: the greatest local maxima of
// their correlation, at least a quarter of a second apart, the best first.
func places(x, y *features) []place {
	c := correlate(x, y)
	n := len(c)
	score := make([]float64, x.frames+y.frames)
	at := func(lag int) float64 { return c[(lag%n+n)%n] }
	least := int(minOverlap * perSecond)
	// Drift smears the peak over neighbours: three of them count.
	for i := range score {
		lag := i - y.frames
		from, to := max(0, lag), min(x.frames, lag+y.frames)
		if to-from < least {
			continue
		}
		ex, ey := x.energy[to]-x.energy[from], y.energy[to-lag]-y.energy[from-lag]
		if ex <= 0 || ey <= 0 {
			continue
		}
		chance := math.Sqrt(ex * ey / float64((to-from)*bands))
		score[i] = (at(lag-1) + 2*at(lag) + at(lag+1)) / 4 / chance
	}
	standardise(score)
	var out []place
	for i, s := range score {
		if s <= 0 || i > 0 && score[i-1] > s || i+1 < len(score) && score[i+1] >= s {
			continue
		}
		out = append(out, place{i - y.frames, s})
	}
	slices.SortFunc(out, func(a, b place) int { return cmp.Or(cmp.Compare(b.score, a.score), a.lag-b.lag) })
	var kept []place
	for _, p := range out {
		if p.score < nearBest*out[0].score {
			break
		}
		if slices.ContainsFunc(kept, func(k place) bool { return abs(k.lag-p.lag) < perSecond/4 }) {
			continue
		}
		if kept = append(kept, p); len(kept) == maxPlaces {
			break
		}
	}
	return kept
}

// standardise brings scores to standard deviations of what they are where nothing fits. The products
// of neighbours and of bands hang together, so chance is measured, not computed; the median of the
// magnitudes is not moved by the peaks.
func standardise(score []float64) {
	var some []float64
	for i := 0; i < len(score); i += max(1, len(score)/20000) {
		if score[i] != 0 {
			some = append(some, math.Abs(score[i]))
		}
	}
	if len(some) == 0 {
		return
	}
	slices.Sort(some)
	scale := 0.6745 / max(some[len(some)/2], 1e-9) // of a normal distribution
	for i := range score {
		score[i] *= scale
	}
}

func abs(n int) int { return max(n, -n) }

// correlate is the circular cross-correlation of the envelopes, summed over the bands: at [lag mod
// its length].
func correlate(x, y *features) []float64 {
	n := 1 << bits.Len(uint(x.frames+y.frames))
	sum := make([]complex128, n/2+1)
	var mu sync.Mutex
	half := func(first int) {
		fft := fourier.NewFFT(n)
		a, b := make([]complex128, n/2+1), make([]complex128, n/2+1)
		in := make([]float64, n)
		fill := func(to []complex128, f []float32) {
			for i, v := range f {
				in[i] = float64(v)
			}
			clear(in[len(f):])
			fft.Coefficients(to, in)
		}
		for k := first; k < bands; k += 2 {
			fill(a, x.band[k])
			fill(b, y.band[k])
			mu.Lock()
			for i := range sum {
				sum[i] += a[i] * complex(real(b[i]), -imag(b[i]))
			}
			mu.Unlock()
		}
	}
	safely.Both(func() { half(0) }, func() { half(1) })
	out := fourier.NewFFT(n).Sequence(nil, sum)
	for i := range out {
		out[i] /= float64(n)
	}
	return out
}
