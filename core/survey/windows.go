package survey

import (
	"math"
	"math/cmplx"

	"gonum.org/v1/gonum/dsp/fourier"
)

// windows keeps a few short pieces of the recording in which as many channels as possible sound:
// one from each stretch of it. Delays between channels are worked out on them at the end.
type windows struct {
	length  int
	stretch int64 // frames a piece is chosen from
	at      int64
	filled  int
	now     [][]float32
	best    [][][]float32 // by stretch, by channel
	score   []float64
	// For agreement: made when first asked for.
	transform *transform
	moments   map[int]moments
}

const (
	windowFrames = 1 << 15 // 0.7 s at 48 kHz
	maxPieces    = 8
	pieceFloats  = 8 << 20 / 4 // a piece of all channels holds no more samples than this
)

func newWindows(channels, rate int, frames int64) *windows {
	w := &windows{length: windowFrames}
	for w.length > 4096 && (w.length*channels > pieceFloats || int64(w.length) > frames) {
		w.length /= 2
	}
	for rate > 64000 && w.length < 2*windowFrames && int64(w.length) < frames/2 {
		w.length *= 2 // the same time at a higher rate
		rate /= 2
	}
	pieces := max(1, min(maxPieces, frames/int64(w.length)))
	w.stretch = max(int64(w.length), (frames+pieces-1)/pieces)
	w.now = newPiece(channels, w.length)
	return w
}

func newPiece(channels, length int) [][]float32 {
	p := make([][]float32, channels)
	backing := make([]float32, channels*length)
	for c := range p {
		p[c] = backing[c*length : (c+1)*length]
	}
	return p
}

func (w *windows) add(block [][]float64) {
	frames := len(block[0])
	for from := 0; from < frames; {
		n := min(w.length-w.filled, frames-from)
		for c, x := range block {
			to := w.now[c][w.filled : w.filled+n]
			for i, v := range x[from : from+n] {
				to[i] = float32(v)
			}
		}
		w.filled += n
		w.at += int64(n)
		from += n
		if w.filled == w.length {
			w.choose()
		}
	}
}

// choose keeps the piece just filled when it is the best of its stretch: the one in which the
// product of the channels' levels is greatest, so that none sounds alone.
func (w *windows) choose() {
	score := 0.0
	for _, x := range w.now {
		sum := 1e-9
		for _, v := range x {
			sum += float64(v) * float64(v)
		}
		score += math.Log(sum)
	}
	i := int((w.at - 1) / w.stretch)
	if i == len(w.best) {
		w.best = append(w.best, newPiece(len(w.now), w.length))
		w.score = append(w.score, math.Inf(-1))
	}
	if i < len(w.best) && score > w.score[i] {
		w.best[i], w.now, w.score[i] = w.now, w.best[i], score
	}
	w.filled = 0
}

// close keeps what a short recording has filled.
func (w *windows) close() {
	if len(w.best) > 0 || w.filled == 0 {
		return
	}
	for _, x := range w.now {
		clear(x[w.filled:])
	}
	w.choose()
}

// arrival is how one channel's sound arrives on another.
type arrival struct {
	delay  int     // samples by which the second is later; negative when earlier
	sign   int     // 1, or -1 when its polarity is inverted
	peak   float64 // of the whitened correlation: 1 for one sound at one delay and nothing else
	clear  float64 // the peak against the standard deviation of everything else
	rival  float64 // the greatest other peak, as a share of the peak
	aligns bool    // whether there was anything to go by
}

// Limits of the search: sound travels ten metres in 30 ms, and what whitening is done on is speech.
const (
	searchSeconds = 0.03
	lowHz         = 180
	highHz        = 7000
)

// arrivals is how the sound of each pair of channels is related in time.
type arrivals struct {
	n      int
	search int               // samples either way
	pair   []arrival         // of a < b at [a*n+b]
	corr   map[int][]float32 // whitened correlation by lag, from -search on; 1 for the same sound
}

func (a *arrivals) of(x, y int) arrival { return a.pair[x*a.n+y] }

// at is the whitened correlation of channel y with x where y is later by lag.
func (a *arrivals) at(x, y, lag int) float64 {
	if x > y {
		x, y, lag = y, x, -lag
	}
	if c := a.corr[x*a.n+y]; c != nil && lag >= -a.search && lag <= a.search {
		return float64(c[lag+a.search])
	}
	return 0
}

// arrivals works out how the sound of each pair of channels is related in time, by cross-correlation
// with the phase transform (Knapp and Carter, 1976) over all pieces.
func (w *windows) arrivals(rate int, use []bool, over func() bool) *arrivals {
	w.close()
	channels := len(w.now)
	out := &arrivals{n: channels, search: min(w.length/2, int(searchSeconds*float64(rate))), pair: make([]arrival, channels*channels), corr: map[int][]float32{}}
	if len(w.best) == 0 {
		return out
	}
	size := 2 * w.length
	t := newTransform(size, rate)
	cross := map[int][]complex128{}
	spectra := make([][]complex128, channels)
	for _, piece := range w.best {
		for c := range piece {
			if use[c] {
				spectra[c] = t.whitened(spectra[c], piece[c])
			}
		}
		for a := range channels {
			if over() {
				return out
			}
			for b := a + 1; b < channels; b++ {
				if !use[a] || !use[b] {
					continue
				}
				i := a*channels + b
				if cross[i] == nil {
					cross[i] = make([]complex128, t.hi-t.lo)
				}
				for k := range cross[i] {
					cross[i][k] += spectra[b][t.lo+k] * cmplx.Conj(spectra[a][t.lo+k])
				}
			}
		}
	}
	scale := t.scale() * float64(len(w.best))
	for i, g := range cross {
		if over() {
			return out
		}
		r := t.sequence(g)
		out.pair[i] = readArrival(r, out.search, rate, scale)
		kept := make([]float32, 2*out.search+1)
		for lag := -out.search; lag <= out.search; lag++ {
			kept[lag+out.search] = float32(r[(lag+len(r))%len(r)] / scale)
		}
		out.corr[i] = kept
		delete(cross, i)
	}
	return out
}

