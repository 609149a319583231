package source

import (
	"io"

	"github.com/cespare/xxhash/v2"
)

// HashFile returns the xxHash-64 of all bytes of a file of any kind. Errors are those of OpenFile and of reading.
func HashFile(path string) (uint64, error) {
	f, err := OpenFile(path)
	if err != nil {
		return 0, err
	}
	defer f.Close()
	h := xxhash.New()
	_, err = io.Copy(h, f)
	return h.Sum64(), err
}

// Hash returns the xxHash-64 of the whole file's bytes, computed while fn reads the samples in
// order, so that the file is read once. What fn does not read, the header and what follows the
// samples, is read here.
func (s *Source) Hash(fn func() error) (uint64, error) {
	h := &hasher{r: s.file, sum: xxhash.New()}
	p, isPCM := s.frames.(*pcm)
	if isPCM {
		if err := h.upTo(p.offset); err != nil {
			return 0, err
		}
		p.r = h
		defer func() { p.r = s.file }()
	}
	if err := fn(); err != nil {
		return 0, err
	}
	st, err := s.file.Stat()
	if err != nil {
		return 0, err
	}
	if err := h.upTo(st.Size()); err != nil {
		return 0, err
	}
	return h.sum.Sum64(), nil
}

// hasher adds to sum what is read in order.
type hasher struct {
	r   io.ReaderAt
	sum *xxhash.Digest
	pos int64
}

func (h *hasher) ReadAt(p []byte, off int64) (int, error) {
	n, err := h.r.ReadAt(p, off)
	if off == h.pos {
		h.sum.Write(p[:n])
		h.pos += int64(n)
	}
	return n, err
}

func (h *hasher) upTo(end int64) error {
	n, err := io.Copy(h.sum, io.NewSectionReader(h.r, h.pos, end-h.pos))
	h.pos += n
	return err
}
