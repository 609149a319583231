package picture

import (
	"encoding/binary"
	"io"
	"os"

	"zestyloom/core/snag"
	"zestyloom/core/timecode"
)

// Clock is what a file's own timecode track says, read by our own parser: the number of its first frame, and how frames are
// counted.
type Clock struct {
	Frame int64
	Rate  timecode.Rate // with its drop flag
}

// String is the timecode.
func (c Clock) String() string { return c.Rate.Format(c.Frame) }

// readClock reads the first timecode track of a MOV (the tmcd media of the QuickTime File Format) or the first timecode
// component of an MXF (SMPTE ST 377-1, B.15), of a file that may not have got its name yet: ext is that of the name. ok is false where there is none.
func readClock(path, ext string) (c Clock, ok bool, err error) {
	if ext == ".mxf" {
		rate, there := mxfRate(path)
		start, found := mxfStart(path)
		return Clock{start, rate}, there && found, nil
	}
	f, err := os.Open(path)
	if err != nil {
		return c, false, err
	}
	defer f.Close()
	st, err := f.Stat()
	if err != nil {
		return c, false, err
	}
	top, err := atoms(f, 0, st.Size())
	if err != nil {
		return c, false, snag.Refuse("picture_unreadable", "%s: %w", path, err)
	}
	moov, ok := first(top, "moov")
	if !ok {
		return c, false, nil
	}
	tracks, err := atoms(f, moov.inner, moov.ends)
	if err != nil {
		return c, false, snag.Refuse("picture_unreadable", "%s: %w", path, err)
	}
	for _, t := range tracks {
		if t.kind != "trak" {
			continue
		}
		if c, ok, err = clockOf(f, t); ok || err != nil {
			return c, ok, err
		}
	}
	return c, false, nil
}

// clockOf reads a track, if it is one of timecode.
func clockOf(r io.ReaderAt, track atom) (c Clock, ok bool, err error) {
	var entry, chunks int64 = -1, -1
	err = walkBoxes(r, track.inner, track.ends, func(kind string, at int64) error {
		switch kind {
		case "tmcd":
			if entry < 0 {
				entry = at
			}
		case "stco", "co64":
			chunks = at
		}
		return nil
	})
	if err != nil || entry < 0 || chunks < 0 {
		return c, false, err
	}
	var head [26]byte // flags, scale, duration of a frame, frames a second
	var table [24]byte
	if _, err := r.ReadAt(head[:], entry+20); err != nil {
		return c, false, err
	}
	if _, err := r.ReadAt(table[:], chunks); err != nil && err != io.EOF {
		return c, false, err
	}
	be := binary.BigEndian
	at := int64(be.Uint32(table[16:]))
	if string(table[4:8]) == "co64" {
		at = int64(be.Uint64(table[16:]))
	}
	var number [4]byte
	if _, err := r.ReadAt(number[:], at); err != nil {
		return c, false, err
	}
	c.Rate = timecode.Rate{Num: int64(be.Uint32(head[4:])), Den: int64(be.Uint32(head[8:])), Drop: be.Uint32(head[:])&1 != 0}
	c.Frame = int64(be.Uint32(number[:]))
	return c, !c.Rate.Zero(), nil
}
