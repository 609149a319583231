package adm

import (
	"encoding/binary"
	"strings"

	"zestyloom/core/snag"
)

// track is an entry of the chunk chna: which identity a track of the file has (ITU-R BS.2088, clause 8).
type track struct {
	index int // from 1
	uid   string
	ref   string // of an audioTrackFormat, or an audioChannelFormat
	pack  string
}

const (
	chnaHead  = 4
	chnaEntry = 40
)

func marshalCHNA(tracks []track) []byte {
	used := map[int]bool{}
	for _, t := range tracks {
		used[t.index] = true
	}
	b := make([]byte, chnaHead+chnaEntry*len(tracks))
	binary.LittleEndian.PutUint16(b, uint16(len(used)))
	binary.LittleEndian.PutUint16(b[2:], uint16(len(tracks)))
	for i, t := range tracks {
		e := b[chnaHead+i*chnaEntry:]
		binary.LittleEndian.PutUint16(e, uint16(t.index))
		copy(e[2:14], t.uid)
		copy(e[14:28], t.ref)
		copy(e[28:39], t.pack)
	}
	return b
}

// parseCHNA reads the table; entries of index 0 are room that is not used.
func parseCHNA(b []byte) ([]track, error) {
	if len(b) < chnaHead {
		return nil, snag.Refuse("bad_adm", "the chunk chna holds %d bytes, fewer than its head of %d", len(b), chnaHead)
	}
	n := int(binary.LittleEndian.Uint16(b[2:]))
	if have := (len(b) - chnaHead) / chnaEntry; n > have {
		return nil, snag.Refuse("bad_adm", "the chunk chna says that it has %d entries, and holds %d", n, have)
	}
	var out []track
	text := func(b []byte) string { return strings.TrimRight(string(b), "\x00 ") }
	for i := range n {
		e := b[chnaHead+i*chnaEntry:][:chnaEntry]
		t := track{index: int(binary.LittleEndian.Uint16(e)), uid: text(e[2:14]), ref: text(e[14:28]), pack: text(e[28:39])}
		if t.index > 0 {
			out = append(out, t)
		}
	}
	return out, nil
}
