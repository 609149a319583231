package audio

import (
	"encoding/binary"
	"math"
	"slices"

	"zestyloom/core/safely"
)

// Encoder turns planar blocks into interleaved bytes of one coding.
//
// Values on the grid of the coding are written exactly. Others are rounded to the nearest step,
// or, with Dither, have triangular noise of ±1 step added first. Dither touches only values that
// are off the grid: sound that needs no shortening is never altered. The noise is a function of
// Seed, channel and frame number, so that the same input gives the same bytes however it is
// divided into blocks.
type Encoder struct {
	Coding Coding
	Dither bool
	Seed   uint64
	// Clipped counts, per channel, the samples that were beyond full scale and were held there.
	// Floating-point codings never clip.
	Clipped []int64
}

// Encode appends the frames of b, which start at the given frame number, to dst.
func (e *Encoder) Encode(dst []byte, b Block, frame int64) []byte {
	if len(e.Clipped) < len(b) {
		e.Clipped = append(e.Clipped, make([]int64, len(b)-len(e.Clipped))...)
	}
	n, size, stride := b.Frames(), e.Coding.Bytes(), e.Coding.Bytes()*len(b)
	start := len(dst)
	dst = slices.Grow(dst, n*stride)[:start+n*stride] // every byte of it is written
	out := dst[start:]
	// So many frames at a time as stay in the processor's nearest memory for all channels; and many channels on several
	// cores, each of which has channels of its own.
	const near = 16 << 10 // bytes
	step := max(16, near/stride)
	some := func(first, last int) {
		for from := 0; from < n; from += step {
			to := min(n, from+step)
			for c := first; c < last; c++ {
				e.channel(out[from*stride+c*size:], b[c][from:to], c, stride, frame+int64(from))
			}
		}
	}
	if len(b) < wide || n < step {
		some(0, len(b))
		return dst
	}
	half := len(b) / 2
	safely.Both(func() { some(0, half) }, func() { some(half, len(b)) })
	return dst
}

// wide is from how many channels on it pays to encode them on two cores.
const wide = 24

// channel encodes samples of one channel, a stride apart.
func (e *Encoder) channel(out []byte, samples []float64, c, stride int, frame int64) {
	switch e.Coding {
	case F32:
		for i, v := range samples {
			binary.LittleEndian.PutUint32(out[i*stride:], math.Float32bits(float32(v)))
		}
	case F64:
		for i, v := range samples {
			binary.LittleEndian.PutUint64(out[i*stride:], math.Float64bits(v))
		}
	case S24:
		if !e.Dither {
			e.round24(out, samples, c, stride)
			return
		}
		fallthrough
	default:
		for i, v := range samples {
			putInt(out[i*stride:], e.Coding, e.quantise(v, c, frame+int64(i)))
		}
	}
}

// round24 is quantise and putInt for the commonest coding, without dither.
func (e *Encoder) round24(out []byte, samples []float64, channel, stride int) {
	const full = 1 << 23
	for i, v := range samples {
		s := math.RoundToEven(v * full)
		if s > full-1 || s < -full {
			e.Clipped[channel]++
			s = max(-full, min(full-1, s))
		}
		q := int64(s)
		o := out[i*stride : i*stride+3 : i*stride+3]
		o[0], o[1], o[2] = byte(q), byte(q>>8), byte(q>>16)
	}
}

func putInt(b []byte, c Coding, q int64) {
	switch c {
	case U8:
		b[0] = byte(q + 128)
	case S16:
		binary.LittleEndian.PutUint16(b, uint16(q))
	case S24:
		b[0], b[1], b[2] = byte(q), byte(q>>8), byte(q>>16)
	case S32:
		binary.LittleEndian.PutUint32(b, uint32(q))
	}
}

// quantise returns v in steps of the coding, held to its range.
func (e *Encoder) quantise(v float64, channel int, frame int64) int64 {
	full := float64(int64(1) << (e.Coding.Bits() - 1))
	s := v * full
	if r := math.RoundToEven(s); r != s {
		if e.Dither {
			s += tpdf(e.Seed, channel, frame)
		}
		s = math.RoundToEven(s)
	}
	if s > full-1 || s < -full {
		e.Clipped[channel]++
		s = max(-full, min(full-1, s))
	}
	return int64(s)
}

// tpdf is triangular noise in (-1, 1), a function of its arguments alone.
func tpdf(seed uint64, channel int, frame int64) float64 {
	h := mix(seed ^ uint64(channel)*0x9E3779B97F4A7C15 ^ uint64(frame)*0xD1B54A32D192ED03)
	const unit = 1.0 / (1 << 32)
	return float64(uint32(h))*unit - float64(uint32(h>>32))*unit
}

// mix is the finaliser of the public-domain splitmix64 generator.
func mix(z uint64) uint64 {
	z += 0x9E3779B97F4A7C15
	z = (z ^ z>>30) * 0xBF58476D1CE4E5B9
	z = (z ^ z>>27) * 0x94D049BB133111EB
	return z ^ z>>31
}
