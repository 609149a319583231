package source

import (
	"io"

	"zestyloom/core/blockhash"
)

// HashFile returns the hashes of all bytes of a file of any kind. Errors are those of OpenFile and of reading.
func HashFile(path string) (blockhash.Sums, error) {
	f, err := OpenFile(path)
	if err != nil {
		return blockhash.Sums{}, openError(err)
	}
	defer f.Close()
	return blockhash.Read(f)
}

// Hash returns the hashes of the whole file's bytes, computed while fn reads the samples in
// order, so that the file is read once. What fn does not read, the header and what follows the
// samples, is read here.
func (s *Source) Hash(fn func() error) (none blockhash.Sums, err error) {
	h := &hasher{r: s.bytes, sum: blockhash.NewBuilder()}
	p, isPCM := s.frames.(*pcm)
	if isPCM {
		if err := h.upTo(p.offset); err != nil {
			return none, err
		}
		p.r = h
		defer func() { p.r = s.bytes }()
	}
	if err := fn(); err != nil {
		return none, err
	}
	st, err := s.file.Stat()
	if err != nil {
		return none, err
	}
	if err := h.upTo(st.Size()); err != nil {
		return none, err
	}
	return h.sum.Sums(), nil
}

// hasher adds to sum what is read in order.
type hasher struct {
	r   io.ReaderAt
	sum *blockhash.Builder
	pos int64
}

func (h *hasher) ReadAt(p []byte, off int64) (int, error) {
	n, err := h.r.ReadAt(p, off)
	if off == h.pos {
		_, _ = h.sum.Write(p[:n])
		h.pos += int64(n)
	}
	return n, err
}

func (h *hasher) upTo(end int64) error {
	n, err := io.Copy(h.sum, io.NewSectionReader(h.r, h.pos, end-h.pos))
	h.pos += n
	return err
}
