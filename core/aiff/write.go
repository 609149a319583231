package aiff

import (
	"bytes"
	"fmt"
	"io"
	"math"

	"zestyloom/core/audio"
	"zestyloom/core/snag"
	"zestyloom/core/wave"
)

// Writer writes an AIFF-C: big-endian samples of the kinds NONE and fl32. What recorders' files say in bext and iXML
// chunks stands in chunks of the same names.
type Writer struct {
	w        io.WriteSeeker
	format   wave.Format
	framesAt int64 // of COMM's frame count
	header   int64 // bytes before the first sample
	dataLen  int64
	swapped  []byte
	err      error
}

// Largest is the most bytes of samples that a file holds: its sizes have 32 bits.
const Largest = math.MaxUint32 - 1<<20

// NewWriter writes the header. Close must be called to make the file whole.
func NewWriter(w io.WriteSeeker, opts wave.Options) (*Writer, error) {
	f := opts.Format
	kind, says := "NONE", "not compressed"
	switch f.Coding {
	case audio.S16, audio.S24, audio.S32:
	case audio.F32:
		kind, says = "fl32", "32-bit floating point"
	default:
		return nil, fmt.Errorf("aiff: %s is not written", f.Coding)
	}
	var b bytes.Buffer
	b.WriteString("FORM\x00\x00\x00\x00AIFC")
	chunk(&b, "FVER", []byte{0xA2, 0x80, 0x51, 0x40}) // the version of AIFF-C, 1990
	comm := be.AppendUint16(nil, uint16(f.Channels))
	comm = be.AppendUint32(comm, 0)
	comm = be.AppendUint16(comm, uint16(f.Coding.Bits()))
	comm = append(comm, toExtended(f.SampleRate)...)
	comm = append(comm, kind...)
	comm = append(append(comm, byte(len(says))), says...) // a length and letters, even in all
	if len(says)%2 == 0 {
		comm = append(comm, 0)
	}
	wr := &Writer{w: w, format: f, framesAt: int64(b.Len()) + 8 + 2}
	chunk(&b, "COMM", comm)
	if opts.Bext != nil {
		chunk(&b, "bext", opts.Bext.Marshal())
	}
	if opts.IXML != nil {
		chunk(&b, "iXML", opts.IXML.Marshal())
	}
	b.WriteString("SSND\x00\x00\x00\x00")
	b.Write(make([]byte, 8)) // offset and block size
	wr.header = int64(b.Len())
	_, err := w.Write(b.Bytes())
	return wr, err
}

func chunk(b *bytes.Buffer, id string, data []byte) {
	b.WriteString(id)
	b.Write(be.AppendUint32(nil, uint32(len(data))))
	b.Write(data)
	if len(data)%2 == 1 {
		b.WriteByte(0)
	}
}

// toExtended writes a whole rate as an 80-bit float.
func toExtended(rate int) []byte {
	man, exp := uint64(rate), 16383+63
	for man != 0 && man>>63 == 0 {
		man, exp = man<<1, exp-1
	}
	return be.AppendUint64(be.AppendUint16(nil, uint16(exp)), man)
}

// Write adds interleaved little-endian frames.
func (w *Writer) Write(p []byte) (int, error) {
	if w.err != nil {
		return 0, w.err
	}
	if w.dataLen+int64(len(p)) > Largest {
		w.err = snag.Refuse("too_large", "an AIFF holds at most 4 GiB: choose another container")
		return 0, w.err
	}
	w.swapped = append(w.swapped[:0], p...)
	audio.SwapBytes(w.swapped, w.format.Coding)
	n, err := w.w.Write(w.swapped)
	w.dataLen += int64(n)
	w.err = err
	return n, err
}

// Close pads the data and fills in the sizes. It does not close the underlying file.
func (w *Writer) Close() error {
	if w.err != nil {
		return w.err
	}
	if w.dataLen%int64(w.format.FrameBytes()) != 0 {
		return fmt.Errorf("aiff: %d bytes written are not whole frames of %d", w.dataLen, w.format.FrameBytes())
	}
	pad := w.dataLen % 2
	if _, err := w.w.Write(make([]byte, pad)); err != nil {
		return err
	}
	for _, v := range []struct{ at, size int64 }{
		{4, w.header + w.dataLen + pad - 8}, {w.framesAt, w.dataLen / int64(w.format.FrameBytes())}, {w.header - 12, 8 + w.dataLen},
	} {
		if _, err := w.w.Seek(v.at, io.SeekStart); err != nil {
			return err
		}
		if _, err := w.w.Write(be.AppendUint32(nil, uint32(v.size))); err != nil {
			return err
		}
	}
	_, err := w.w.Seek(0, io.SeekEnd)
	return err
}
