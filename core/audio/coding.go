// Package audio holds what every part of the core says about sound: how a sample is coded in a
// file, how channels are ordered in a layout, and how levels are expressed in decibels.
//
// Inside the core, interleaved samples in bytes are always little-endian in one of the codings
// below, whatever the container; readers of big-endian files swap on the way in. That keeps one
// set of loops for levels, splitting, joining and comparing, and keeps all of them exact.
package audio

import "fmt"

// Coding is how one sample is stored: its number format and the size of its container.
type Coding uint8

// The codings that sound files use. Integer codings of other word lengths (20 bits in 24, 24 in
// 32) are stored left-justified in the next larger one, as the containers do themselves.
const (
	Unknown Coding = iota
	U8             // unsigned 8-bit, 128 is zero
	S16            // signed 16-bit
	S24            // signed 24-bit in three bytes
	S32            // signed 32-bit
	F32            // IEEE 754 single, full scale at ±1
	F64            // IEEE 754 double, full scale at ±1
)

var codingNames = [...]string{"unknown", "u8", "s16", "s24", "s32", "f32", "f64"}

// String returns the short name used in reports: u8, s16, s24, s32, f32 or f64.
func (c Coding) String() string {
	if int(c) < len(codingNames) {
		return codingNames[c]
	}
	return codingNames[0]
}

// ParseCoding is the inverse of String.
func ParseCoding(s string) (Coding, error) {
	for i, n := range codingNames[1:] {
		if n == s {
			return Coding(i + 1), nil
		}
	}
	return Unknown, fmt.Errorf("unknown sample coding %q: expected one of u8, s16, s24, s32, f32, f64", s)
}

// Bytes is the size of one sample in its container.
func (c Coding) Bytes() int {
	switch c {
	case U8:
		return 1
	case S16:
		return 2
	case S24:
		return 3
	case S32, F32:
		return 4
	case F64:
		return 8
	}
	return 0
}

// Float reports whether samples are floating point.
func (c Coding) Float() bool { return c == F32 || c == F64 }

// Bits is the size of the container in bits.
func (c Coding) Bits() int { return c.Bytes() * 8 }
