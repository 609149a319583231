// Package flac decodes FLAC (RFC 9639), of up to 8 channels and 4 to 32 bits, block by block, with
// its checksums verified.
package flac

import (
	"encoding/binary"
	"errors"
	"fmt"
	"io"
)

// Application is a metadata block of another program's, such as RIFF chunks carried along.
type Application struct {
	ID   string // four characters
	Data []byte
}

// Decoder reads a FLAC file.
type Decoder struct {
	SampleRate   int
	Channels     int
	Bits         int
	Frames       int64 // as the header says, 0 when it does not
	Applications []Application
	Comments     map[string]string // Vorbis comments by name in capitals

	r        io.ReaderAt
	size     int64
	audio    int64 // offset of the first block
	maxBlock int
	index    []point // blocks whose place is known, in order
	at       point   // of the next block
	br       bitReader
	out      [][]int64
}

type point struct{ frame, offset int64 }

var be = binary.BigEndian

const (
	maxMeta   = 16 << 20 // bytes of one metadata block that is kept
	maxBlocks = 4096
)

// Open reads the metadata of a file of the given size in bytes. An ID3 tag before it is skipped.
func Open(r io.ReaderAt, size int64) (*Decoder, error) {
	d := &Decoder{r: r, size: size, Comments: map[string]string{}}
	off := int64(0)
	head := make([]byte, 10)
	if _, err := r.ReadAt(head, 0); err != nil {
		return nil, errors.New("the file is too short")
	}
	if string(head[:3]) == "ID3" {
		off = 10 + (int64(head[6]&0x7F)<<21 | int64(head[7]&0x7F)<<14 | int64(head[8]&0x7F)<<7 | int64(head[9]&0x7F))
		if head[5]&0x10 != 0 { // a footer, as long as the header
			off += 10
		}
	}
	if _, err := r.ReadAt(head[:4], off); err != nil || string(head[:4]) != "fLaC" {
		return nil, errors.New("it does not begin with fLaC")
	}
	off += 4
	for n := 0; ; n++ {
		if n >= maxBlocks {
			return nil, fmt.Errorf("more than %d metadata blocks (the next at byte %d)", maxBlocks, off)
		}
		if _, err := r.ReadAt(head[:4], off); err != nil {
			return nil, fmt.Errorf("the metadata ends early (in block %d, at byte %d)", n+1, off)
		}
		kind, length := head[0]&0x7F, int64(be.Uint32(head)&0xFFFFFF)
		last := head[0]&0x80 != 0
		if n == 0 && (kind != 0 || length < 34) {
			return nil, fmt.Errorf("it does not begin with stream information (the first block, at byte %d, is of kind %d and has %d bytes)", off, kind, length)
		}
		if length <= maxMeta && off+4+length <= size && (kind == 0 && n == 0 || kind == 2 || kind == 3 || kind == 4) {
			body := make([]byte, length)
			if _, err := r.ReadAt(body, off+4); err != nil && !errors.Is(err, io.EOF) {
				return nil, err
			}
			d.block(kind, body)
		}
		off += 4 + length
		if last {
			break
		}
	}
	if d.Channels < 1 || d.SampleRate < 1 || d.Bits < 4 || d.Bits > 32 {
		return nil, fmt.Errorf("%d channels at %d Hz in %d bits can't be", d.Channels, d.SampleRate, d.Bits)
	}
	d.audio = off
	for i := range d.index {
		d.index[i].offset += off
	}
	d.Rewind()
	return d, nil
}

func (d *Decoder) block(kind byte, b []byte) {
	switch kind {
	case 0: // stream information
		d.maxBlock = int(be.Uint16(b[2:]))
		v := be.Uint64(b[10:])
		d.SampleRate, d.Channels, d.Bits = int(v>>44), int(v>>41&7)+1, int(v>>36&31)+1
		d.Frames = int64(v & (1<<36 - 1))
	case 2: // application
		if len(b) >= 4 {
			d.Applications = append(d.Applications, Application{string(b[:4]), b[4:]})
		}
	case 3: // seek table: offsets count from the first block
		for ; len(b) >= 18; b = b[18:] {
			p := point{int64(be.Uint64(b)), int64(be.Uint64(b[8:]))}
			ok := p.frame >= 0 && p.offset >= 0 && p.offset < d.size // placeholders are negative
			if n := len(d.index); ok && (n == 0 || d.index[n-1].frame < p.frame && d.index[n-1].offset < p.offset) {
				d.index = append(d.index, p)
			}
		}
	case 4: // Vorbis comments, little-endian
		d.comments(b)
	}
}

