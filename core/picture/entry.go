package picture

import (
	"encoding/binary"
	"io"
	"os"

	"zestyloom/core/snag"
)

// A sample entry describes what the samples of a track are. What marks a track stands in it, in boxes behind its fields
// (ISO/IEC 14496-12, 8.5.2).

// Kinds of tracks, as their handler says.
const (
	soundTrack   = "soun"
	pictureTrack = "vide"
)

// entryWays finds the first sample entry of each track of a kind in a MOV or MP4, in the order of its tracks: the boxes that it is
// in, from the outermost (moov, trak, mdia, minf, stbl, stsd), and the entry.
func entryWays(r io.ReaderAt, size int64, kind string) (out [][]atom, err error) {
	top, err := atoms(r, 0, size)
	if err != nil {
		return nil, err
	}
	moov, ok := first(top, "moov")
	if !ok {
		return nil, nil
	}
	tracks, err := atoms(r, moov.inner, moov.ends)
	if err != nil {
		return nil, err
	}
	for _, trak := range tracks {
		if trak.kind != "trak" {
			continue
		}
		way := []atom{moov, trak}
		in, err := atoms(r, trak.inner, trak.ends)
		for _, name := range []string{"mdia", "minf", "stbl", "stsd"} {
			a, ok := first(in, name)
			if err != nil || !ok {
				break
			}
			if name == "minf" { // beside it stands what the track is of
				if hdlr, ok := first(in, "hdlr"); !ok || !handles(r, hdlr, kind) {
					break
				}
			}
			way = append(way, a)
			inner := a.inner
			if name == "stsd" {
				inner += 8 // its version, and how many entries there are
			}
			in, err = atoms(r, inner, a.ends)
		}
		if err != nil {
			return nil, err
		}
		if len(way) == 6 && len(in) > 0 {
			out = append(out, append(way, in[0]))
		}
	}
	return out, nil
}

func handles(r io.ReaderAt, hdlr atom, kind string) bool {
	var found [4]byte
	_, err := r.ReadAt(found[:], hdlr.inner+8)
	return err == nil && string(found[:]) == kind
}

// putBoxes puts boxes into the end of a sample entry, at a place in it: everything behind it moves by their length, and all that it
// is in grows by that. The movie has to come after its samples, as it does where it was written without it being moved.
func putBoxes(f *os.File, way []atom, at int64, boxes []byte) error {
	st, err := f.Stat()
	if err != nil {
		return err
	}
	if way[0].ends != st.Size() {
		return snag.Refuse("bad_field", "the movie is not at the end of the file: nothing can be put into it")
	}
	rest := make([]byte, st.Size()-at)
	if _, err := f.ReadAt(rest, at); err != nil {
		return err
	}
	if _, err := f.WriteAt(append(append([]byte{}, boxes...), rest...), at); err != nil {
		return err
	}
	for _, a := range way {
		size := a.ends - a.at + int64(len(boxes))
		if a.inner-a.at == 16 {
			if _, err := f.WriteAt(binary.BigEndian.AppendUint64(nil, uint64(size)), a.at+8); err != nil {
				return err
			}
			continue
		}
		if size > 1<<32-1 {
			return snag.Refuse("bad_field", "the movie is too large to be marked")
		}
		if _, err := f.WriteAt(binary.BigEndian.AppendUint32(nil, uint32(size)), a.at); err != nil {
			return err
		}
	}
	return nil
}
