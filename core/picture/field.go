package picture

import (
	"encoding/binary"
	"fmt"
	"io"
	"os"
	"slices"
	"strconv"
	"strings"

	"zestyloom/core/snag"
)

// Field marks a sound stream as a sound field, as the SA3D box of spatial audio in MP4 and QuickTime files does (version 0): in
// ACN order and SN3D, with a head-locked stereo pair after it where HeadLocked.
type Field struct {
	Order      int  `json:"order"`
	HeadLocked bool `json:"head_locked,omitempty"`
}

// MaxFieldOrder is the highest order that is marked.
const MaxFieldOrder = 7

// Channels is how many a stream of it has.
func (f Field) Channels() int {
	n := (f.Order + 1) * (f.Order + 1)
	if f.HeadLocked {
		n += 2
	}
	return n
}

// Check refuses an order that can't be, and a stream that is not as wide as it has to be.
func (f Field) Check(channels int) error {
	if f.Order < 0 || f.Order > MaxFieldOrder {
		return snag.Refuse("bad_field", "a sound field of order %d: 0 to %d can be marked", f.Order, MaxFieldOrder)
	}
	if n := f.Channels(); n != channels {
		with := ""
		if f.HeadLocked {
			with = " and a head-locked pair after it"
		}
		return snag.Refuse("bad_field", "a sound field of order %d%s has %d channels, and the stream has %d", f.Order, with, n, channels)
	}
	return nil
}

// aacLayouts are the layouts that sound fields are coded in as AAC, by how many channels they have: of those that have no channel for low
// frequencies alone, and that ffmpeg's coder knows. Other widths it has none for.
var aacLayouts = map[int]string{4: "4.0", 6: "hexagonal", 16: "hexadecagonal"}

// aacEach is how many kbit/s each channel of a field has as AAC: directions are worked out from what differs between them.
const aacEach = 256

// InAAC reports whether a sound field can be coded as AAC.
func (f Field) InAAC() bool { return aacLayouts[f.Channels()] != "" }

// inOrder is a filter that has the channels of a field coded in their order, with no thought for speakers.
func (f Field) inOrder() string {
	places := make([]string, f.Channels())
	for i := range places {
		places[i] = strconv.Itoa(i)
	}
	return fmt.Sprintf("channelmap=map=%s:channel_layout=%s", strings.Join(places, "|"), aacLayouts[f.Channels()])
}

// sa3d is the box: version and type of 8 bits each, the order, the order of the channels (0: ACN) and their norm (0: SN3D), how many
// there are, and which comes where.
func (f Field) sa3d() []byte {
	kind := uint8(0)
	if f.HeadLocked {
		kind |= 0x80
	}
	places := make([]uint32, f.Channels())
	for i := range places {
		places[i] = uint32(i)
	}
	return box("SA3D", fields(uint8(0), kind, uint32(f.Order), uint8(0), uint8(0), uint32(len(places)), places))
}

// readSA3D reads a box's contents.
func readSA3D(b []byte) (*Field, error) {
	if len(b) < 12 || b[0] != 0 || b[1]&0x7F != 0 || b[6] != 0 || b[7] != 0 {
		return nil, snag.Refuse("bad_field", "the mark of a sound field (SA3D) is of a kind that is not known: ambisonic, ACN and SN3D of version 0 is expected")
	}
	f := &Field{Order: int(binary.BigEndian.Uint32(b[2:])), HeadLocked: b[1]&0x80 != 0}
	n := int64(binary.BigEndian.Uint32(b[8:]))
	if f.Order > MaxFieldOrder || n != int64(f.Channels()) || int64(len(b)) < 12+4*n {
		return nil, snag.Refuse("bad_field", "the mark of a sound field (SA3D) says order %d and %d channels, which can't be", binary.BigEndian.Uint32(b[2:]), n)
	}
	for i := range n {
		if binary.BigEndian.Uint32(b[12+4*i:]) != uint32(i) {
			return nil, snag.Refuse("bad_field", "the channels of a sound field (SA3D) are not in the order that they are marked as: that is not read")
		}
	}
	return f, nil
}

