package picture

import (
	"bytes"
	"encoding/binary"
	"io"

	"zestyloom/core/source"
	"zestyloom/core/timecode"
)

// Keys of the sets that an MXF header has for timecode (SMPTE ST 377-1 annexes B.15 and B.17), and local tags of
// their properties.
var (
	mxfTimecodeComponent = []byte{0x06, 0x0E, 0x2B, 0x34, 0x02, 0x53, 0x01, 0x01, 0x0D, 0x01, 0x01, 0x01, 0x01, 0x01, 0x14, 0x00}
	mxfTimelineTrack     = []byte{0x06, 0x0E, 0x2B, 0x34, 0x02, 0x53, 0x01, 0x01, 0x0D, 0x01, 0x01, 0x01, 0x01, 0x01, 0x3B, 0x00}
)

const (
	mxfStartTimecode = 0x1501
	mxfTimecodeBase  = 0x1502
	mxfDropFrame     = 0x1503
	mxfEditRate      = 0x4B01
	maxMXFHeader     = 4 << 20
)

// mxfRate reads from the header of an MXF file at what rate its timecode counts: the rounded base of its first
// timecode component and the edit rate of the tracks that fits it. ffprobe gives the timecode without
// saying so, and an OP-Atom file of sound has no picture to ask.
func mxfRate(path string) (timecode.Rate, bool) {
	f, err := source.OpenFile(path)
	if err != nil {
		return timecode.Rate{}, false
	}
	defer f.Close()
	head, err := io.ReadAll(io.LimitReader(f, maxMXFHeader))
	if err != nil {
		return timecode.Rate{}, false
	}
	be := binary.BigEndian
	var base uint16
	drop := false
	eachSet(head, mxfTimecodeComponent, func(tag uint16, v []byte) {
		switch {
		case tag == mxfTimecodeBase && len(v) == 2 && base == 0:
			base = be.Uint16(v)
		case tag == mxfDropFrame && len(v) == 1:
			drop = drop || v[0] != 0
		}
	})
	if base == 0 {
		return timecode.Rate{}, false
	}
	rate := timecode.Rate{Num: int64(base), Den: 1}
	if drop {
		rate = timecode.Rate{Num: int64(base) * 1000, Den: 1001, Drop: true}
	}
	eachSet(head, mxfTimelineTrack, func(tag uint16, v []byte) {
		if tag != mxfEditRate || len(v) != 8 {
			return
		}
		num, den := int64(be.Uint32(v)), int64(be.Uint32(v[4:]))
		if den > 0 && (num+den/2)/den == int64(base) {
			rate.Num, rate.Den = num, den
		}
	})
	return rate, true
}

// mxfStart is the number of the first frame by the first timecode component.
func mxfStart(path string) (frame int64, ok bool) {
	f, err := source.OpenFile(path)
	if err != nil {
		return 0, false
	}
	defer f.Close()
	head, err := io.ReadAll(io.LimitReader(f, maxMXFHeader))
	if err != nil {
		return 0, false
	}
	eachSet(head, mxfTimecodeComponent, func(tag uint16, v []byte) {
		if tag == mxfStartTimecode && len(v) == 8 && !ok {
			frame, ok = int64(binary.BigEndian.Uint64(v)), true
		}
	})
	return frame, ok
}

// eachSet calls fn with the properties of every local set of a key.
func eachSet(b, key []byte, fn func(tag uint16, v []byte)) {
	for {
		i := bytes.Index(b, key)
		if i < 0 {
			return
		}
		b = b[i+len(key):]
		n, rest, ok := berLength(b)
		if !ok || n > int64(len(rest)) {
			continue
		}
		for set := rest[:n]; len(set) >= 4; {
			tag, size := binary.BigEndian.Uint16(set), int(binary.BigEndian.Uint16(set[2:]))
			if size > len(set)-4 {
				break
			}
			fn(tag, set[4:4+size])
			set = set[4+size:]
		}
	}
}

// berLength reads a length as SMPTE ST 336 writes it: a byte under 128, or a count of bytes that follow.
func berLength(b []byte) (n int64, rest []byte, ok bool) {
	if len(b) == 0 {
		return 0, nil, false
	}
	if b[0] < 0x80 {
		return int64(b[0]), b[1:], true
	}
	k := int(b[0] & 0x7F)
	if k > 7 || len(b) < 1+k {
		return 0, nil, false
	}
	for _, c := range b[1 : 1+k] {
		n = n<<8 | int64(c)
	}
	return n, b[1+k:], true
}
