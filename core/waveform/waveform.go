// Package waveform makes and reads summaries of sound files: the least and the greatest sample of
// every run of frames, at several resolutions, so that a waveform of any length is drawn from a
// few kilobytes.
//
// A summary is a file: the magic "ZLWF", a version byte and three zero bytes, then u32 channels,
// u64 frames, and for each of the resolutions in Steps, finest first, its buckets: for each bucket
// and each channel, two little-endian i16, least and greatest, in steps of 1/16384 of full scale,
// rounded outwards, so that no peak is ever understated up to +6 dBFS, where they are held.
package waveform

import (
	"bufio"
	"encoding/binary"
	"fmt"
	"io"
	"math"
)

// Steps are the frames a bucket, finest first. Each divides the next.
var Steps = [...]int64{256, 4096, 65536}

// Scale is the value of full scale in a summary.
const Scale = 16384

const (
	magic      = "ZLWF\x01\x00\x00\x00"
	headerSize = 8 + 4 + 8
)

var le = binary.LittleEndian

func buckets(frames, step int64) int64 { return (frames + step - 1) / step }

// levelOffset is where the buckets of Steps[level] begin.
func levelOffset(level int, frames int64, channels int) int64 {
	off := int64(headerSize)
	for _, step := range Steps[:level] {
		off += buckets(frames, step) * int64(channels) * 4
	}
	return off
}

// Pair is the least and greatest sample of a run, in steps of 1/Scale.
type Pair struct{ Min, Max int16 }

// Builder writes a summary while sound streams past.
type Builder struct {
	channels int
	frames   int64
	levels   [len(Steps)]*levelWriter
	at       int64 // frames seen
}

type levelWriter struct {
	w    *bufio.Writer
	step int64
	cur  []extent
	buf  []byte
}

type extent struct{ lo, hi float64 }

// NewBuilder begins the summary of a file of the given width and length.
func NewBuilder(w io.WriterAt, channels int, frames int64) (*Builder, error) {
	b := &Builder{channels: channels, frames: frames}
	head := append([]byte(magic), make([]byte, 12)...)
	le.PutUint32(head[8:], uint32(channels))
	le.PutUint64(head[12:], uint64(frames))
	if _, err := w.WriteAt(head, 0); err != nil {
		return nil, err
	}
	for i, step := range Steps {
		at := io.NewOffsetWriter(w, levelOffset(i, frames, channels))
		b.levels[i] = &levelWriter{w: bufio.NewWriterSize(at, 1<<15), step: step, cur: make([]extent, channels), buf: make([]byte, 4*channels)}
		b.levels[i].reset()
	}
	return b, nil
}

func (l *levelWriter) reset() {
	for c := range l.cur {
		l.cur[c] = extent{math.Inf(1), math.Inf(-1)}
	}
}

func (l *levelWriter) flush() error {
	for c, e := range l.cur {
		le.PutUint16(l.buf[4*c:], uint16(hold(math.Floor(e.lo*Scale))))
		le.PutUint16(l.buf[4*c+2:], uint16(hold(math.Ceil(e.hi*Scale))))
	}
	l.reset()
	_, err := l.w.Write(l.buf)
	return err
}

func hold(v float64) int16 { return int16(max(math.MinInt16, min(math.MaxInt16, v))) }

// Add takes one planar block of every channel into account. Samples that are not numbers count as
// silence.
func (b *Builder) Add(planar [][]float64) error {
	if len(planar) != b.channels {
		return fmt.Errorf("waveform: %d channels given to a summary of %d", len(planar), b.channels)
	}
	n := int64(len(planar[0]))
	for done := int64(0); done < n; {
		step := Steps[0]
		take := min(step-b.at%step, n-done)
		for c := range planar {
			e := &b.levels[0].cur[c]
			lo, hi := e.lo, e.hi
			for _, v := range planar[c][done : done+take] {
				if v != v {
					v = 0
				}
				lo, hi = min(lo, v), max(hi, v)
			}
			e.lo, e.hi = lo, hi
		}
		done += take
		b.at += take
		if b.at%step == 0 || b.at == b.frames {
			if err := b.carry(); err != nil {
				return err
			}
		}
	}
	return nil
}

// carry ends a bucket of the finest level and every coarser one that ends with it.
func (b *Builder) carry() error {
	for i, l := range b.levels {
		if i+1 < len(b.levels) {
			up := b.levels[i+1]
			for c, e := range l.cur {
				up.cur[c] = extent{min(up.cur[c].lo, e.lo), max(up.cur[c].hi, e.hi)}
			}
		}
		if err := l.flush(); err != nil {
			return err
		}
		if i+1 < len(b.levels) && b.at%b.levels[i+1].step != 0 && b.at != b.frames {
			break
		}
	}
	return nil
}

