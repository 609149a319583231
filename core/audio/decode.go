package audio

import (
	"encoding/binary"
	"math"
)

// Block is planar sound: one slice of equal length a channel, full scale at ±1.
// Every integer coding up to 32 bits is represented exactly.
type Block [][]float64

// NewBlock makes a block of silent channels.
func NewBlock(channels, frames int) Block {
	b := make(Block, channels)
	backing := make([]float64, channels*frames)
	for c := range b {
		b[c] = backing[c*frames : (c+1)*frames : (c+1)*frames]
	}
	return b
}

// Frames is the number of frames in the block.
func (b Block) Frames() int {
	if len(b) == 0 {
		return 0
	}
	return len(b[0])
}

// Scale factors from integers to full scale ±1. All are powers of two, so scaling is exact.
const (
	scale8  = 1.0 / (1 << 7)
	scale16 = 1.0 / (1 << 15)
	scale24 = 1.0 / (1 << 23)
	scale32 = 1.0 / (1 << 31)
)

// DecodeChannel converts one channel of interleaved frames in raw to dst, exactly.
// channel counts from 0; dst must hold at least len(raw)/(channels*coding.Bytes()) samples.
// It returns the number of samples written.
func DecodeChannel(dst []float64, raw []byte, coding Coding, channels, channel int) int {
	size := coding.Bytes()
	stride := size * channels
	n := len(raw) / stride
	p := channel * size
	switch coding {
	case U8:
		for i := range n {
			dst[i] = float64(int(raw[p])-128) * scale8
			p += stride
		}
	case S16:
		for i := range n {
			dst[i] = float64(int16(binary.LittleEndian.Uint16(raw[p:]))) * scale16
			p += stride
		}
	case S24:
		// Four bytes at a time, of which the last is the next sample's; there is none after the last.
		dst := dst[:n]
		for i := range max(0, n-1) {
			b := raw[p : p+4 : p+4]
			dst[i] = float64(int32(binary.LittleEndian.Uint32(b)<<8)>>8) * scale24
			p += stride
		}
		if n > 0 {
			dst[n-1] = float64(int24(raw[p:])) * scale24
		}
	case S32:
		for i := range n {
			dst[i] = float64(int32(binary.LittleEndian.Uint32(raw[p:]))) * scale32
			p += stride
		}
	case F32:
		for i := range n {
			dst[i] = float64(math.Float32frombits(binary.LittleEndian.Uint32(raw[p:])))
			p += stride
		}
	case F64:
		for i := range n {
			dst[i] = math.Float64frombits(binary.LittleEndian.Uint64(raw[p:]))
			p += stride
		}
	}
	return n
}

func int24(b []byte) int32 {
	_ = b[2]
	return int32(uint32(b[0])<<8|uint32(b[1])<<16|uint32(b[2])<<24) >> 8
}

// SwapBytes reverses the byte order of every sample in raw, in place.
func SwapBytes(raw []byte, coding Coding) {
	switch coding.Bytes() {
	case 2:
		for i := 0; i+1 < len(raw); i += 2 {
			raw[i], raw[i+1] = raw[i+1], raw[i]
		}
	case 3:
		for i := 0; i+2 < len(raw); i += 3 {
			raw[i], raw[i+2] = raw[i+2], raw[i]
		}
	case 4:
		for i := 0; i+3 < len(raw); i += 4 {
			binary.LittleEndian.PutUint32(raw[i:], binary.BigEndian.Uint32(raw[i:]))
		}
	case 8:
		for i := 0; i+7 < len(raw); i += 8 {
			binary.LittleEndian.PutUint64(raw[i:], binary.BigEndian.Uint64(raw[i:]))
		}
	}
}

// Invalid finds the first sample that is not a number, or is infinite: its channel and frame; -1 where there is none.
func (b Block) Invalid() (channel, frame int) {
	channel, frame = -1, -1
	for c, x := range b {
		for i, v := range x {
			if v-v != 0 {
				if frame < 0 || i < frame {
					channel, frame = c, i
				}
				break
			}
		}
	}
	return channel, frame
}
