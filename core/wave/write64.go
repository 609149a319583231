package wave

import (
	"bytes"
	"fmt"
	"io"
)

// Writer64 writes a Wave64 file: 16-byte ids, 64-bit sizes that include the header of 24 bytes, chunks on multiples of 8.
type Writer64 struct {
	w       io.WriteSeeker
	format  Format
	header  int64 // bytes before the first sample
	dataLen int64
	err     error
}

// NewWriter64 writes the header. Close must be called to make the file whole.
func NewWriter64(w io.WriteSeeker, opts Options) (*Writer64, error) {
	f := opts.Format
	if f.Coding.Bytes() == 0 || f.Channels < 1 || f.Channels > maxChannels || f.SampleRate < 1 {
		return nil, fmt.Errorf("wave: can't write %d channels of %s at %d Hz", f.Channels, f.Coding, f.SampleRate)
	}
	var b bytes.Buffer
	b.WriteString("riff")
	b.Write(w64RiffTail)
	b.Write(make([]byte, 8))
	b.WriteString("wave")
	b.Write(w64Tail)
	chunk64(&b, "fmt ", f.marshal())
	if opts.Bext != nil {
		chunk64(&b, "bext", opts.Bext.Marshal())
	}
	if opts.IXML != nil {
		chunk64(&b, "iXML", opts.IXML.Marshal())
	}
	b.WriteString("data")
	b.Write(w64Tail)
	b.Write(make([]byte, 8))
	wr := &Writer64{w: w, format: f, header: int64(b.Len())}
	_, err := w.Write(b.Bytes())
	return wr, err
}

func chunk64(b *bytes.Buffer, id string, data []byte) {
	b.WriteString(id)
	b.Write(w64Tail)
	b.Write(le.AppendUint64(nil, uint64(24+len(data))))
	b.Write(data)
	b.Write(make([]byte, (8-len(data)%8)%8))
}

// Write adds interleaved little-endian frames.
func (w *Writer64) Write(p []byte) (int, error) {
	if w.err != nil {
		return 0, w.err
	}
	n, err := w.w.Write(p)
	w.dataLen += int64(n)
	w.err = err
	return n, err
}

// Close pads the data and fills in the sizes. It does not close the underlying file.
func (w *Writer64) Close() error {
	if w.err != nil {
		return w.err
	}
	if w.dataLen%int64(w.format.FrameBytes()) != 0 {
		return fmt.Errorf("wave: %d bytes written are not whole frames of %d", w.dataLen, w.format.FrameBytes())
	}
	pad := (8 - w.dataLen%8) % 8
	if _, err := w.w.Write(make([]byte, pad)); err != nil {
		return err
	}
	for _, v := range []struct{ at, size int64 }{{w.header - 8, 24 + w.dataLen}, {16, w.header + w.dataLen + pad}} {
		if _, err := w.w.Seek(v.at, io.SeekStart); err != nil {
			return err
		}
		if _, err := w.w.Write(le.AppendUint64(nil, uint64(v.size))); err != nil {
			return err
		}
	}
	_, err := w.w.Seek(0, io.SeekEnd)
	return err
}