// soundEntry is the description of a sound stream's samples, the boxes that it is in, from the outermost, and the sound field that
// it is marked as.
type soundEntry struct {
	way      []atom // moov, trak, mdia, minf, stbl, stsd, and the entry
	field    *Field
	channels int // as the entry itself says
}

// soundEntries finds those of a MOV or MP4, in the order of its tracks.
func soundEntries(r io.ReaderAt, size int64) (out []soundEntry, err error) {
	ways, err := entryWays(r, size, soundTrack)
	for _, way := range ways {
		e := soundEntry{way: way}
		if e.field, e.channels, err = marked(r, way[len(way)-1]); err != nil {
			return nil, err
		}
		out = append(out, e)
	}
	return out, err
}

// marked is the sound field that an entry is marked as, nil for none, and how many channels the entry has. Its boxes come after
// 28 bytes of fields, and in QuickTime files after 16 or 36 more by the version of the description.
func marked(r io.ReaderAt, entry atom) (field *Field, channels int, err error) {
	var head [44]byte
	if n, _ := r.ReadAt(head[:], entry.inner); n < 28 {
		return nil, 0, nil // too short to be one
	}
	skip := int64(28)
	channels = int(binary.BigEndian.Uint16(head[16:]))
	switch binary.BigEndian.Uint16(head[8:]) {
	case 1:
		skip += 16
	case 2:
		skip += 36
		channels = int(binary.BigEndian.Uint32(head[40:]))
	}
	inside, err := atoms(r, entry.inner+skip, entry.ends)
	if err != nil {
		return nil, channels, nil //nolint:nilerr // what else stands there is none of ours
	}
	a, ok := first(inside, "SA3D")
	if !ok {
		return nil, channels, nil
	}
	b := make([]byte, min(a.ends-a.inner, 12+4*1024))
	if _, err := r.ReadAt(b, a.inner); err != nil {
		return nil, channels, err
	}
	// An entry of compressed sound need not say how many channels it has (ISO/IEC 14496-14: 2, whatever they are).
	if field, err = readSA3D(b); err == nil && entry.kind != "mp4a" {
		err = field.Check(channels)
	}
	return field, channels, err
}

// readFields finds which sound streams of a file are marked as sound fields, in their order; none where it has no such marks. A
// mark that can't be is refused: readers of sound take the width of a stream from it.
func readFields(path string) ([]*Field, error) {
	f, err := os.Open(path)
	if err != nil {
		return nil, err
	}
	defer f.Close()
	st, err := f.Stat()
	if err != nil {
		return nil, err
	}
	entries, err := soundEntries(f, st.Size())
	var out []*Field
	for _, e := range entries {
		out = append(out, e.field)
	}
	return out, err
}

// markFields marks sound streams of a MOV or MP4 as sound fields: nil is none. Its movie has to come after its samples, as it does
// where it was written without it being moved.
func markFields(path string, marks []*Field) error {
	if !slices.ContainsFunc(marks, func(f *Field) bool { return f != nil }) {
		return nil
	}
	f, err := os.OpenFile(path, os.O_RDWR, 0)
	if err != nil {
		return err
	}
	defer f.Close()
	for i, mark := range marks {
		if mark == nil {
			continue
		}
		if err := markField(f, i, *mark); err != nil {
			return err
		}
	}
	return nil
}

func markField(f *os.File, stream int, mark Field) error {
	st, err := f.Stat()
	if err != nil {
		return err
	}
	entries, err := soundEntries(f, st.Size())
	if err != nil {
		return err
	}
	if stream >= len(entries) {
		return snag.Refuse("bad_field", "there is no sound stream %d to mark: %d were found", stream+1, len(entries))
	}
	way := entries[stream].way
	return putBoxes(f, way, way[len(way)-1].ends, mark.sa3d())
}
