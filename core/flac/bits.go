package flac

import (
	"bufio"
	"io"
	"math/bits"
)

// bitReader reads bits, most significant first. It takes bytes one at a time, so that at a byte's
// edge nothing has been read ahead, and keeps the CRC-16 of what it took.
type bitReader struct {
	r    *bufio.Reader
	acc  uint64 // the low n bits are still to be read
	n    uint
	crc  uint16
	read int64 // bytes taken
	err  error
}

func (b *bitReader) reset(r io.Reader) {
	if b.r == nil {
		b.r = bufio.NewReaderSize(r, 1<<16)
	} else {
		b.r.Reset(r)
	}
	b.acc, b.n, b.crc, b.read, b.err = 0, 0, 0, 0, nil
}

func (b *bitReader) fill(n uint) {
	for b.n < n {
		c, err := b.r.ReadByte()
		if err != nil {
			if b.err == nil {
				b.err = err
			}
			c = 0
		} else {
			b.read++
		}
		b.crc = b.crc<<8 ^ crc16[byte(b.crc>>8)^c]
		b.acc = b.acc<<8 | uint64(c)
		b.n += 8
	}
}

// bits reads up to 56 bits.
func (b *bitReader) bits(n uint) uint64 {
	b.fill(n)
	b.n -= n
	return b.acc >> b.n & (1<<n - 1)
}

// signed reads a two's complement number of n bits.
func (b *bitReader) signed(n uint) int64 {
	return int64(b.bits(n)<<(64-n)) >> (64 - n)
}

// unary counts zeros up to a one.
func (b *bitReader) unary() uint64 {
	var zeros uint64
	for b.err == nil {
		if b.n == 0 {
			b.fill(8)
		}
		left := b.acc & (1<<b.n - 1)
		if left != 0 {
			lead := b.n - uint(bits.Len64(left))
			b.n -= lead + 1
			return zeros + uint64(lead)
		}
		zeros += uint64(b.n)
		b.n = 0
	}
	return zeros
}

// align drops the bits left of a byte.
func (b *bitReader) align() { b.n -= b.n % 8 }

// crc16 is the table of the polynomial x^16 + x^15 + x^2 + 1, crc8 that of x^8 + x^2 + x + 1.
var (
	crc16 [256]uint16
	crc8  [256]byte
)

func init() {
	for i := range crc16 {
		c, d := uint16(i)<<8, byte(i)
		for range 8 {
			c = c<<1 ^ (c>>15)*0x8005
			d = d<<1 ^ (d>>7)*0x07
		}
		crc16[i], crc8[i] = c, d
	}
}

func sum8(p []byte) (c byte) {
	for _, b := range p {
		c = crc8[c^b]
	}
	return c
}
