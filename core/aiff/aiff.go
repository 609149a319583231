// Package aiff reads AIFF and AIFF-C: big-endian chunks in a FORM, COMM saying how samples are
// stored (its rate an 80-bit float), SSND holding them. Of the AIFF-C compression types those are
// read that do not compress: NONE and twos, sowt (little-endian), in24, in32, fl32 and fl64.
package aiff

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

// Header is what an AIFF file says beside its samples.
type Header struct {
	Container  string // AIFF or AIFF-C
	Format     wave.Format
	BigEndian  bool
	Signed8    bool // 8-bit samples are signed, unlike those of WAV
	DataOffset int64
	Frames     int64
	Bext       *wave.Bext
	IXML       *wave.IXML
	Snags      []snag.Snag
	Unkept     []string // chunks that say something and are not read
}

// Sniff reports whether the first 12 bytes of a file are those of an AIFF.
func Sniff(head []byte) bool {
	return len(head) >= 12 && string(head[:4]) == "FORM" && (string(head[8:12]) == "AIFF" || string(head[8:12]) == "AIFC")
}

var be = binary.BigEndian

const maxMeta = 8 << 20

// Read finds the samples and metadata of an AIFF file of the given size in bytes.
func Read(r io.ReaderAt, size int64) (*Header, error) {
	head := make([]byte, 12)
	if _, err := r.ReadAt(head, 0); err != nil && !errors.Is(err, io.EOF) {
		return nil, err
	}
	if !Sniff(head) {
		return nil, snag.Refuse("not_audio", "this is not an AIFF file: it does not begin with FORM and AIFF or AIFC")
	}
	h := &Header{Container: "AIFF", BigEndian: true}
	if string(head[8:12]) == "AIFC" {
		h.Container = "AIFF-C"
	}
	add := func(code, format string, args ...any) { h.Snags = append(h.Snags, snag.New(code, format, args...)) }
	var promised, data int64 = -1, -1
	off := int64(12)
	for range 4096 {
		var b [8]byte
		if off+8 > size {
			break
		}
		if _, err := r.ReadAt(b[:], off); err != nil {
			return nil, err
		}
		id, n, body := string(b[:4]), int64(be.Uint32(b[4:])), off+8
		left := size - body
		switch id {
		case "COMM", "iXML", "bext":
			p := make([]byte, min(n, left, maxMeta))
			if _, err := r.ReadAt(p, body); err != nil && !errors.Is(err, io.EOF) {
				return nil, err
			}
			switch id {
			case "COMM":
				frames, err := h.comm(p)
				if err != nil {
					return nil, snag.In(err, "COMM", off)
				}
				promised = frames
			case "iXML":
				x, err := wave.ParseIXML(p)
				if err != nil {
					add("ixml_unreadable", "the iXML chunk at byte %d is not understood: %v", off, err)
				}
				h.IXML = x
			case "bext":
				x, err := wave.ParseBext(p)
				if err != nil {
					add("bext_unreadable", "the bext chunk at byte %d is not understood: %v", off, err)
				}
				h.Bext = x
			}
		case "SSND":
			if data >= 0 {
				break
			}
			if left < 8 {
				return nil, snag.In(snag.Refuse("no_data", "it ends before its first sample"), "SSND", off)
			}
			if _, err := r.ReadAt(b[:], body); err != nil {
				return nil, err
			}
			skip := 8 + int64(be.Uint32(b[:]))
			h.DataOffset = body + skip
			switch {
			case skip > left:
				return nil, snag.In(snag.Refuse("no_data", "its offset of %d bytes points beyond the end of the file", skip-8), "SSND", off)
			case n == 0 || n == 0xFFFFFFFF:
				add("size_lost", "the header does not say how long the recording is, as after a power loss; everything after it is taken as sound")
				n = left
			case n > left:
				n = left
			}
			data = max(0, n-skip)
		case "FVER", "FLLR", "JUNK", "PAD ":
		default:
			if name := strings.TrimSpace(strings.ToValidUTF8(id, "?")); n > 0 && len(h.Unkept) < 64 && !slices.Contains(h.Unkept, name) {
				h.Unkept = append(h.Unkept, name)
			}
		}
		if n > left {
			break
		}
		off = body + n + n%2
	}
	switch {
	case promised < 0:
		return nil, snag.Refuse("bad_format", "there is no COMM chunk: how the samples are stored is not known")
	case data < 0 && promised > 0:
		return nil, snag.Refuse("no_data", "there is no SSND chunk: the file holds a header and no sound")
	}
	h.Frames = max(0, data) / int64(h.Format.FrameBytes())
	if promised > h.Frames {
		add("cut_short", "the header promises %d frames and %d are there; those are kept", promised, h.Frames)
	} else if promised > 0 {
		h.Frames = promised
	} else if h.Frames > 0 && !slices.ContainsFunc(h.Snags, func(s snag.Snag) bool { return s.Code == "size_lost" }) {
		add("size_lost", "the header does not say how many frames there are: the %d that are there are taken", h.Frames)
	}
	if h.Frames == 0 {
		add("no_sound", "the file holds no frames of sound")
	}
	return h, nil
}