// Close writes what is buffered. It is an error when fewer frames came than were announced.
func (b *Builder) Close() error {
	if b.at != b.frames {
		return fmt.Errorf("waveform: %d of %d frames came", b.at, b.frames)
	}
	for _, l := range b.levels {
		if err := l.w.Flush(); err != nil {
			return err
		}
	}
	return nil
}

// Summary reads a summary file.
type Summary struct {
	r        io.ReaderAt
	Channels int
	Frames   int64
}

// Open reads the header of a summary.
func Open(r io.ReaderAt) (*Summary, error) {
	var head [headerSize]byte
	if _, err := r.ReadAt(head[:], 0); err != nil || string(head[:8]) != magic {
		return nil, fmt.Errorf("waveform: this is not a waveform summary")
	}
	return &Summary{r, int(le.Uint32(head[8:])), int64(le.Uint64(head[12:]))}, nil
}

// Level is the coarsest resolution with at most span frames a bucket; ok is false when even the
// finest is too coarse and samples must be read.
func Level(span int64) (level int, ok bool) {
	for i := len(Steps) - 1; i >= 0; i-- {
		if Steps[i] <= span {
			return i, true
		}
	}
	return 0, false
}

// Read returns buckets [from, to) of one channel (from 0) at a level, as far as they exist.
func (s *Summary) Read(level, channel int, from, to int64) ([]Pair, error) {
	to = min(to, buckets(s.Frames, Steps[level]))
	if from < 0 || from >= to || channel < 0 || channel >= s.Channels {
		return nil, nil
	}
	out := make([]Pair, 0, to-from)
	stride := int64(s.Channels) * 4
	const chunk = 4096 // buckets read at a time
	buf := make([]byte, min(chunk, to-from)*stride)
	for at := from; at < to; at += chunk {
		part := buf[:min(chunk, to-at)*stride]
		if _, err := s.r.ReadAt(part, levelOffset(level, s.Frames, s.Channels)+at*stride); err != nil {
			return nil, fmt.Errorf("waveform: the summary is damaged: %w", err)
		}
		for p := int64(channel) * 4; p < int64(len(part)); p += stride {
			out = append(out, Pair{int16(le.Uint16(part[p:])), int16(le.Uint16(part[p+2:]))})
		}
	}
	return out, nil
}

// Spread draws frames [from, to) of one channel in n columns: the extent of the sound in each.
// Columns beyond the file are {0, 0}. samples reads single samples for spans finer than the
// summary; it fills as much of its buffer as exists.
func (s *Summary) Spread(channel int, from, to int64, n int, samples func(dst []float64, frame int64) (int, error)) ([]Pair, error) {
	out := make([]Pair, n)
	span := (to - from) / int64(n)
	level, ok := Level(span)
	if ok {
		step := Steps[level]
		first := max(0, from) / step
		got, err := s.Read(level, channel, first, to/step+1)
		if err != nil {
			return nil, err
		}
		for i := range out {
			a := max(0, from+(to-from)*int64(i)/int64(n))/step - first
			end := from + (to-from)*int64(i+1)/int64(n)
			if end <= 0 {
				continue // before the sound
			}
			out[i] = join(got, a, (end-1)/step-first+1)
		}
		return out, nil
	}
	buf := make([]float64, min(to, s.Frames)-max(from, 0)+1)
	got, err := samples(buf, max(from, 0))
	if err != nil {
		return nil, err
	}
	fine := make([]Pair, got)
	for i, v := range buf[:got] {
		fine[i] = Pair{hold(math.Floor(v * Scale)), hold(math.Ceil(v * Scale))}
	}
	for i := range out {
		a := from + (to-from)*int64(i)/int64(n) - max(from, 0)
		b := from + (to-from)*int64(i+1)/int64(n) - max(from, 0)
		out[i] = join(fine, a, max(b, a+1))
	}
	return out, nil
}

func join(ps []Pair, a, b int64) Pair {
	a, b = max(a, 0), min(b, int64(len(ps)))
	if a >= b {
		return Pair{}
	}
	p := ps[a]
	for _, q := range ps[a+1 : b] {
		p = Pair{min(p.Min, q.Min), max(p.Max, q.Max)}
	}
	return p
}
