// Package blockhash tells whether any part of a file is what it was when the file was read first: the file's bytes are
// hashed in blocks of Size, once, and whoever reads some of them later has the blocks that these lie in hashed on the way
// (Reader). What is handed on has been compared: there is no moment between looking and reading. Hashes are xxHash-64:
// they find accidents, damage and edits, and are no defence against somebody who works out a block with the same hash.
package blockhash

import (
	"encoding/binary"
	"errors"
	"fmt"
	"io"

	"github.com/cespare/xxhash/v2"
)

// Size of a block in bytes; the last of a file may be shorter. Reading a span reads at most this much more at either end.
const Size = 1 << 18

// Sums are the hashes of a file.
type Sums struct {
	Bytes int64    // of the file
	Whole uint64   // of all of it
	Of    []uint64 // of every block
}

// Hash is that of the whole file as it is kept and shown: 16 hexadecimal digits.
func (s Sums) Hash() string { return fmt.Sprintf("%016x", s.Whole) }

// Read hashes what r gives, to its end.
func Read(r io.Reader) (Sums, error) {
	b := NewBuilder()
	_, err := io.Copy(b, r)
	return b.Sums(), err
}

// Builder hashes what is written to it, as whole and by blocks. Its writes never fail.
type Builder struct {
	whole, block *xxhash.Digest
	left         int // of the block
	sums         Sums
}

// NewBuilder begins a file.
func NewBuilder() *Builder {
	return &Builder{whole: xxhash.New(), block: xxhash.New(), left: Size}
}

// Write implements io.Writer.
func (b *Builder) Write(p []byte) (int, error) {
	n := len(p)
	for len(p) > 0 {
		part := p[:min(len(p), b.left)]
		_, _ = b.whole.Write(part)
		_, _ = b.block.Write(part)
		p, b.left = p[len(part):], b.left-len(part)
		if b.left == 0 {
			b.sums.Of, b.left = append(b.sums.Of, b.block.Sum64()), Size
			b.block.Reset()
		}
	}
	b.sums.Bytes += int64(n)
	return n, nil
}

// Sums are those of what was written so far.
func (b *Builder) Sums() Sums {
	s := b.sums
	s.Whole, s.Of = b.whole.Sum64(), append([]uint64(nil), s.Of...)
	if b.left < Size {
		s.Of = append(s.Of, b.block.Sum64())
	}
	return s
}

// form names how Encode writes sums: the block size and the hash are part of it.
const form = 1

// errForm says that bytes are no sums.
var errForm = errors.New("blockhash: these are no hashes of blocks")

// Encode writes sums as bytes: a byte for the form, then bytes, whole and each block's as 64 bits, little-endian.
func (s Sums) Encode() []byte {
	out := make([]byte, 0, 17+8*len(s.Of))
	out = append(out, form)
	out = binary.LittleEndian.AppendUint64(out, uint64(s.Bytes))
	out = binary.LittleEndian.AppendUint64(out, s.Whole)
	for _, h := range s.Of {
		out = binary.LittleEndian.AppendUint64(out, h)
	}
	return out
}

// Decode reads what Encode wrote.
func Decode(p []byte) (Sums, error) {
	if len(p) < 17 || p[0] != form || (len(p)-17)%8 != 0 {
		return Sums{}, errForm
	}
	s := Sums{Bytes: int64(binary.LittleEndian.Uint64(p[1:])), Whole: binary.LittleEndian.Uint64(p[9:])}
	for p = p[17:]; len(p) > 0; p = p[8:] {
		s.Of = append(s.Of, binary.LittleEndian.Uint64(p))
	}
	if s.Bytes < 0 || s.Bytes/Size+min(1, s.Bytes%Size) != int64(len(s.Of)) {
		return Sums{}, errForm
	}
	return s, nil
}

// Differs is the error of a block that is not what it was.
type Differs struct {
	Block    int64 // from 0
	From, To int64 // its bytes in the file, To excluded
	Short    bool  // the file ends before To
}

func (d *Differs) Error() string {
	if d.Short {
		return fmt.Sprintf("it ends before byte %d, within block %d of %d bytes", d.To, d.Block, Size)
	}
	return fmt.Sprintf("block %d (bytes %d to %d) has other contents", d.Block, d.From, d.To-1)
}

// Reader reads a file whose sums are known. What it gives is what was hashed; a block that is other is an error, *Differs,
// and none of its bytes are given. It is not safe for concurrent use.
type Reader struct {
	r      io.ReaderAt
	sums   Sums
	held   []byte // the block that was read last
	which  int64  // its number, -1 for none
	failed *Differs
}

// NewReader reads r as what sums say.
func NewReader(r io.ReaderAt, sums Sums) *Reader {
	return &Reader{r: r, sums: sums, which: -1}
}

// Failed is the first block that was found to be other than it was; nil while there is none.
func (r *Reader) Failed() *Differs { return r.failed }

// ReadAt implements io.ReaderAt. Reading on from where the last call ended reads every block once.
func (r *Reader) ReadAt(p []byte, off int64) (n int, err error) {
	if off < 0 {
		return 0, errors.New("blockhash: a position before the file")
	}
	for len(p) > 0 {
		if off >= r.sums.Bytes {
			return n, io.EOF
		}
		block := off / Size
		from := block * Size
		size := int(min(Size, r.sums.Bytes-from))
		var k int
		switch {
		case r.which == block:
			k = copy(p, r.held[off-from:])
		case off == from && len(p) >= size: // straight to where it is wanted
			k = size
			err = r.compare(p[:size], block)
		default:
			if r.held == nil {
				r.held = make([]byte, Size)
			}
			r.held, r.which = r.held[:size], -1
			if err = r.compare(r.held, block); err == nil {
				r.which = block
				k = copy(p, r.held[off-from:])
			}
		}
		if err != nil {
			return n, err
		}
		n, off, p = n+k, off+int64(k), p[k:]
	}
	return n, nil
}

// compare reads a block into p and holds it against its hash.
func (r *Reader) compare(p []byte, block int64) error {
	from := block * Size
	n, err := r.r.ReadAt(p, from)
	switch {
	case n == len(p) && xxhash.Sum64(p) == r.sums.Of[block]:
		return nil
	case n < len(p) && err != nil && !errors.Is(err, io.EOF):
		return err
	}
	clear(p) // nobody uses it by mistake
	d := &Differs{Block: block, From: from, To: from + int64(len(p)), Short: n < len(p)}
	if r.failed == nil {
		r.failed = d
	}
	return d
}
