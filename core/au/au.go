// Package au reads AU sound files: a big-endian header of 24 bytes or more (magic, where the samples begin,
// how many bytes they are, encoding, rate, channels), an annotation, and samples to the end.
package au

import (
	"bytes"
	"encoding/binary"
	"errors"
	"io"

	"zestyloom/core/audio"
	"zestyloom/core/snag"
	"zestyloom/core/wave"
)

// Header is what stands in front of the samples, which are big-endian; those of 8 bits are signed.
type Header struct {
	Format     wave.Format
	Frames     int64 // whole frames that are really there
	DataOffset int64
	Annotated  bool // something is written between the header and the samples
	Snags      []snag.Snag
}

// Sniff reports whether the first four bytes of a file are those of an AU file.
func Sniff(head []byte) bool { return len(head) >= 4 && string(head[:4]) == ".snd" }

var codings = map[uint32]audio.Coding{2: audio.U8, 3: audio.S16, 4: audio.S24, 5: audio.S32, 6: audio.F32, 7: audio.F64}

// Read finds the samples of an AU file of the given size in bytes.
func Read(r io.ReaderAt, size int64) (*Header, error) {
	var b [24]byte
	if _, err := r.ReadAt(b[:], 0); err != nil {
		if errors.Is(err, io.EOF) {
			return nil, snag.Refuse("bad_format", "the AU header ends before its 24 bytes")
		}
		return nil, err
	}
	be := binary.BigEndian
	offset, claimed, code := int64(be.Uint32(b[4:])), int64(be.Uint32(b[8:])), be.Uint32(b[12:])
	rate, channels := int64(be.Uint32(b[16:])), int64(be.Uint32(b[20:]))
	coding, ok := codings[code]
	switch {
	case !ok:
		return nil, snag.Refuse("unknown_coding", "AU encoding %d is not read: linear PCM of 8 to 32 bits (2 to 5) and float (6, 7) are; convert the file to one of these", code)
	case channels < 1 || channels > 1024 || rate < 1 || rate > 6_144_000:
		return nil, snag.Refuse("bad_format", "the AU header says %d channels at %d Hz: it is damaged", channels, rate)
	case offset < 24 || offset > size:
		return nil, snag.Refuse("no_data", "the AU header says that its samples begin at byte %d of %d", offset, size)
	}
	h := &Header{Format: wave.Format{Coding: coding, SampleRate: int(rate), Channels: int(channels), ValidBits: coding.Bits()}, DataOffset: offset}
	note := make([]byte, min(offset-24, 1<<16))
	if _, err := r.ReadAt(note, 24); err == nil {
		h.Annotated = len(bytes.Trim(note, "\x00 ")) > 0
	}
	frame := int64(h.Format.FrameBytes())
	there := size - offset
	if claimed != 0xFFFFFFFF { // that is "to the end"
		if claimed > there {
			h.Snags = append(h.Snags, snag.New("cut_short", "the header promises %d frames and %d are there; those are kept", claimed/frame, there/frame))
		}
		there = min(there, claimed)
	}
	if h.Frames = there / frame; h.Frames == 0 {
		h.Snags = append(h.Snags, snag.New("no_sound", "the file holds no frames of sound"))
	}
	return h, nil
}
