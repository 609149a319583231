package wave

import (
	"bytes"
	"encoding/binary"
	"errors"
	"io"

	"zestyloom/core/audio"
	"zestyloom/core/snag"
)

var le = binary.LittleEndian

// Wave64 ids: the RIFF id in lower case followed by twelve fixed bytes.
var (
	w64RiffTail = []byte{0x2E, 0x91, 0xCF, 0x11, 0xA5, 0xD6, 0x28, 0xDB, 0x04, 0xC1, 0x00, 0x00}
	w64Tail     = []byte{0xF3, 0xAC, 0xD3, 0x11, 0x8C, 0xD1, 0x00, 0xC0, 0x4F, 0x8E, 0xDB, 0x8A}
)

// Sniff reports whether the first bytes of a file (at least 16) belong to the WAV family.
func Sniff(head []byte) bool {
	if len(head) < 12 {
		return false
	}
	switch string(head[:4]) {
	case RIFF, RF64, BW64:
		return string(head[8:12]) == "WAVE"
	}
	return len(head) >= 16 && string(head[:4]) == "riff" && bytes.Equal(head[4:16], w64RiffTail)
}

// Read finds the samples and the metadata of a WAV file of the given size in bytes. It reads the
// chunk headers and the metadata, never the samples.
func Read(r io.ReaderAt, size int64) (*Header, error) {
	p := &parser{r: r, size: size, h: &Header{Promised: -1}, sizes64: map[string]int64{}}
	head := make([]byte, 40)
	n, err := r.ReadAt(head, 0)
	if err != nil && !errors.Is(err, io.EOF) {
		return nil, err
	}
	if !Sniff(head[:n]) {
		return nil, snag.Refuse("not_audio", "this is not a WAV file: it does not begin with RIFF, RF64, BW64 or Wave64 ids")
	}
	if string(head[:4]) == "riff" {
		p.h.Container = W64
		err = p.wave64()
	} else {
		p.h.Container = string(head[:4])
		p.riffSize = int64(le.Uint32(head[4:]))
		err = p.riff()
	}
	if err != nil {
		return nil, err
	}
	return p.finish()
}

type parser struct {
	r        io.ReaderAt
	size     int64 // of the file
	head     int64 // bytes of a chunk's header
	riffSize int64 // as the header says
	h        *Header
	sizes64  map[string]int64 // from ds64; "data" among them
	hasFmt   bool
	hasData  bool
	dataSize int64 // bytes really there
	extra    int
}

func (p *parser) snag(code, format string, args ...any) {
	p.h.Snags = append(p.h.Snags, snag.New(code, format, args...))
}

// printable reports whether b could be a chunk id.
func printable(b []byte) bool {
	for _, c := range b {
		if c < 0x20 || c > 0x7E {
			return false
		}
	}
	return len(b) == 4
}

// headerAt reads a chunk's id and size at off; ok is false at the end of the file.
func (p *parser) headerAt(off int64) (id string, size int64, ok bool) {
	var b [8]byte
	if off < 0 || off+8 > p.size {
		return "", 0, false
	}
	if _, err := p.r.ReadAt(b[:], off); err != nil {
		return "", 0, false
	}
	return string(b[:4]), int64(le.Uint32(b[4:])), true
}

func (p *parser) riff() error {
	p.head = 8
	off := int64(12)
	for range maxChunks {
		id, size, ok := p.headerAt(off)
		if !ok || !printable([]byte(id)) {
			break
		}
		body := off + 8
		if p.h.Container != RIFF && size == 0xFFFFFFFF {
			if big, ok := p.sizes64[id]; ok {
				size = big
			}
		}
		if id == "data" && !p.hasData {
			size = p.data(body, size)
		} else if err := p.chunk(id, body, size); err != nil {
			return err
		}
		if size > p.size-body {
			break // nothing can follow
		}
		off = p.next(body, size)
	}
	return nil
}

// next is where the chunk after one at body of the given size begins, allowing for writers that
// forget the pad byte.
func (p *parser) next(body, size int64) int64 {
	end := body + size
	if size%2 == 0 {
		return end
	}
	padded, _, okPadded := p.headerAt(end + 1)
	plain, _, okPlain := p.headerAt(end)
	if okPlain && printable([]byte(plain)) && !(okPadded && printable([]byte(padded))) {
		p.snag("pad_missing", "a chunk of odd size is not padded to an even one; read all the same")
		return end
	}
	return end + 1
}

// data takes note of the data chunk and returns its size as far as it is there. Recorders that
// lost power leave 0, the largest 32-bit value, or more than was written.
func (p *parser) data(body, claimed int64) int64 {
	left := p.size - body
	p.hasData, p.h.DataOffset = true, body
	switch {
	case claimed == 0 && left > 0 && !p.chunksTo(body, p.size):
		p.snag("size_lost", "the header does not say how long the recording is, as after a power loss; all %d bytes after it are taken as sound", left)
		p.dataSize = left
		return left
	case claimed == 0xFFFFFFFF && p.sizes64["data"] == 0:
		p.snag("size_lost", "the header's length was never filled in, as after a power loss; all %d bytes after it are taken as sound", left)
		p.dataSize = left
		return left
	case claimed > left:
		p.dataSize = left
		p.h.Promised = claimed // in bytes until the frame size is known
		return left
	}
	p.dataSize = claimed
	return claimed
}