// transform makes whitened spectra of one size, and correlations of them.
type transform struct {
	fft    *fourier.FFT
	lo, hi int // the bins that count
	in     []float64
	full   []complex128
}

func newTransform(size, rate int) *transform {
	bins := size/2 + 1
	t := &transform{fft: fourier.NewFFT(size), in: make([]float64, size), full: make([]complex128, bins)}
	t.lo = min(max(1, lowHz*size/rate), bins-1)
	t.hi = max(t.lo, min(bins-1, highHz*size/rate))
	return t
}

// scale is the peak of a sound's correlation with itself.
func (t *transform) scale() float64 { return float64(2 * max(1, t.hi-t.lo)) }

// whitened is the spectrum of x with only its phases left.
func (t *transform) whitened(dst []complex128, x []float32) []complex128 {
	for i, v := range x {
		// A Hann window: what is cut off at the ends must not click.
		t.in[i] = float64(v) * (0.5 - 0.5*math.Cos(2*math.Pi*(float64(i)+0.5)/float64(len(x))))
	}
	clear(t.in[len(x):])
	dst = t.fft.Coefficients(dst, t.in)
	for i, v := range dst {
		if m := cmplx.Abs(v); m > 1e-12 {
			dst[i] = v / complex(m, 0)
		} else {
			dst[i] = 0
		}
	}
	return dst
}

// sequence is the correlation that a cross spectrum, from bin lo to hi, stands for; by the next call it is
// overwritten.
func (t *transform) sequence(g []complex128) []float64 {
	clear(t.full)
	copy(t.full[t.lo:], g)
	return t.fft.Sequence(t.in, t.full)
}

// moment is how long a piece's parts are, in samples, by which agreement counts: 0.17 s at 48 kHz.
const moment = 8192

// moments are the whitened spectra of a channel's moments; nil where it does not sound.
type moments [][]complex64

// ofChannel works the moments of a channel out, once.
func (w *windows) ofChannel(c, length int, t *transform) moments {
	if m, ok := w.moments[c]; ok {
		return m
	}
	var m moments
	var energies []float64
	loudest := 0.0
	var spectrum []complex128
	for _, piece := range w.best {
		for from := 0; from+length <= w.length; from += length {
			x := piece[c][from : from+length]
			e := product(x, x)
			energies, loudest = append(energies, e), max(loudest, e)
			spectrum = t.whitened(spectrum, x)
			kept := make([]complex64, t.hi-t.lo)
			for k := range kept {
				kept[k] = complex64(spectrum[t.lo+k])
			}
			m = append(m, kept)
		}
	}
	for i, e := range energies {
		if e == 0 || e < 0.01*loudest {
			m[i] = nil
		}
	}
	w.moments[c] = m
	return m
}

// agreement is the share of the moments in which both channels sound whose own correlation has its peak where the
// pieces together have it, and how many such moments there are.
func (w *windows) agreement(rate int, v arrival, a, b int) (share float64, sounding int) {
	length := min(w.length, moment)
	for r := rate; r > 64000 && 2*length <= w.length; r /= 2 {
		length *= 2
	}
	if w.transform == nil {
		w.transform, w.moments = newTransform(2*length, rate), map[int]moments{}
	}
	t := w.transform
	search := min(length/2, int(searchSeconds*float64(rate)))
	x, y := w.ofChannel(a, length, t), w.ofChannel(b, length, t)
	agree := 0
	g := make([]complex128, t.hi-t.lo)
	for i := range x {
		if x[i] == nil || y[i] == nil {
			continue
		}
		sounding++
		for k := range g {
			g[k] = complex128(y[i][k]) * cmplx.Conj(complex128(x[i][k]))
		}
		own := readArrival(t.sequence(g), search, rate, t.scale())
		if d := own.delay - v.delay; own.sign == v.sign && d >= -rate/2000 && d <= rate/2000 {
			agree++
		}
	}
	if sounding == 0 {
		return 0, 0
	}
	return float64(agree) / float64(sounding), sounding
}

func readArrival(r []float64, search, rate int, scale float64) arrival {
	at := func(lag int) float64 { return r[(lag+len(r))%len(r)] }
	best := 0
	for lag := -search; lag <= search; lag++ {
		if math.Abs(at(lag)) > math.Abs(at(best)) {
			best = lag
		}
	}
	peak := math.Abs(at(best))
	near := rate / 2000 // half a millisecond: the peak itself
	sum, n, rival := 0.0, 0, 0.0
	for lag := -search; lag <= search; lag++ {
		if d := lag - best; d >= -near && d <= near {
			continue
		}
		sum += at(lag) * at(lag)
		n++
		rival = max(rival, math.Abs(at(lag)))
	}
	if peak == 0 || n == 0 || sum == 0 {
		return arrival{delay: best, sign: 1, peak: peak / scale, clear: math.Inf(1), aligns: peak > 0}
	}
	sign := 1
	if at(best) < 0 {
		sign = -1
	}
	return arrival{best, sign, peak / scale, peak / math.Sqrt(sum/float64(n)), rival / peak, true}
}
