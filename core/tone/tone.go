// Package tone makes the sounds that check a line: a tone at line-up level, and pips that count the number of an output.
package tone

import (
	"math"

	"zestyloom/core/audio"
	"zestyloom/core/snag"
)

// Levels of line-up in dBFS: that of EBU R 68, and that of SMPTE RP 155.
const (
	EBU   = -18.0
	SMPTE = -20.0
)

// A slot of an identification: how long it is, and what is in it, in seconds.
const (
	slotLong   = 6.0
	toneLong   = 2.0
	pause      = 0.5
	pipLong    = 0.1 // of one
	tenLong    = 0.4 // of ten
	pipPause   = 0.15
	rampLong   = 0.005
	pipRaise   = 4.0 / 3 // of the tone's frequency
	mostNumber = 128
)

// Signal is a sound to check channels by. Every sample is a function of its place.
type Signal struct {
	Rate     int     // Hz
	Channels int     // 1 to 128
	Hz       float64 // of the tone
	LevelDB  float64 // of its peak, in dBFS
	// Identify has the channels sound in turn, each for Slot: the tone, and pips that count its number, long ones for tens.
	Identify bool
}

// Check refuses a signal that can't be.
func (s Signal) Check() error {
	if s.Rate < 8000 || s.Channels < 1 || s.Channels > mostNumber || !(s.Hz >= 20 && s.Hz < 0.45*float64(s.Rate)) || !(s.LevelDB >= -80 && s.LevelDB <= 0) {
		return snag.Refuse("bad_tone", "a tone has 1 to %d channels, 20 Hz to 0.45 of the rate and -80 to 0 dBFS, not %d channels, %g Hz at %d Hz and %g dBFS", mostNumber, s.Channels, s.Hz, s.Rate, s.LevelDB)
	}
	return nil
}

// Slot is how many samples a channel has in an identification: 6 s, or 12 s where there are too many to count in that.
func (s Signal) Slot() int64 {
	long := slotLong
	if s.Channels >= 30 {
		long *= 2
	}
	return int64(math.Round(long * float64(s.Rate)))
}

// Frames is how long one round of an identification is.
func (s Signal) Frames() int64 { return s.Slot() * int64(s.Channels) }

// Read fills a block, which is as wide as the signal, from a sample on. An identification goes round.
func (s Signal) Read(b audio.Block, at int64) {
	if !s.Identify {
		level := audio.Gain(s.LevelDB)
		for i := range b[0] {
			b[0][i] = level * math.Sin(2*math.Pi*s.Hz*float64(at+int64(i))/float64(s.Rate))
		}
		for c := range b[1:] {
			copy(b[c+1], b[0])
		}
		return
	}
	for c := range b {
		s.Channel(b[c], c, at)
	}
}

// Channel fills dst with one channel of an identification, from a sample on.
func (s Signal) Channel(dst []float64, channel int, at int64) {
	clear(dst)
	level, slot, frames := audio.Gain(s.LevelDB), s.Slot(), s.Frames()
	for i := 0; i < len(dst); {
		k := (at + int64(i)) % frames
		if k/slot != int64(channel) { // on to the slot's end
			i += int(min(int64(len(dst)-i), slot-k%slot))
			continue
		}
		t := float64(k%slot) / float64(s.Rate)
		if hz, from, to, ok := s.sounding(channel+1, t); ok {
			ramp := min(1, (t-from)/rampLong, (to-t)/rampLong)
			dst[i] = level * ramp * math.Sin(2*math.Pi*hz*(t-from))
		}
		i++
	}
}

// sounding is what sounds of a channel's slot at a time, and from when to when.
func (s Signal) sounding(number int, t float64) (hz, from, to float64, ok bool) {
	if t < toneLong {
		return s.Hz, 0, toneLong, true
	}
	from = toneLong + pause
	for tens, ones := number/10, number%10; tens+ones > 0; {
		long := pipLong
		if tens > 0 {
			long = tenLong
			tens--
		} else {
			ones--
		}
		if t < from {
			return 0, 0, 0, false
		}
		if t < from+long {
			return s.Hz * pipRaise, from, from + long, true
		}
		from += long + pipPause
	}
	return 0, 0, 0, false
}
