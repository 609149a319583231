// Package survey finds out what the channels of a recording really hold, in one pass: the level,
// clipping, noise and offset of each, and how they are related — the same sound, the same with its
// polarity inverted, one source that reaches two microphones at different times, or a mix of the
// others.
package survey

import (
	"context"
	"hash/maphash"
	"math"
	"math/bits"

	"zestyloom/core/audio"
	"zestyloom/core/safely"
)

// Channel is what one channel holds. Magnitudes are linear, full scale 1.
type Channel struct {
	Peak        float64 `json:"peak"`
	RMS         float64 `json:"rms"`
	DC          float64 `json:"dc"`           // mean
	NoiseFloor  float64 `json:"noise_floor"`  // the RMS under which the quietest tenth of it lies
	Silence     float64 `json:"silence"`      // share of it, 0 to 1, that never reaches -80 dBFS
	Clipped     int64   `json:"clipped"`      // samples at full scale
	ClippedRuns int64   `json:"clipped_runs"` // runs of at least three of them
	Invalid     int64   `json:"invalid"`      // samples that are not numbers; they count as silence
}

// Silent reports whether nothing on the channel reaches audio.SilenceDB.
func (c Channel) Silent() bool { return c.Peak < audio.Gain(audio.SilenceDB) }

// Findings is what a recording holds.
type Findings struct {
	Channels  []Channel  `json:"channels"`
	Relations []Relation `json:"relations"`
}

const (
	noiseSeconds = 0.1  // length of the stretches that noise and silence are judged by
	noiseStep    = 0.25 // dB, of the histogram of their levels
	noiseBottom  = -160 // dB, its first
	clippedRun   = 3
)

// Surveyor takes a recording in, block by block.
type Surveyor struct {
	channels int
	rate     int
	top      float64 // the magnitude at which a sample is at full scale
	frames   int64

	of      []state
	square  []float64 // products of channels a, b at [a*channels+b], a <= b
	counted int64     // frames in square
	tiles   int64
	every   int64       // one tile of this many is multiplied
	same    []bool      // pairs that have been the same so far
	mirror  []bool      // pairs that have been inverted so far
	marks   [2][]uint64 // of each channel's block, as it is and inverted; only where channels are many
	windows *windows
	first   int             // so many channels are likely mixes
	ctx     context.Context // of Close
}

// state is what is known of one channel so far.
type state struct {
	Channel
	sum, sumSquare float64
	offset         float64 // sum of the samples in the multiplied tiles
	run            int64   // samples at full scale in a row
	stretch        float64 // sum of squares of the stretch under way
	stretchPeak    float64
	stretchFrames  int
	levels         [4 * -noiseBottom]int64 // histogram
	stretches      int64
	silent         int64
}

// New prepares a survey of a recording of the given shape. coding says what full scale is.
func New(channels, rate int, frames int64, coding audio.Coding) *Surveyor {
	top := 1.0
	if !coding.Float() {
		top -= math.Ldexp(1, 1-coding.Bits())
	}
	s := &Surveyor{
		channels: channels, rate: rate, top: top, of: make([]state, channels), every: 1,
		square: make([]float64, channels*channels), same: make([]bool, channels*channels), mirror: make([]bool, channels*channels),
		windows: newWindows(channels, rate, frames), first: 2,
	}
	for i := range s.same {
		s.same[i], s.mirror[i] = true, true
	}
	if channels > manyChannels {
		s.marks = [2][]uint64{make([]uint64, channels), make([]uint64, channels)}
	}
	// Many channels have very many pairs: then a part of the recording stands for the whole.
	if pairs := int64(channels) * int64(channels+1) / 2; pairs > 150 {
		s.every = pairs / 150
	}
	return s
}

// Likely says how many of the first channels are likely to be mixes: two where nothing else is said, as recorders put them
// there. It counts where what is a mix of which can't be told from the sound alone.
func (s *Surveyor) Likely(first int) { s.first = first }

// manyChannels is from where on pairs of channels are compared by marks of their blocks rather than sample by sample.
const manyChannels = 32

// seed is of all marks, which are compared within this process only.
var seed = maphash.MakeSeed()

// mark gives 64 bits that stand for a block of samples, and 64 for the same inverted. Zero has no sign here.
func mark(x []float64) (plain, inverted uint64) {
	h := maphash.Comparable(seed, len(x))
	plain, inverted = h, h
	for _, v := range x {
		plain = stir(plain, math.Float64bits(v+0))
		inverted = stir(inverted, math.Float64bits(0-v))
	}
	return plain, inverted
}

// stir mixes 64 bits into others, as xxHash does.
func stir(h, v uint64) uint64 {
	h ^= bits.RotateLeft64(v*0xC2B2AE3D27D4EB4F, 31) * 0x9E3779B185EBCA87
	return bits.RotateLeft64(h, 27)*0x9E3779B185EBCA87 + 0x85EBCA77C2B2AE63
}

// tile is how many frames are multiplied at once: all channels of a tile stay in near memory.
const tile = 2048

