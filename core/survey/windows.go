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

// arrivals works out how the sound of each pair of channels is related in time, by cross-correlation
// with the phase transform (Knapp and Carter, 1976) over all pieces. The result for channels a < b
// is at [a*channels+b].
func (w *windows) arrivals(rate int, use []bool) []arrival {
	w.close()
	channels := len(w.now)
	out := make([]arrival, channels*channels)
	if len(w.best) == 0 {
		return out
	}
	size := 2 * w.length
	fft := fourier.NewFFT(size)
	bins := size/2 + 1
	lo, hi := max(1, lowHz*size/rate), min(bins-1, highHz*size/rate)
	cross := map[int][]complex128{}
	spectra := make([][]complex128, channels)
	buf := make([]float64, size)
	for _, piece := range w.best {
		for c := range piece {
			if !use[c] {
				continue
			}
			for i, v := range piece[c] {
				// A Hann window: what is cut off at the ends must not click.
				buf[i] = float64(v) * (0.5 - 0.5*math.Cos(2*math.Pi*(float64(i)+0.5)/float64(w.length)))
			}
			clear(buf[w.length:])
			spectra[c] = fft.Coefficients(spectra[c], buf)
			for i := range spectra[c] { // whitened: only the phase is left
				if m := cmplx.Abs(spectra[c][i]); m > 1e-12 {
					spectra[c][i] /= complex(m, 0)
				} else {
					spectra[c][i] = 0
				}
			}
		}
		for a := range channels {
			for b := a + 1; b < channels; b++ {
				if !use[a] || !use[b] {
					continue
				}
				i := a*channels + b
				if cross[i] == nil {
					cross[i] = make([]complex128, hi-lo)
				}
				for k := range cross[i] {
					cross[i][k] += spectra[b][lo+k] * cmplx.Conj(spectra[a][lo+k])
				}
			}
		}
	}
	search := min(w.length/2, int(searchSeconds*float64(rate)))
	full := make([]complex128, bins)
	for i, g := range cross {
		clear(full)
		copy(full[lo:], g)
		out[i] = readArrival(fft.Sequence(buf, full), search, rate, float64(2*(hi-lo)*len(w.best)))
	}
	return out
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
