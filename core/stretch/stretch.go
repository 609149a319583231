// Package stretch plays sound faster or slower at the same pitch, by a phase vocoder: spectra of overlapping pieces
// are put out at another distance than they were taken at, each partial's phase carried on by what it turns in
// that distance. Around the peaks of a spectrum all bins turn with the peak (identity phase locking; J.
// Laroche and M. Dolson, 1999); onsets are played at their own speed and in their own phase (after A.
// Röbel, 2003), and the time that takes is made up for after them. It is for listening: what is delivered is
// never stretched.
package stretch

import (
	"math"
	"slices"

	"gonum.org/v1/gonum/dsp/fourier"

	"zestyloom/core/audio"
	"zestyloom/core/safely"
)

// Reader fills channels with sound from a frame on, with silence before it and after it.
type Reader func(b audio.Block, frame int64) error

// Stretcher plays channels at a speed. All channels of a piece turn by the same angles, so that what they hear
// together stays together.
type Stretcher struct {
	read  Reader
	speed float64
	rate  int
	hop   int // frames that Next gives
	size  int // frames of a piece
	ahead int // pieces that are laid before a block is whole

	window []float64
	norm   []float64       // by which the sum of overlapping squared windows is divided, over a hop
	fft    [2]*fourier.FFT // one for each of the halves that are worked out at once

	at     float64     // the middle of the next piece, in frames of the sound
	debt   float64     // frames by which at is before (+) or behind where the speed alone would have it
	middle []int64     // where the pieces of the blocks to come begin in the sound, the next block's first
	out    audio.Block // what has been laid and not put out
	onsets onsets

	piece audio.Block
	now   [][]complex128 // spectra of the piece, turned
	plain [3]spectra     // of this piece and of those before it, as they are in the sound; at half speed the one
	// a hop earlier is among them
	before   [][]complex128 // of the piece a hop earlier in the sound
	last     [][]complex128 // as they were put out last
	power    []float64
	rotation []complex128
	started  bool
}

const (
	pieceSeconds = 0.085
	overlaps     = 4    // pieces over each moment
	mostDebt     = 0.09 // seconds that onsets may cost before the next are stretched like anything else
	catchUp      = 2.5  // times the speed, or a part of it, at which what they cost is made up for
)

// spectra are those of all channels of the piece that begins at a frame.
type spectra struct {
	frame int64
	of    [][]complex128
}

// New plays from a frame on. speed is from 0.25 to 4, rate in Hz.
func New(read Reader, channels, rate int, speed float64, from int64) *Stretcher {
	s := &Stretcher{read: read, speed: speed, rate: rate, at: float64(from)}
	for s.size = 64; float64(s.size) < 0.75*pieceSeconds*float64(rate); s.size *= 2 {
	}
	s.hop = s.size / overlaps
	s.ahead = overlaps / 2
	s.window, s.norm = make([]float64, s.size), make([]float64, s.hop)
	for i := range s.window {
		s.window[i] = 0.5 - 0.5*math.Cos(2*math.Pi*(float64(i)+0.5)/float64(s.size))
	}
	for i, w := range s.window {
		s.norm[i%s.hop] += w * w
	}
	s.fft = [2]*fourier.FFT{fourier.NewFFT(s.size), fourier.NewFFT(s.size)}
	bins := s.size/2 + 1
	room := func() [][]complex128 {
		x := make([][]complex128, channels)
		for c := range x {
			x[c] = make([]complex128, bins)
		}
		return x
	}
	s.now, s.before, s.last = room(), room(), room()
	for i := range s.plain {
		s.plain[i] = spectra{math.MinInt64, room()}
	}
	s.power, s.rotation = make([]float64, bins), make([]complex128, bins)
	s.piece = audio.NewBlock(channels, s.size)
	s.out = audio.NewBlock(channels, s.size+(s.ahead+1)*s.hop)
	s.onsets = newOnsets(read, channels, rate, from-int64(s.size))
	return s
}

// Step is how many frames Next gives.
func (s *Stretcher) Step() int { return s.hop }

// Next fills b, which has Step frames, with what comes next, and returns the frame of the sound that
// it begins at.
func (s *Stretcher) Next(b audio.Block) (at int64, err error) {
	if s.speed == 1 {
		at = int64(math.Round(s.at))
		s.at += float64(s.hop)
		return at, s.read(b, at)
	}
	if !s.started {
		if err := s.start(); err != nil {
			return 0, err
		}
	}
	if err := s.lay(); err != nil {
		return 0, err
	}
	for c := range b {
		for i := range b[c] {
			b[c][i] = s.out[c][i] / s.norm[(i+s.size/2)%s.hop] // pieces begin half of one before a multiple of a hop
		}
		copy(s.out[c], s.out[c][s.hop:])
		clear(s.out[c][len(s.out[c])-s.hop:])
	}
	at = s.middle[0]
	s.middle = s.middle[1:]
	return at, nil
}

// start lays the pieces that come before the first block and reach into it as they are, so that it begins as if
// the sound had been playing.
func (s *Stretcher) start() error {
	s.started = true
	from := s.at
	for n := -s.ahead; n < 0; n++ {
		s.at = from + float64(n*s.hop)
		if err := s.take(s.now, s.position()); err != nil {
			return err
		}
		for c := range s.now {
			copy(s.last[c], s.now[c])
		}
		s.overlap(n)
	}
	s.at = from
	for range s.ahead { // the pieces between the first block and what is laid ahead of it
		if err := s.lay(); err != nil {
			return err
		}
	}
	return nil
}