// chunksTo reports whether a plausible list of chunks runs from off exactly to the end.
func (p *parser) chunksTo(off, end int64) bool {
	for range maxChunks {
		if off == end || off == end+1 {
			return true
		}
		id, size, ok := p.headerAt(off)
		if !ok || !printable([]byte(id)) || size > end-off-8 {
			return false
		}
		off += 8 + size + size%2
	}
	return false
}

func (p *parser) wave64() error {
	p.head = 24
	var b [24]byte
	if _, err := p.r.ReadAt(b[:], 16); err != nil || string(b[8:12]) != "wave" || !bytes.Equal(b[12:24], w64Tail) {
		return snag.Refuse("not_audio", "this Wave64 file holds no wave list")
	}
	off := int64(40)
	for range maxChunks {
		if off+24 > p.size {
			break
		}
		if _, err := p.r.ReadAt(b[:], off); err != nil {
			return err
		}
		if !printable(b[:4]) {
			break
		}
		id, total := string(b[:4]), int64(le.Uint64(b[16:]))
		known := bytes.Equal(b[4:16], w64Tail)
		if id == "data" && known && !p.hasData {
			claimed := total - 24
			if total <= 24 {
				claimed = 0
			}
			if left := p.size - off - 24; claimed == 0 && left > 0 && (total != 24 || !p.chunks64To(off+24, p.size)) {
				p.snag("size_lost", "the header does not say how long the recording is, as after a power loss; everything after it is taken as sound")
				claimed = left
			}
			if claimed == 0 {
				p.hasData, p.h.DataOffset, p.dataSize = true, off+24, 0
			} else {
				p.data(off+24, claimed)
			}
		} else if known && total >= 24 {
			if err := p.chunk(id, off+24, total-24); err != nil {
				return err
			}
		}
		if total < 24 || total > p.size-off {
			break
		}
		off += (total + 7) &^ 7
	}
	return nil
}

// chunks64To reports whether a plausible list of Wave64 chunks runs from off to the end.
func (p *parser) chunks64To(off, end int64) bool {
	var b [24]byte
	for range maxChunks {
		if off >= end && off <= end+7 {
			return true
		}
		if _, err := p.r.ReadAt(b[:], off); err != nil || !printable(b[:4]) || !bytes.Equal(b[4:16], w64Tail) {
			return false
		}
		size := int64(le.Uint64(b[16:]))
		if size < 24 || size > end-off {
			return false
		}
		off += (size + 7) &^ 7
	}
	return false
}

// chunk takes note of any chunk but data.
func (p *parser) chunk(id string, body, size int64) error {
	avail := min(size, p.size-body)
	payload := func() ([]byte, bool) {
		if avail > maxMeta {
			p.snag("chunk_too_large", "the %q chunk of %d bytes at byte %d is too large to be kept; it is left out", id, size, body-p.head)
			return nil, false
		}
		b := make([]byte, avail)
		if _, err := p.r.ReadAt(b, body); err != nil && !errors.Is(err, io.EOF) {
			p.snag("chunk_unreadable", "the %q chunk at byte %d can't be read: %v", id, body-p.head, err)
			return nil, false
		}
		if avail < size {
			p.snag("chunk_cut", "the %q chunk at byte %d ends after %d of its %d bytes", id, body-p.head, avail, size)
		}
		return b, true
	}
	switch id {
	case "ds64":
		if b, ok := payload(); ok {
			p.ds64(b)
		}
	case "fmt ":
		if p.hasFmt {
			return nil
		}
		b, ok := payload()
		if !ok {
			return snag.In(snag.Refuse("bad_format", "how the samples are stored can't be read"), "fmt", body-p.head)
		}
		return snag.In(p.fmt(b), "fmt", body-p.head)
	case "bext":
		if b, ok := payload(); ok && p.h.Bext == nil {
			bext, err := ParseBext(b)
			if err != nil {
				p.snag("bext_unreadable", "the bext chunk at byte %d is not understood: %v", body-p.head, err)
				return nil
			}
			p.h.Bext = bext
		}
	case "iXML":
		if b, ok := payload(); ok && p.h.IXML == nil {
			x, err := ParseIXML(b)
			if err != nil {
				p.snag("ixml_unreadable", "the iXML chunk at byte %d is not understood, so labels and take come from elsewhere: %v", body-p.head, err)
				return nil
			}
			p.h.IXML = x
		}
	case "data":
		p.snag("second_data", "there is a second data chunk at byte %d, of %d bytes: the first is the recording, and this one is not read", body-p.head, size)
	case "JUNK", "junk", "PAD ", "FLLR", "fact":
		// Room left by writers, or something that the format already says.
	default:
		if p.extra+int(min(avail, maxMeta)) > maxExtra {
			p.snag("chunk_too_large", "the %q chunk is left out: the chunks before it are more than is kept", id)
			return nil
		}
		if b, ok := payload(); ok && avail == size {
			p.extra += len(b)
			p.h.Extra = append(p.h.Extra, RawChunk{ID: id, Data: b})
		}
	}
	return nil
}

