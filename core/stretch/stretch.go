// Package stretch plays sound faster or slower at the same pitch, by overlapping pieces of it where
// they are most alike (waveform similarity overlap-add; W. Verhelst and M. Roelands, 1993). It is for
// listening: what is delivered is never stretched.
package stretch

import (
	"math"

	"zestyloom/core/audio"
)

// Reader fills channels with sound from a frame on, with silence before it and after it.
type Reader func(b audio.Block, frame int64) error

// Stretcher plays channels at a speed. All channels are cut at the same places, so that what they hear
// together stays together.
type Stretcher struct {
	read   Reader
	speed  float64
	at     float64 // where the next piece is looked for, in frames of the sound
	size   int     // frames of a piece; half of one is put out at a time
	search int     // frames either way that are searched
	window []float64
	tail   audio.Block // the second half of the last piece, faded
	next   audio.Block // what would follow the last piece naturally, as long as half a piece
	first  bool
	in     audio.Block
}

// New plays from a frame on. speed is from 0.25 to 4, rate in Hz.
func New(read Reader, channels, rate int, speed float64, from int64) *Stretcher {
	half := rate * 15 / 1000
	s := &Stretcher{read: read, speed: speed, at: float64(from), size: 2 * half, search: rate * 8 / 1000, first: true,
		tail: audio.NewBlock(channels, half), next: audio.NewBlock(channels, half)}
	s.window = make([]float64, s.size)
	for i := range s.window {
		s.window[i] = 0.5 - 0.5*math.Cos(2*math.Pi*(float64(i)+0.5)/float64(s.size))
	}
	s.in = audio.NewBlock(channels, s.size+half+2*s.search)
	return s
}

// Step is how many frames Next gives.
func (s *Stretcher) Step() int { return s.size / 2 }

// Next fills b, which has Step frames, with what comes next, and returns the frame of the sound that
// it begins at.
func (s *Stretcher) Next(b audio.Block) (at int64, err error) {
	half := s.size / 2
	from := int64(math.Round(s.at)) - int64(s.search)
	if err := s.read(s.in, from); err != nil {
		return 0, err
	}
	best := s.search
	if !s.first && s.speed != 1 {
		best = s.alike()
	}
	for c := range b {
		piece := s.in[c][best:]
		for i := range half {
			b[c][i] = s.tail[c][i] + piece[i]*s.window[i]
			if s.first {
				b[c][i] = piece[i]
			}
			s.tail[c][i] = piece[half+i] * s.window[half+i]
		}
		copy(s.next[c], piece[half:half+half])
	}
	s.first = false
	at = int64(math.Round(s.at))
	s.at += float64(half) * s.speed
	return at, nil
}

// alike finds the piece that goes on best from the last one: by the correlation of what would follow
// that one with the first half of each candidate, all channels together, in steps and then closer.
func (s *Stretcher) alike() int {
	half := s.size / 2
	score := func(at, step int) float64 {
		product, energy := 0.0, 1e-12
		for c := range s.in {
			x, y := s.in[c][at:at+half], s.next[c]
			for i := 0; i < half; i += step {
				product += x[i] * y[i]
				energy += x[i] * x[i]
			}
		}
		return product / math.Sqrt(energy)
	}
	best, most := s.search, math.Inf(-1)
	for at := 0; at <= 2*s.search; at += 6 {
		if v := score(at, 3); v > most {
			best, most = at, v
		}
	}
	around := best
	most = math.Inf(-1)
	for at := max(0, around-6); at <= min(2*s.search, around+6); at++ {
		if v := score(at, 1); v > most {
			best, most = at, v
		}
	}
	return best
}
