package loudness

import (
	"math"

	"zestyloom/core/audio"
)

// ChunkSeconds is how long the stretches are in which a long sound is measured, so that after a change only those are
// measured anew that it touches.
const ChunkSeconds = 10

// Before a chunk so much is heard that the filters and the programme meters are where they would be, and after it so much
// that peaks at its end are known: in seconds, and in samples.
const (
	ChunkBefore = 3
	ChunkAfter  = 64
)

// Chunk is what was measured of a stretch. It does not change once it is made.
type Chunk struct {
	Frames   int64
	Powers   Powers
	Peaks    []float32 // true peaks of the tenths of a second, full scale 1
	Channels []ChunkChannel
	Pair     *[6]float64 // the sums of a pair, as pair has them
}

// ChunkChannel is one channel of a chunk.
type ChunkChannel struct {
	True, Sample, Quasi, Sum float64
	TrueAt                   int64 // from the beginning of the chunk
	Invalid                  int64
}

// Mark begins a chunk: what was added before is forgotten, but for the state of filters and meters.
func (m *Meter) Mark() {
	m.frames, m.powers, m.peaks = 0, nil, nil
	if m.decoded != nil {
		m.decoded.meter.Mark()
	}
	for _, c := range m.channels {
		c.levels.Mark()
		c.sum, c.peak = 0, 0
	}
	if m.pair != nil {
		*m.pair = pair{left: m.pair.left, right: m.pair.right}
	}
}

// Chunk ends a chunk. after is the sound that follows, of which ChunkAfter frames are enough.
func (m *Meter) Chunk(after audio.Block) Chunk {
	c := Chunk{Frames: m.frames, Powers: m.powers}
	for i, ch := range m.channels {
		p := ch.levels
		v := ChunkChannel{Sample: p.Sample, Sum: p.Sum, Invalid: p.Invalid}
		tail := max(ch.peak, p.Add(after[i], m.floor))
		if n := len(m.peaks); n > 0 {
			m.peaks[n-1] = max(m.peaks[n-1], tail)
		}
		v.True, v.TrueAt, v.Quasi = p.True, max(0, min(m.frames, p.TrueAt)), p.Quasi
		c.Channels = append(c.Channels, v)
	}
	for _, v := range m.peaks {
		c.Peaks = append(c.Peaks, float32(v))
	}
	if p := m.pair; p != nil {
		c.Pair = &[6]float64{p.ll, p.rr, p.lr, p.kll, p.krr, p.klr}
	}
	return c
}

// Join is the result of chunks that follow each other, of a sound of a layout and a rate.
func Join(l audio.Layout, rate int, chunks []Chunk) (Result, Powers, []float32) {
	m := &Meter{layout: l, rate: rate}
	r := Result{Layout: l.Name, Rate: rate, TruePeak: Place{Value: math.Inf(-1)}}
	channels := make([]Channel, l.Count)
	for c := range channels {
		channels[c] = Channel{Name: l.Channel(c), TruePeak: math.Inf(-1), SamplePeak: math.Inf(-1), Quasi: math.Inf(-1)}
	}
	var peaks []float32
	var sums pair
	paired := false
	for _, k := range chunks {
		for c, v := range k.Channels {
			to := &channels[c]
			if db := audio.Decibels(v.True); db > to.TruePeak {
				to.TruePeak, to.TrueAt = db, r.Frames+v.TrueAt
			}
			to.SamplePeak, to.Quasi = max(to.SamplePeak, audio.Decibels(v.Sample)), max(to.Quasi, audio.Decibels(v.Quasi))
			to.DC += v.Sum
			to.Invalid += v.Invalid
		}
		if p := k.Pair; p != nil {
			paired = true
			sums.ll, sums.rr, sums.lr = sums.ll+p[0], sums.rr+p[1], sums.lr+p[2]
			sums.kll, sums.krr, sums.klr = sums.kll+p[3], sums.krr+p[4], sums.klr+p[5]
		}
		m.powers = append(m.powers, k.Powers...)
		peaks = append(peaks, k.Peaks...)
		r.Frames += k.Frames
	}
	m.frames = r.Frames
	m.loudness(&r)
	for _, c := range channels {
		if r.Frames > 0 {
			c.DC /= float64(r.Frames)
		}
		if c.TruePeak > r.TruePeak.Value {
			r.TruePeak = Place{c.TruePeak, c.TrueAt}
		}
		r.Channels = append(r.Channels, c)
	}
	if paired {
		r.pair(&sums)
	}
	return r, m.powers, peaks
}
