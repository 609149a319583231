package loudness

import (
	"math"

	"zestyloom/core/audio"
	"zestyloom/core/meter"
)

// The limiter's reach: the gain that a peak needs is held for holdSeconds to both sides of it, and gone down to and up
// from within turnSeconds more.
const (
	holdSeconds = 0.010
	turnSeconds = 0.005
)

// Limiter holds the true peak of a sound under a ceiling. Its gain is the same for all channels, and is worked out from
// the peaks between samples, at eight places a sample. It looks ahead and back by Reach: samples that are further from
// every peak above the ceiling come out bit for bit as they went in. It is late, and End gives the rest.
type Limiter struct {
	ceiling float64
	free    []bool // channels that are not listened to, and not touched
	watch   []*meter.Overs
	hold    int       // samples to either side
	turn    []float64 // a raised cosine, of sum 1

	// What is kept: sound, and by how much less than 1 the gain has to be at each sample, from frame base on.
	sound audio.Block
	need  []float64
	base  int64
	next  int64 // the frame that goes out next
	heard int64 // frames that came in
	ended bool

	// Deepest is the least gain so far, in dB, and DeepestAt where it was; Touched how many frames had one under 1.
	Deepest   float64
	DeepestAt int64
	Touched   int64
}

// NewLimiter makes one for a layout at a rate in Hz with a ceiling in dBTP. The LFE is limited with the others unless
// freeLFE leaves it alone.
func NewLimiter(l audio.Layout, rate int, ceiling float64, freeLFE bool) *Limiter {
	m := &Limiter{ceiling: audio.Gain(ceiling), hold: max(int(math.Ceil(holdSeconds*float64(rate))), meter.OversLate), sound: make(audio.Block, l.Count), free: make([]bool, l.Count)}
	half := int(math.Ceil(turnSeconds * float64(rate)))
	sum := 0.0
	for i := range 2*half + 1 {
		v := 1 + math.Cos(math.Pi*float64(i-half)/float64(half+1))
		m.turn = append(m.turn, v)
		sum += v
	}
	for i := range m.turn {
		m.turn[i] /= sum
	}
	for c := range l.Count {
		m.free[c] = freeLFE && l.IsLFE(c)
		m.watch = append(m.watch, meter.NewOvers())
	}
	return m
}

// Reach is how many samples to either side of a peak the gain may be under 1.
func (m *Limiter) Reach() int { return m.hold + len(m.turn)/2 }

// Add takes a block in and returns the frames that are ready, after those that were returned before.
func (m *Limiter) Add(b audio.Block) audio.Block {
	m.listen(b)
	m.heard += int64(b.Frames())
	// The needs of a frame are known once the interval after it is.
	return m.out(m.heard - meter.OversLate - 1 - int64(m.Reach()))
}

// End returns what is left.
func (m *Limiter) End() audio.Block {
	if m.ended {
		return audio.NewBlock(len(m.sound), 0)
	}
	m.ended = true
	m.listen(audio.NewBlock(len(m.sound), m.Reach()+meter.OversLate+1))
	return m.out(m.heard)
}

func (m *Limiter) listen(b audio.Block) {
	known := len(m.need)
	m.need = append(m.need, make([]float64, b.Frames())...)
	for c, w := range m.watch {
		m.sound[c] = append(m.sound[c], b[c]...)
		if m.free[c] {
			continue
		}
		w.Above(b[c], m.ceiling, func(i int, peak float64) {
			less := 1 - m.ceiling/peak
			for at := known + i - meter.OversLate; at <= known+i-meter.OversLate+1; at++ {
				if at >= 0 {
					m.need[at] = max(m.need[at], less)
				}
			}
		})
	}
}

// out returns the frames from next to one before to, and forgets what is not needed any more.
func (m *Limiter) out(to int64) audio.Block {
	n := int(max(0, to-m.next))
	first := int(m.next - m.base)
	out := audio.NewBlock(len(m.sound), n)
	for c := range out {
		copy(out[c], m.sound[c][first:])
	}
	if n > 0 {
		m.apply(out, first)
		m.next = to
	}
	drop := max(0, int(m.next-m.base)-m.Reach())
	m.need = m.need[:copy(m.need, m.need[drop:])]
	for c := range m.sound {
		m.sound[c] = m.sound[c][:copy(m.sound[c], m.sound[c][drop:])]
	}
	m.base += int64(drop)
	return out
}

// apply multiplies a block, whose first frame is need[first], by the gain.
func (m *Limiter) apply(out audio.Block, first int) {
	n, reach, half := out.Frames(), m.Reach(), len(m.turn)/2
	lo, hi := max(0, first-reach), min(len(m.need), first+n+reach)
	quiet := true
	for _, v := range m.need[lo:hi] {
		quiet = quiet && v == 0
	}
	if quiet {
		return
	}
	// held[i] is the greatest need around frame first-half+i.
	held := make([]float64, n+2*half)
	for at := lo; at < hi; at++ {
		v := m.need[at]
		if v == 0 {
			continue
		}
		for i := max(0, at-m.hold-first+half); i <= min(len(held)-1, at+m.hold-first+half); i++ {
			held[i] = max(held[i], v)
		}
	}
	for i := range n {
		less := 0.0
		for k, w := range m.turn {
			less += w * held[i+k]
		}
		if less == 0 {
			continue
		}
		gain := 1 - less
		m.Touched++
		if db := audio.Decibels(gain); db < m.Deepest {
			m.Deepest, m.DeepestAt = db, m.next+int64(i)
		}
		for c := range out {
			if !m.free[c] {
				out[c][i] *= gain
			}
		}
	}
}