// Add takes the next frames into account: a slice of equal length a channel. Samples that are not
// numbers are set to 0 in place.
func (s *Surveyor) Add(block [][]float64) {
	s.each(s.channels, func(c int) {
		s.addLevel(&s.of[c], block[c])
		if s.marks[0] != nil {
			s.marks[0][c], s.marks[1][c] = mark(block[c])
		}
	})
	frames := len(block[0])
	s.frames += int64(frames)
	var chosen [][2]int
	for from := 0; from < frames; from += tile {
		if s.tiles%s.every == 0 {
			chosen = append(chosen, [2]int{from, min(from+tile, frames)})
		}
		s.tiles++
	}
	for _, t := range chosen {
		s.counted += int64(t[1] - t[0])
	}
	s.each(s.channels, func(a int) {
		row := s.square[a*s.channels : (a+1)*s.channels]
		for _, t := range chosen {
			x := block[a][t[0]:t[1]]
			for _, v := range x {
				s.of[a].offset += v
			}
			for b := a; b < s.channels; b++ {
				row[b] += dot(x, block[b][t[0]:t[1]])
			}
		}
		for b := a + 1; b < s.channels; b++ {
			i := a*s.channels + b
			if s.marks[0] != nil {
				s.same[i] = s.same[i] && s.marks[0][a] == s.marks[0][b]
				s.mirror[i] = s.mirror[i] && s.marks[0][a] == s.marks[1][b]
				continue
			}
			s.same[i] = s.same[i] && equal(block[a], block[b], 1)
			s.mirror[i] = s.mirror[i] && equal(block[a], block[b], -1)
		}
	})
	s.windows.add(block)
}

// each calls fn for every channel, on two processors.
func (s *Surveyor) each(n int, fn func(c int)) {
	if n == 1 {
		fn(0)
		return
	}
	// Odd and even: rows of pairs grow shorter as they go.
	half := func(first int) {
		for c := first; c < n; c += 2 {
			fn(c)
		}
	}
	safely.Both(func() { half(0) }, func() { half(1) })
}

func (s *Surveyor) addLevel(of *state, x []float64) {
	length := max(1, int(noiseSeconds*float64(s.rate)))
	for len(x) > 0 {
		n := min(len(x), length-of.stretchFrames)
		of.add(x[:n], s.top)
		of.stretchFrames += n
		if of.stretchFrames == length {
			of.endStretch()
		}
		x = x[n:]
	}
}

func (of *state) add(x []float64, top float64) {
	var sum, square, peak float64
	for i, v := range x {
		m := math.Abs(v)
		if !(m <= math.MaxFloat64) { // neither a number nor finite
			of.Invalid++
			x[i], v, m = 0, 0, 0
		}
		sum += v
		square += v * v
		peak = max(peak, m)
		if m >= top {
			of.Clipped++
			of.run++
			if of.run == clippedRun {
				of.ClippedRuns++
			}
		} else {
			of.run = 0
		}
	}
	of.sum += sum
	of.sumSquare += square
	of.stretch += square
	of.stretchPeak = max(of.stretchPeak, peak)
	of.Peak = max(of.Peak, peak)
}

func (of *state) endStretch() {
	if of.stretchFrames == 0 {
		return
	}
	of.stretches++
	db := 10 * math.Log10(of.stretch/float64(of.stretchFrames))
	i := int((db - noiseBottom) / noiseStep) // -Inf dB gives the least integer
	of.levels[min(max(i, 0), len(of.levels)-1)]++
	if of.stretchPeak < audio.Gain(audio.SilenceDB) {
		of.silent++
	}
	of.stretch, of.stretchPeak, of.stretchFrames = 0, 0, 0
}

func (of *state) channel(frames int64) Channel {
	if of.stretches == 0 || of.stretchFrames > 0 && of.stretches < 10 {
		of.endStretch() // a short recording is judged by what there is
	}
	c := of.Channel
	if frames > 0 {
		c.RMS = math.Sqrt(of.sumSquare / float64(frames))
		c.DC = of.sum / float64(frames)
	}
	if of.stretches > 0 {
		c.Silence = float64(of.silent) / float64(of.stretches)
		tenth := max(1, (of.stretches+9)/10)
		for i, n := range of.levels {
			if tenth -= n; tenth <= 0 {
				if i > 0 {
					c.NoiseFloor = audio.Gain(noiseBottom + (float64(i)+0.5)*noiseStep)
				}
				break
			}
		}
	}
	return c
}

// Close ends the survey. It is broken off when ctx ends.
func (s *Surveyor) Close(ctx context.Context) (Findings, error) {
	s.ctx = ctx
	var f Findings
	for c := range s.of {
		f.Channels = append(f.Channels, s.of[c].channel(s.frames))
	}
	f.Relations = s.relations(f.Channels)
	return f, ctx.Err()
}

// over reports whether nobody waits for the answer any more.
func (s *Surveyor) over() bool { return s.ctx.Err() != nil }

// dot is the sum of products, in lanes that the processor can work on at once.
func dot(x, y []float64) float64 {
	y = y[:len(x)]
	var a, b, c, d float64
	for len(x) >= 4 {
		a += x[0] * y[0]
		b += x[1] * y[1]
		c += x[2] * y[2]
		d += x[3] * y[3]
		x, y = x[4:], y[4:]
	}
	for i := range x {
		a += x[i] * y[i]
	}
	return (a + b) + (c + d)
}

func equal(x, y []float64, sign float64) bool {
	y = y[:len(x)]
	for i, v := range x {
		if v != sign*y[i] {
			return false
		}
	}
	return true
}