// position is where the next piece begins.
func (s *Stretcher) position() int64 { return int64(math.Round(s.at)) - int64(s.size)/2 }

// take works out the spectra of the piece that begins at a frame.
func (s *Stretcher) take(to [][]complex128, frame int64) error {
	if err := s.read(s.piece, frame); err != nil {
		return err
	}
	s.each(func(c int, fft *fourier.FFT) {
		x := s.piece[c]
		for i := range x {
			x[i] *= s.window[i]
		}
		fft.Coefficients(to[c], x)
	})
	return nil
}

// each calls fn for every channel, on two processors.
func (s *Stretcher) each(fn func(c int, fft *fourier.FFT)) {
	half := func(first int) {
		for c := first; c < len(s.piece); c += 2 {
			fn(c, s.fft[first])
		}
	}
	if len(s.piece) == 1 {
		half(0)
		return
	}
	safely.Both(func() { half(0) }, func() { half(1) })
}

// lay takes the next piece, turns it and lays it, and moves on.
func (s *Stretcher) lay() error {
	p := s.position()
	onset, err := s.onsets.in(p, p+int64(s.size))
	if err != nil {
		return err
	}
	onset = onset && math.Abs(s.debt) < mostDebt*float64(s.rate)
	before := s.before
	known := slices.IndexFunc(s.plain[:], func(x spectra) bool { return x.frame == p-int64(s.hop) })
	if known >= 0 {
		before = s.plain[known].of
	} else if err := s.take(before, p-int64(s.hop)); err != nil {
		return err
	}
	oldest := 0
	for i, x := range s.plain {
		if i != known && (oldest == known || x.frame < s.plain[oldest].frame) {
			oldest = i
		}
	}
	s.plain[oldest].frame = p
	plain := s.plain[oldest].of
	if err := s.take(plain, p); err != nil {
		return err
	}
	s.turn(plain, before, onset)
	s.overlap(len(s.middle))
	s.middle = append(s.middle, int64(math.Round(s.at)))
	step := s.speed * float64(s.hop)
	switch {
	case onset:
		s.debt += float64(s.hop) - step
		step = float64(s.hop)
	case s.debt != 0:
		// Sound that is ahead is slowed down further, sound that is behind hurries.
		other := step / catchUp
		if s.debt < 0 {
			other = step * catchUp
		}
		if math.Abs(other-step) > math.Abs(s.debt) {
			other = step - s.debt
		}
		s.debt += other - step
		step = other
	}
	s.at += step
	return nil
}

// turn brings the phases of the piece to where what was put out last goes on.
func (s *Stretcher) turn(plain, before [][]complex128, onset bool) {
	bins := len(s.power)
	clear(s.power)
	for _, x := range plain {
		for k, v := range x {
			s.power[k] += real(v)*real(v) + imag(v)*imag(v)
		}
	}
	peak := func(k int) bool {
		for d := 1; d <= 2; d++ {
			if k >= d && s.power[k-d] > s.power[k] || k+d < bins && s.power[k+d] >= s.power[k] {
				return false
			}
		}
		return s.power[k] > 0
	}
	from, last := 0, -1
	apply := func(to int) { // bins [from, to) turn with the peak at last
		r := complex(1, 0)
		if last >= 0 {
			r = s.angle(before, last, onset)
		}
		for k := from; k < to; k++ {
			s.rotation[k] = r
		}
		from = to
	}
	for k := range bins {
		if !peak(k) {
			continue
		}
		if last >= 0 {
			least := last
			for i := last; i < k; i++ { // the border is the valley between
				if s.power[i] < s.power[least] {
					least = i
				}
			}
			apply(least)
		}
		last = k
	}
	apply(bins)
	s.each(func(c int, _ *fourier.FFT) {
		for k, r := range s.rotation {
			s.now[c][k] = plain[c][k] * r
		}
		copy(s.last[c], s.now[c])
	})
}

// angle is what a peak turns by: from where it was a hop earlier in the sound to where it was put out a hop ago, by
// the channel in which it is loudest. A partial that begins keeps its own phase.
func (s *Stretcher) angle(before [][]complex128, k int, onset bool) complex128 {
	best, most := 0, 0.0
	for c := range before {
		v := before[c][k]
		if m := real(v)*real(v) + imag(v)*imag(v); m > most {
			best, most = c, m
		}
	}
	if onset && s.power[k] > 4*most {
		return 1
	}
	r := s.last[best][k] * complex(real(before[best][k]), -imag(before[best][k]))
	m := math.Hypot(real(r), imag(r))
	if m == 0 {
		return 1
	}
	return r / complex(m, 0)
}

// overlap lays the piece so that its middle comes n hops after the beginning of the next block.
func (s *Stretcher) overlap(n int) {
	at := n*s.hop - s.size/2
	scale := 1 / float64(s.size)
	s.each(func(c int, fft *fourier.FFT) {
		x, out := fft.Sequence(s.piece[c], s.now[c]), s.out[c]
		from, to := max(0, -at), min(len(x), len(out)-at)
		for i := from; i < to; i++ {
			out[at+i] += x[i] * s.window[i] * scale
		}
	})
}