// comm reads the COMM chunk and returns the number of frames it promises.
func (h *Header) comm(p []byte) (int64, error) {
	if len(p) < 18 {
		return 0, snag.Refuse("bad_format", "the COMM chunk holds %d bytes: at least 18 are needed", len(p))
	}
	channels, frames, bits := int(be.Uint16(p)), int64(be.Uint32(p[2:])), int(be.Uint16(p[6:]))
	rate := extended(p[8:18])
	if channels < 1 || channels > 1024 || !(rate >= 1 && rate <= 6_144_000) {
		return 0, snag.Refuse("bad_format", "the COMM chunk says %d channels at %g Hz: the header is damaged", channels, rate)
	}
	h.Format = wave.Format{Channels: channels, SampleRate: int(math.Round(rate)), ValidBits: bits}
	if rate != math.Trunc(rate) {
		h.Snags = append(h.Snags, snag.New("rate_not_whole", "the sample rate is %g Hz; %d is taken", rate, h.Format.SampleRate))
	}
	kind := "NONE"
	if h.Container == "AIFF-C" && len(p) >= 22 {
		kind = string(p[18:22])
	}
	ints := map[int]audio.Coding{1: audio.U8, 2: audio.S16, 3: audio.S24, 4: audio.S32}
	switch strings.ToLower(kind) {
	case "none", "twos", "in24", "in32":
		h.Format.Coding = ints[(bits+7)/8]
	case "sowt":
		h.Format.Coding, h.BigEndian = ints[(bits+7)/8], false
	case "fl32":
		h.Format.Coding = audio.F32
	case "fl64":
		h.Format.Coding = audio.F64
	default:
		return 0, snag.Refuse("unknown_coding", "the compression type %q is not read: NONE, sowt, in24, in32, fl32 and fl64 are; convert the file to one of these", kind)
	}
	if h.Format.Coding == audio.Unknown {
		return 0, snag.Refuse("unknown_coding", "the COMM chunk says %d bits a sample: 1 to 32 are read", bits)
	}
	if h.Format.Coding.Float() || bits == 0 || bits > h.Format.Coding.Bits() {
		h.Format.ValidBits = h.Format.Coding.Bits()
	}
	h.Signed8 = h.Format.Coding == audio.U8
	return frames, nil
}

// extended reads an 80-bit IEEE 754 extended float.
func extended(b []byte) float64 {
	exp, man := int(be.Uint16(b))&0x7FFF, be.Uint64(b[2:])
	if exp == 0x7FFF || b[0]&0x80 != 0 {
		return math.NaN()
	}
	return math.Ldexp(float64(man), exp-16383-63)
}
