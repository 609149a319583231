package picture

import (
	"encoding/binary"
	"fmt"
	"io"
)

// atom is a box in a file: where it begins, where what is in it begins, and where it ends.
type atom struct {
	kind            string
	at, inner, ends int64
}

// atoms lists the boxes between two places of a file.
func atoms(r io.ReaderAt, at, end int64) (out []atom, err error) {
	for at+8 <= end {
		var head [16]byte
		if _, err := r.ReadAt(head[:8], at); err != nil {
			return nil, err
		}
		a := atom{kind: string(head[4:8]), at: at, inner: at + 8}
		size := int64(binary.BigEndian.Uint32(head[:]))
		switch size {
		case 0:
			size = end - at
		case 1:
			if _, err := r.ReadAt(head[8:], at+8); err != nil {
				return nil, err
			}
			size, a.inner = int64(binary.BigEndian.Uint64(head[8:])), at+16
		}
		if size < a.inner-at || size > end-at {
			return nil, fmt.Errorf("an atom of %d bytes at byte %d, where %d are left", size, at, end-at)
		}
		a.ends = at + size
		if out = append(out, a); len(out) > 1<<16 {
			return nil, fmt.Errorf("more than %d atoms at byte %d", 1<<16, at)
		}
		at = a.ends
	}
	return out, nil
}

func first(list []atom, kind string) (atom, bool) {
	for _, a := range list {
		if a.kind == kind {
			return a, true
		}
	}
	return atom{}, false
}
