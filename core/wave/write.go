package wave

import (
	"bytes"
	"fmt"
	"io"

	"zestyloom/core/audio"
)

// Options say what a new WAV file holds beside its samples.
type Options struct {
	Format Format
	Bext   *Bext
	IXML   *IXML
	Extra  []RawChunk
	// Container is RF64 or BW64 to be that from the first byte on; RIFF or nothing to become RF64 where it has to.
	Container string
}

// Writer writes a WAV file: RIFF, promoted in place to RF64 when it outgrows 32-bit sizes. All
// chunks stand before the samples, so that the file is readable while it grows.
type Writer struct {
	w       io.WriteSeeker
	opts    Options
	header  int64 // bytes before the first sample
	dataLen int64
	factAt  int64   // of the fact chunk's frame count, 0 without one
	bextAt  int64   // of the bext chunk's payload, 0 without one
	extraAt []int64 // of the payloads of the further chunks
	limit   int64   // greatest size of a RIFF; a variable for tests
	err     error
}

const junkSize = 28 // room for ds64: riff, data and sample counts, and an empty table

// riffLimit is the greatest value of a 32-bit size that does not mean "see ds64".
const riffLimit = 0xFFFFFFFE

// NewWriter writes the header. Close must be called to make the file whole.
func NewWriter(w io.WriteSeeker, opts Options) (*Writer, error) {
	f := opts.Format
	if f.Coding.Bytes() == 0 || f.Channels < 1 || f.Channels > maxChannels || f.SampleRate < 1 {
		return nil, fmt.Errorf("wave: can't write %d channels of %s at %d Hz", f.Channels, f.Coding, f.SampleRate)
	}
	wr := &Writer{w: w, opts: opts, limit: riffLimit}
	var b bytes.Buffer
	b.WriteString("RIFF\x00\x00\x00\x00WAVE")
	chunk(&b, "JUNK", make([]byte, junkSize))
	format := f.marshal()
	chunk(&b, "fmt ", format)
	if le.Uint16(format) != 1 { // every format tag but plain PCM asks for it
		wr.factAt = int64(b.Len()) + 8
		chunk(&b, "fact", make([]byte, 4))
	}
	if opts.Bext != nil {
		wr.bextAt = int64(b.Len()) + 8
		chunk(&b, "bext", opts.Bext.Marshal())
	}
	if opts.IXML != nil {
		chunk(&b, "iXML", opts.IXML.Marshal())
	}
	for _, c := range opts.Extra {
		wr.extraAt = append(wr.extraAt, int64(b.Len())+8)
		chunk(&b, c.ID, c.Data)
	}
	b.WriteString("data\x00\x00\x00\x00")
	wr.header = int64(b.Len())
	if _, err := w.Write(b.Bytes()); err != nil {
		return nil, err
	}
	return wr, nil
}

func chunk(b *bytes.Buffer, id string, data []byte) {
	b.WriteString((id + "    ")[:4])
	var size [4]byte
	le.PutUint32(size[:], uint32(len(data)))
	b.Write(size[:])
	b.Write(data)
	if len(data)%2 == 1 {
		b.WriteByte(0)
	}
}

// marshal writes the fmt payload: extensible beyond two channels, 16 bits, or where a mask or a
// word length inside its container must be said.
func (f Format) marshal() []byte {
	bits := f.Coding.Bits()
	valid := f.ValidBits
	if valid <= 0 || valid > bits {
		valid = bits
	}
	tag := uint16(1)
	if f.Coding.Float() {
		tag = 3
	}
	plainMask := f.Mask == 0 || f.Channels == 2 && f.Mask == 3 || f.Channels == 1 && f.Mask == 4
	plain := f.Channels <= 2 && (bits <= 16 || f.Coding.Float()) && valid == bits && plainMask
	size := 40
	if plain {
		size = 16
		if tag == 3 {
			size = 18
		}
	}
	b := make([]byte, size)
	le.PutUint16(b, tag)
	le.PutUint16(b[2:], uint16(f.Channels))
	le.PutUint32(b[4:], uint32(f.SampleRate))
	le.PutUint32(b[8:], uint32(f.SampleRate*f.FrameBytes()))
	le.PutUint16(b[12:], uint16(f.FrameBytes()))
	le.PutUint16(b[14:], uint16(bits))
	if !plain {
		le.PutUint16(b, 0xFFFE)
		le.PutUint16(b[16:], 22)
		le.PutUint16(b[18:], uint16(valid))
		le.PutUint32(b[20:], f.Mask)
		le.PutUint16(b[24:], tag)
		copy(b[26:], subFormatTail)
	}
	return b
}

