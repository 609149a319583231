// Package caf reads Core Audio Format files: chunks with 64-bit big-endian sizes, of which desc says how the
// samples are stored, chan which speakers they are for, and data holds them. Linear PCM is read.
package caf

import (
	"encoding/binary"
	"errors"
	"io"
	"math"
	"slices"
	"strings"

	"zestyloom/core/audio"
	"zestyloom/core/snag"
	"zestyloom/core/wave"
)

// Header is what is known of a file before its samples. Samples of 8 bits are signed.
type Header struct {
	Format     wave.Format
	Frames     int64 // whole frames that are really there
	DataOffset int64
	BigEndian  bool
	Snags      []snag.Snag
	Unkept     []string // chunks that say something and are not read
}

// Sniff reports whether the first four bytes of a file are those of a CAF file.
func Sniff(head []byte) bool { return len(head) >= 4 && string(head[:4]) == "caff" }

var be = binary.BigEndian

const (
	maxChunks = 4096
	// Flags of linear PCM in desc.
	isFloat  = 1
	isLittle = 2
	// A channel layout tag that says: the speakers are in the bitmap, whose bits are those of WAV's mask.
	useBitmap = 1 << 16
)

// Read finds the samples of a CAF file of the given size in bytes.
func Read(r io.ReaderAt, size int64) (*Header, error) {
	h := &Header{}
	var described, found bool
	for off, n := int64(8), 0; off+12 <= size && n < maxChunks; n++ {
		var b [12]byte
		if _, err := r.ReadAt(b[:], off); err != nil {
			return nil, err
		}
		id, length, body := string(b[:4]), int64(be.Uint64(b[4:])), off+12
		left := size - body
		if length < 0 && !(id == "data" && length == -1) {
			return nil, snag.In(snag.Refuse("bad_format", "it claims %d bytes", length), id, off)
		}
		switch {
		case id == "desc" && !described:
			p, err := payload(r, body, min(length, left), 32)
			if err == nil {
				err = h.desc(p)
			}
			if err != nil {
				return nil, snag.In(err, "desc", off)
			}
			described = true
		case id == "chan" && described:
			if p, err := payload(r, body, min(length, left), 12); err == nil && be.Uint32(p) == useBitmap {
				h.Format.Mask = be.Uint32(p[4:])
			}
		case id == "data" && !found:
			if !described {
				return nil, snag.In(snag.Refuse("bad_format", "it comes before desc: how the samples are stored is not known"), "data", off)
			}
			found = true
			h.data(body, length, left)
		case id == "free" || id == "chan" || id == "pakt" || id == "desc" || id == "data":
		default:
			if name := strings.TrimSpace(strings.ToValidUTF8(id, "?")); length > 0 && len(h.Unkept) < 64 && !slices.Contains(h.Unkept, name) {
				h.Unkept = append(h.Unkept, name)
			}
		}
		if length < 0 || length > left {
			break
		}
		off = body + length
	}
	switch {
	case !described:
		return nil, snag.Refuse("bad_format", "there is no desc chunk: how the samples are stored is not known")
	case !found:
		return nil, snag.Refuse("no_data", "there is no data chunk: the file holds a header and no sound")
	case h.Frames == 0:
		h.Snags = append(h.Snags, snag.New("no_sound", "the file holds no frames of sound"))
	}
	return h, nil
}

func payload(r io.ReaderAt, at, have, need int64) ([]byte, error) {
	if have < need {
		return nil, snag.Refuse("bad_format", "a chunk holds %d bytes instead of at least %d", have, need)
	}
	p := make([]byte, need)
	if _, err := r.ReadAt(p, at); err != nil && !errors.Is(err, io.EOF) {
		return nil, err
	}
	return p, nil
}

func (h *Header) desc(p []byte) error {
	rate, kind, flags := math.Float64frombits(be.Uint64(p)), string(p[8:12]), be.Uint32(p[12:])
	packet, perPacket := int64(be.Uint32(p[16:])), be.Uint32(p[20:])
	channels, bits := int64(be.Uint32(p[24:])), int(be.Uint32(p[28:]))
	if kind != "lpcm" {
		return snag.Refuse("unknown_coding", "the samples are coded as %q: linear PCM (lpcm) is read; convert the file to it", kind)
	}
	if channels < 1 || channels > 1024 || !(rate >= 1 && rate <= 6_144_000) || perPacket != 1 || packet%channels != 0 {
		return snag.Refuse("bad_format", "the desc chunk says %d channels at %g Hz in packets of %d bytes: it is damaged", channels, rate, packet)
	}
	ints := map[int64]audio.Coding{1: audio.U8, 2: audio.S16, 3: audio.S24, 4: audio.S32}
	floats := map[int64]audio.Coding{4: audio.F32, 8: audio.F64}
	coding := ints[packet/channels]
	if flags&isFloat != 0 {
		coding = floats[packet/channels]
	}
	if coding == audio.Unknown {
		return snag.Refuse("unknown_coding", "samples of %d bytes (flags %d) are not read", packet/channels, flags)
	}
	if bits < 1 || bits > coding.Bits() || coding.Float() {
		bits = coding.Bits()
	}
	h.Format = wave.Format{Coding: coding, SampleRate: int(math.Round(rate)), Channels: int(channels), ValidBits: bits}
	if rate != math.Trunc(rate) {
		h.Snags = append(h.Snags, snag.New("rate_not_whole", "the sample rate is %g Hz; %d is taken", rate, h.Format.SampleRate))
	}
	h.BigEndian = flags&isLittle == 0
	return nil
}

// data takes note of the samples, which an edit count of four bytes precedes.
func (h *Header) data(body, length, left int64) {
	frame := int64(h.Format.FrameBytes())
	h.DataOffset = body + 4
	there := max(0, left-4) / frame
	switch {
	case length == -1: // a recording that was not finished, or streamed: to the end
		h.Frames = there
	case (length-4)/frame > there:
		h.Frames = there
		h.Snags = append(h.Snags, snag.New("cut_short", "the header promises %d frames and %d are there; those are kept", (length-4)/frame, there))
	default:
		h.Frames = max(0, length-4) / frame
	}
}
