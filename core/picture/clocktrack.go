package picture

import (
	"bytes"
	"encoding/binary"
	"io"
	"os"

	"zestyloom/core/timecode"
)

// writeClock writes a QuickTime file that holds a timecode track and nothing else: one sample, the number of the first frame,
// that lasts frames of the timecode. ffmpeg writes such a track beside pictures alone, and copies one that it is given.
// The boxes are those of the QuickTime File Format (movie, track and media atoms; timecode media).
func writeClock(path string, rate timecode.Rate, first, frames int64) error {
	frames = max(1, min(frames, 1<<31-1))
	scale, each := uint32(rate.Num), uint32(rate.Den)
	length := uint32(min(int64(each)*frames, 1<<32-1))
	flags := uint32(2) // a day wraps
	if rate.Drop {
		flags |= 1
	}
	matrix := fields(uint32(0x10000), uint32(0), uint32(0), uint32(0), uint32(0x10000), uint32(0), uint32(0), uint32(0), uint32(0x40000000))
	font := box("tcmi", fields(uint32(0), uint16(0), uint16(0), uint16(12), uint16(0), [6]uint16{0, 0, 0, 0xFFFF, 0xFFFF, 0xFFFF}, uint8(0)))
	entry := box("tmcd", fields([6]byte{}, uint16(1), uint32(0), flags, scale, each, uint8(rate.Base()), uint8(0)))
	head := box("ftyp", []byte("qt  \x00\x00\x02\x00qt  "))
	at := uint32(len(head) + 8)
	table := box("stbl",
		box("stsd", fields(uint32(0), uint32(1)), entry),
		box("stts", fields(uint32(0), uint32(1), uint32(1), length)),
		box("stsc", fields(uint32(0), uint32(1), uint32(1), uint32(1), uint32(1))),
		box("stsz", fields(uint32(0), uint32(4), uint32(1))),
		box("stco", fields(uint32(0), uint32(1), at)))
	handler := func(kind, sub string) []byte {
		return box("hdlr", fields(uint32(0)), []byte(kind+sub), fields(uint32(0), uint32(0), uint32(0), uint8(0)))
	}
	track := box("trak",
		box("tkhd", fields(uint32(1), uint32(0), uint32(0), uint32(1), uint32(0), length, uint64(0), uint16(0), uint16(0), uint16(0), uint16(0)), matrix, fields(uint32(0), uint32(0))),
		box("mdia",
			box("mdhd", fields(uint32(0), uint32(0), uint32(0), scale, length, uint16(0), uint16(0))),
			handler("mhlr", "tmcd"),
			box("minf",
				box("gmhd", box("gmin", fields(uint32(0), uint16(0x40), [3]uint16{0x8000, 0x8000, 0x8000}, uint16(0), uint16(0))), box("tmcd", font)),
				handler("dhlr", "url "),
				box("dinf", box("dref", fields(uint32(0), uint32(1)), box("url ", fields(uint32(1))))),
				table)))
	movie := box("moov", box("mvhd", fields(uint32(0), uint32(0), uint32(0), scale, length, uint32(0x10000), uint16(0x100), [10]byte{}), matrix, fields([6]uint32{}, uint32(2))), track)
	out := append(append(head, box("mdat", fields(uint32(first)))...), movie...)
	return os.WriteFile(path, out, 0o600)
}

// box is an atom of a QuickTime file.
func box(kind string, parts ...[]byte) []byte {
	body := bytes.Join(parts, nil)
	out := binary.BigEndian.AppendUint32(make([]byte, 0, 8+len(body)), uint32(8+len(body)))
	return append(append(out, kind...), body...)
}

// fields are numbers, big-endian, one after the other.
func fields(values ...any) []byte {
	var b bytes.Buffer
	for _, v := range values {
		_ = binary.Write(&b, binary.BigEndian, v) // into memory, of fixed sizes: it can't fail
	}
	return b.Bytes()
}

// dropFrames marks the timecode tracks of a QuickTime file as counted with dropped frames: ffmpeg does not carry that over when
// it copies one.
func dropFrames(path string) error {
	f, err := os.OpenFile(path, os.O_RDWR, 0)
	if err != nil {
		return err
	}
	defer f.Close()
	st, err := f.Stat()
	if err != nil {
		return err
	}
	return walkBoxes(f, 0, st.Size(), func(kind string, at int64) error {
		if kind != "tmcd" {
			return nil
		}
		// After the head of the entry: 6 reserved, the index of its data 2, 4 reserved, flags.
		var flags [4]byte
		if _, err := f.ReadAt(flags[:], at+20); err != nil {
			return err
		}
		flags[3] |= 1
		_, err := f.WriteAt(flags[:], at+20)
		return err
	})
}

// walkBoxes says where the atoms begin that lie between two places of a file, and in those of the way to descriptions of samples.
func walkBoxes(r io.ReaderAt, at, end int64, found func(kind string, at int64) error) error {
	list, err := atoms(r, at, end)
	if err != nil {
		return err
	}
	for _, a := range list {
		switch a.kind {
		case "moov", "trak", "mdia", "minf", "stbl":
			err = walkBoxes(r, a.inner, a.ends, found)
		case "stsd": // its version and how many entries there are, and then those
			err = walkBoxes(r, a.inner+8, a.ends, found)
		default:
			err = found(a.kind, a.at)
		}
		if err != nil {
			return err
		}
	}
	return nil
}