// Write adds interleaved little-endian frames.
func (w *Writer) Write(p []byte) (int, error) {
	if w.err != nil {
		return 0, w.err
	}
	n, err := w.w.Write(p)
	w.dataLen += int64(n)
	w.err = err
	return n, err
}

// Rate is the sample rate in Hz.
func (w *Writer) Rate() int { return w.opts.Format.SampleRate }

// Frames is the number of whole frames written so far.
func (w *Writer) Frames() int64 { return w.dataLen / int64(w.opts.Format.FrameBytes()) }

// SetBext changes what the bext chunk says; it had one from the beginning, with a coding history of the same length.
func (w *Writer) SetBext(x Bext) error {
	if w.bextAt == 0 || len(x.CodingHistory) != len(w.opts.Bext.CodingHistory) {
		return fmt.Errorf("wave: there is no bext chunk of that length to change")
	}
	w.put(w.bextAt, x.Marshal())
	if w.err == nil {
		_, w.err = w.w.Seek(0, io.SeekEnd)
	}
	return w.err
}

// SetExtra changes what a further chunk holds; there was one of that name and length from the beginning.
func (w *Writer) SetExtra(id string, data []byte) error {
	for i, c := range w.opts.Extra {
		if c.ID == id && len(c.Data) == len(data) {
			w.put(w.extraAt[i], data)
			if w.err == nil {
				_, w.err = w.w.Seek(0, io.SeekEnd)
			}
			return w.err
		}
	}
	return fmt.Errorf("wave: there is no %q chunk of %d bytes to change", id, len(data))
}

// Close pads the data and fills in the sizes. It does not close the underlying file.
func (w *Writer) Close() error {
	if w.err != nil {
		return w.err
	}
	if w.dataLen%int64(w.opts.Format.FrameBytes()) != 0 {
		return fmt.Errorf("wave: %d bytes written are not whole frames of %d", w.dataLen, w.opts.Format.FrameBytes())
	}
	pad := w.dataLen % 2
	if pad == 1 {
		if _, err := w.w.Write([]byte{0}); err != nil {
			return err
		}
	}
	riff := w.header - 8 + w.dataLen + pad
	frames := w.Frames()
	put32 := func(at int64, v uint32) {
		var b [4]byte
		le.PutUint32(b[:], v)
		w.put(at, b[:])
	}
	if w.factAt > 0 {
		put32(w.factAt, uint32(min(frames, 0xFFFFFFFF)))
	}
	id := RF64
	if w.opts.Container == BW64 {
		id = BW64
	}
	if always := w.opts.Container == RF64 || w.opts.Container == BW64; riff <= w.limit && !always {
		put32(w.header-4, uint32(w.dataLen))
		put32(4, uint32(riff))
	} else {
		b := make([]byte, 8+junkSize)
		copy(b, "ds64")
		le.PutUint32(b[4:], junkSize)
		le.PutUint64(b[8:], uint64(riff))
		le.PutUint64(b[16:], uint64(w.dataLen))
		le.PutUint64(b[24:], uint64(frames))
		w.put(12, b)
		put32(w.header-4, 0xFFFFFFFF)
		put32(4, 0xFFFFFFFF)
		w.put(0, []byte(id)) // last: until here the file is a RIFF that lost its sizes
	}
	if w.err == nil {
		_, w.err = w.w.Seek(0, io.SeekEnd)
	}
	return w.err
}

func (w *Writer) put(at int64, b []byte) {
	if w.err != nil {
		return
	}
	if _, w.err = w.w.Seek(at, io.SeekStart); w.err == nil {
		_, w.err = w.w.Write(b)
	}
}

// Bits is the word length a file of this format is said to have.
func (f Format) Bits() int {
	if f.ValidBits > 0 && f.Coding != audio.F32 && f.Coding != audio.F64 {
		return f.ValidBits
	}
	return f.Coding.Bits()
}
