package audio

import (
	"encoding/binary"
	"math"
)

// SilenceDB is the peak under which a channel counts as silent, in dB relative to full scale.
const SilenceDB = -80.0

// Gain converts decibels to a linear factor. 0 dB is exactly 1 and -Inf dB is 0.
func Gain(db float64) float64 {
	switch {
	case db == 0:
		return 1
	case math.IsInf(db, -1):
		return 0
	}
	return math.Pow(10, db/20)
}

// Decibels converts a linear amplitude to dB; 0 gives -Inf.
func Decibels(linear float64) float64 { return 20 * math.Log10(math.Abs(linear)) }

// Level gathers the level of one channel.
type Level struct {
	Peak    float64 // greatest magnitude, full scale 1
	Sum     float64 // sum of squares
	Frames  int64
	Invalid int64 // samples that are not numbers or infinite; left out of the rest
}

// PeakDB is the sample peak in dBFS, -Inf when there is nothing but zeros.
func (l Level) PeakDB() float64 { return Decibels(l.Peak) }

// RMSDB is the root mean square in dB relative to full scale, a full-scale square wave being 0.
// It is -Inf when there is nothing but zeros.
func (l Level) RMSDB() float64 {
	if l.Frames == 0 || l.Sum == 0 {
		return math.Inf(-1)
	}
	return 10 * math.Log10(l.Sum/float64(l.Frames))
}

// Silent reports whether the peak is under SilenceDB.
func (l Level) Silent() bool { return l.PeakDB() < SilenceDB }

// Add takes samples into account.
func (l *Level) Add(samples []float64) {
	l.Frames += int64(len(samples))
	for _, v := range samples {
		if v != v || v > math.MaxFloat64 || v < -math.MaxFloat64 {
			l.Invalid++
			continue
		}
		l.Sum += v * v
		l.Peak = max(l.Peak, math.Abs(v))
	}
}

// Merge takes the samples of another level of the same channel into account.
func (l *Level) Merge(o Level) {
	l.Peak = max(l.Peak, o.Peak)
	l.Sum += o.Sum
	l.Frames += o.Frames
	l.Invalid += o.Invalid
}

// AddLevels takes interleaved frames into account: levels[c] for channel c. It is the fast path
// for analysis; integer samples are summed as integers and scaled once a call.
//
// Frames are taken in runs that stay in the processor's nearest memory for all channels.
func AddLevels(levels []Level, raw []byte, coding Coding) {
	const run = 24 << 10 // bytes
	stride := coding.Bytes() * len(levels)
	for step := max(1, run/stride) * stride; len(raw) > step; raw = raw[step:] {
		addLevels(levels, raw[:step], coding)
	}
	addLevels(levels, raw, coding)
}

func addLevels(levels []Level, raw []byte, coding Coding) {
	channels := len(levels)
	size := coding.Bytes()
	stride := size * channels
	n := len(raw) / stride
	for c := range levels {
		l := &levels[c]
		p := c * size
		switch coding {
		case S16:
			var lo, hi int32
			var sum uint64 // up to 2^30 a sample: there is room
			for range n {
				v := int32(int16(binary.LittleEndian.Uint16(raw[p:])))
				lo, hi = min(lo, v), max(hi, v)
				sum += uint64(int64(v) * int64(v))
				p += stride
			}
			l.addInts(lo, hi, float64(sum)*scale16*scale16, scale16)
		case S24:
			lo, hi, sum := sumS24(raw, p, stride, n)
			l.addInts(lo, hi, sum*scale24*scale24, scale24)
		default:
			var buf [512]float64
			for from := 0; from < n; from += len(buf) {
				to := min(from+len(buf), n)
				k := DecodeChannel(buf[:], raw[from*stride:to*stride], coding, channels, c)
				l.Add(buf[:k])
			}
			continue // Add has counted the frames
		}
		l.Frames += int64(n)
	}
}

func (l *Level) addInts(lo, hi int32, sum, scale float64) {
	l.Sum += sum
	l.Peak = max(l.Peak, -float64(lo)*scale, float64(hi)*scale)
}

// sumS24 returns the least and greatest of n 24-bit samples and the sum of their squares. Each is
// read by one load of the four bytes that end with it.
func sumS24(raw []byte, p, stride, n int) (lo, hi int32, total float64) {
	if n == 0 {
		return 0, 0, 0
	}
	if p == 0 { // nothing stands before the first
		v := int24(raw[:3])
		lo, hi, total = min(0, v), max(0, v), float64(int64(v)*int64(v))
		if n == 1 {
			return lo, hi, total
		}
		p, n = p+stride, n-1
	}
	var sum uint64 // up to 2^46 a sample: room for more than a run holds
	part := raw[max(0, p-1):]
	for at := 0; n > 0; n-- {
		v := int32(binary.LittleEndian.Uint32(part[at:at+4:at+4])) >> 8
		lo, hi = min(lo, v), max(hi, v)
		sum += uint64(int64(v) * int64(v))
		at += stride
	}
	total += float64(sum)
	return lo, hi, total
}