func (d *Decoder) comments(b []byte) {
	next := func() ([]byte, bool) {
		if len(b) < 4 {
			return nil, false
		}
		n := int64(binary.LittleEndian.Uint32(b))
		if n > int64(len(b)-4) {
			return nil, false
		}
		s := b[4 : 4+n]
		b = b[4+n:]
		return s, true
	}
	if _, ok := next(); !ok || len(b) < 4 { // the encoder's name
		return
	}
	b = b[4:] // their number, which the data says as well
	for {
		s, ok := next()
		if !ok {
			return
		}
		for i, c := range s {
			if c == '=' {
				d.Comments[upper(s[:i])] = string(s[i+1:])
				break
			}
		}
	}
}

func upper(b []byte) string {
	out := make([]byte, len(b))
	for i, c := range b {
		if c >= 'a' && c <= 'z' {
			c -= 'a' - 'A'
		}
		out[i] = c
	}
	return string(out)
}

// Rewind goes back to the first block.
func (d *Decoder) Rewind() { d.seek(point{0, d.audio}) }

// SeekBefore goes to the last block known to begin at or before a frame: one of the file's seek
// table, or one that was decoded before.
func (d *Decoder) SeekBefore(frame int64) {
	best := point{0, d.audio}
	for _, p := range d.index {
		if p.frame <= frame && p.frame >= best.frame {
			best = p
		}
	}
	d.seek(best)
	head, _ := d.br.r.Peek(maxHeader)
	if h, _, err := parseHeader(head); err != nil || d.first(h) != best.frame {
		d.index = nil // a seek table that lies
		d.Rewind()
	}
}

// first is the first frame of a block.
func (d *Decoder) first(h header) int64 {
	if h.variable {
		return h.number
	}
	return h.number * int64(d.maxBlock)
}

func (d *Decoder) seek(p point) {
	d.at = p
	d.br.reset(io.NewSectionReader(d.r, p.offset, d.size-p.offset))
}

// Position is the first frame of the next block.
func (d *Decoder) Position() int64 { return d.at.frame }

// indexEvery is how many frames lie between the places that are remembered.
const indexEvery = 1 << 18

// Next decodes a block: a slice a channel, valid until the call after. At the end it returns
// io.EOF; in the midst of a block, io.ErrUnexpectedEOF.
func (d *Decoder) Next() ([][]int64, error) {
	d.br.crc = 0
	start := d.br.read
	out, err := d.decode()
	if d.br.err != nil {
		if d.br.read == start {
			return nil, io.EOF
		}
		return nil, io.ErrUnexpectedEOF
	}
	if err != nil {
		return nil, fmt.Errorf("%w (in the block at byte %d)", err, d.at.offset)
	}
	if n := len(d.index); n == 0 || d.at.frame-d.index[n-1].frame >= indexEvery {
		d.index = append(d.index, d.at)
	}
	d.at.frame += int64(len(out[0]))
	d.at.offset += d.br.read - start
	return out, nil
}

// EndsAt looks for the last block of the file, from the end, and returns the frame after it; ok is
// false when there is none to be found near the end, as in a file that was cut short.
func (d *Decoder) EndsAt() (frame int64, ok bool) {
	const near = 1 << 20
	if d.audio >= d.size {
		return 0, false
	}
	from := max(d.audio, d.size-near)
	b := make([]byte, d.size-from)
	if _, err := d.r.ReadAt(b, from); err != nil && !errors.Is(err, io.EOF) {
		return 0, false
	}
	keep := d.at
	defer d.seek(keep)
	for i := len(b) - 6; i >= 0; i-- {
		if b[i] != 0xFF || b[i+1]&0xFC != 0xF8 {
			continue
		}
		h, n, err := parseHeader(b[i:])
		if err != nil || sum8(b[i:i+n]) != b[i+n] {
			continue
		}
		d.seek(point{d.first(h), from + int64(i)})
		if _, err := d.Next(); err == nil && d.at.offset == d.size {
			return d.at.frame, true
		}
		return 0, false // the last block is not whole
	}
	return 0, false
}