// ds64 reads the 64-bit sizes of RF64 and BW64 (EBU Tech 3306 clause 4).
func (p *parser) ds64(b []byte) {
	if len(b) < 28 {
		p.snag("ds64_short", "the ds64 chunk holds %d bytes, not the 28 that it must", len(b))
		return
	}
	signed := func(o int) int64 {
		v := le.Uint64(b[o:])
		if v > 1<<62 {
			return 0
		}
		return int64(v)
	}
	p.sizes64["data"] = signed(8)
	for i, o := uint32(0), 28; i < le.Uint32(b[24:]) && o+12 <= len(b); i, o = i+1, o+12 {
		p.sizes64[string(b[o:o+4])] = signed(o + 4)
	}
}

// The sub-format GUID of WAVEFORMATEXTENSIBLE after its first two bytes.
var subFormatTail = []byte{0, 0, 0, 0, 0x10, 0, 0x80, 0, 0, 0xAA, 0, 0x38, 0x9B, 0x71}

func (p *parser) fmt(b []byte) error {
	if len(b) < 16 {
		return snag.Refuse("bad_format", "the fmt chunk holds %d bytes: at least 16 are needed to know how samples are stored", len(b))
	}
	tag, channels := le.Uint16(b), int(le.Uint16(b[2:]))
	rate, align, bits := le.Uint32(b[4:]), int(le.Uint16(b[12:])), int(le.Uint16(b[14:]))
	f := Format{Channels: channels, SampleRate: int(rate), ValidBits: bits}
	if tag == 0xFFFE {
		if len(b) < 40 {
			return snag.Refuse("bad_format", "the fmt chunk says it is extensible but holds %d bytes instead of 40", len(b))
		}
		if v := int(le.Uint16(b[18:])); v > 0 && v <= bits {
			f.ValidBits = v
		}
		f.Mask = le.Uint32(b[20:])
		tag = le.Uint16(b[24:])
		if !bytes.Equal(b[26:40], subFormatTail) {
			return snag.Refuse("unknown_coding", "the sub-format of this extensible WAV is neither PCM nor float")
		}
	}
	if channels == 0 || rate == 0 {
		return snag.Refuse("bad_format", "the fmt chunk says %d channels at %d Hz: there is no sound in that; the header is damaged", channels, rate)
	}
	if channels > maxChannels || rate > maxRate {
		return snag.Refuse("bad_format", "the fmt chunk says %d channels at %d Hz, beyond the %d channels and %d Hz that are believed; the header is damaged", channels, rate, maxChannels, maxRate)
	}
	container := (bits + 7) / 8
	if align%channels == 0 && align/channels >= container && align/channels <= 8 {
		container = align / channels
	} else {
		p.snag("bad_align", "the header says %d bytes a frame, which can't be for %d channels of %d bits; %d are taken", align, channels, bits, container*channels)
	}
	switch {
	case tag == 1 && container == 1:
		f.Coding = audio.U8
	case tag == 1 && container == 2:
		f.Coding = audio.S16
	case tag == 1 && container == 3:
		f.Coding = audio.S24
	case tag == 1 && container == 4:
		f.Coding = audio.S32
	case tag == 3 && container == 4:
		f.Coding = audio.F32
	case tag == 3 && container == 8:
		f.Coding = audio.F64
	default:
		return snag.Refuse("unknown_coding", "samples are stored with format tag %#04x at %d bits: PCM of 8 to 32 bits and float of 32 or 64 are read; convert the file to one of these", tag, bits)
	}
	if f.ValidBits == 0 || f.ValidBits > f.Coding.Bits() {
		f.ValidBits = f.Coding.Bits()
	}
	p.h.Format, p.hasFmt = f, true
	return nil
}

func (p *parser) finish() (*Header, error) {
	h := p.h
	if !p.hasFmt {
		return nil, snag.Refuse("bad_format", "there is no fmt chunk: how the samples are stored is not known")
	}
	if !p.hasData {
		return nil, snag.Refuse("no_data", "there is no data chunk: the file holds a header and no sound")
	}
	frame := int64(h.Format.FrameBytes())
	h.Frames = p.dataSize / frame
	rest := p.dataSize % frame
	if h.Promised >= 0 {
		h.Promised /= frame
		p.snag("cut_short", "the header promises %d frames and %d are there; those are kept", h.Promised, h.Frames)
	} else {
		h.Promised = h.Frames
	}
	if rest != 0 {
		p.snag("part_frame", "the last %d bytes are less than a frame of %d bytes and are left out", rest, frame)
	}
	if h.Frames == 0 {
		p.snag("no_sound", "the file holds no frames of sound")
	}
	return h, nil
}
