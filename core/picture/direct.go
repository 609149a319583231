package picture

import (
	"encoding/binary"
	"io"
	"os"
	"sort"
	"strings"

	"zestyloom/core/audio"
	"zestyloom/core/source"
	"zestyloom/core/wave"
)

// mostTable bounds the tables of a track that are read, in bytes.
const mostTable = 64 << 20

// direct opens the sound streams of a QuickTime or MP4 file where their samples lie, so that they are copied once and by nothing else than
// bytes. It gives nil for whatever is not plain: another container, compressed sound, pieces (moof), edits that cut or move, tables
// that do not agree with each other. Those are decoded by ffmpeg.
func (i *Info) direct(path string) []*source.Source {
	f, err := source.OpenFile(path)
	if err != nil {
		return nil
	}
	defer f.Close()
	st, err := f.Stat()
	if err != nil {
		return nil
	}
	entries, err := soundEntries(f, st.Size())
	if err != nil || len(entries) != len(i.Sound) {
		return nil
	}
	if top, err := atoms(f, 0, st.Size()); err != nil {
		return nil
	} else if _, pieces := first(top, "moof"); pieces {
		return nil
	}
	var out []*source.Source
	for n, s := range i.Sound {
		runs, frames, ok := s.lie(f, entries[n], st.Size())
		if !ok {
			closeAll(out)
			return nil
		}
		own, err := source.OpenFile(path)
		if err != nil {
			closeAll(out)
			return nil
		}
		format := wave.Format{Coding: s.Coding(), Channels: s.Channels, SampleRate: s.SampleRate}
		out = append(out, source.Bytes(own, &lying{own, runs}, format, frames, strings.HasSuffix(s.Codec, "be")))
	}
	return out
}

func closeAll(list []*source.Source) {
	for _, s := range list {
		s.Close()
	}
}

// plainCodecs are those whose bytes are the samples.
var plainCodecs = map[string]audio.Coding{
	"pcm_s16le": audio.S16, "pcm_s16be": audio.S16, "pcm_s24le": audio.S24, "pcm_s24be": audio.S24, "pcm_s32le": audio.S32, "pcm_s32be": audio.S32,
	"pcm_f32le": audio.F32, "pcm_f32be": audio.F32,
}

// run is a stretch of a stream that lies in one piece.
type run struct {
	at     int64 // in the stream, in bytes
	offset int64 // in the file
	length int64
}

// lie finds where the samples of a stream lie, in order.
func (s Stream) lie(r io.ReaderAt, e soundEntry, size int64) (runs []run, frames int64, ok bool) {
	coding, plain := plainCodecs[s.Codec]
	if !plain || coding != s.Coding() || len(e.way) != 7 {
		return nil, 0, false
	}
	trak, mdia, stbl := e.way[1], e.way[2], e.way[4]
	if !unedited(r, trak) || !counted(r, mdia, s.SampleRate) {
		return nil, 0, false
	}
	list, err := atoms(r, stbl.inner, stbl.ends)
	if err != nil {
		return nil, 0, false
	}
	stts, ok1 := table(r, list, "stts")
	stsz, ok2 := table(r, list, "stsz")
	stsc, ok3 := table(r, list, "stsc")
	stco, ok4 := table(r, list, "stco")
	wide := false
	if !ok4 {
		stco, ok4 = table(r, list, "co64")
		wide = true
	}
	be := binary.BigEndian
	frame := int64(s.Channels * coding.Bytes())
	if !ok1 || !ok2 || !ok3 || !ok4 || len(stts) < 16 || be.Uint32(stts[4:]) != 1 || be.Uint32(stts[12:]) != 1 || len(stsz) < 12 {
		return nil, 0, false
	}
	total := int64(be.Uint32(stsz[8:]))
	if each := int64(be.Uint32(stsz[4:])); each != 1 && each != frame && each != int64(coding.Bytes()) || total != int64(be.Uint32(stts[8:])) || s.Frames > 0 && total != s.Frames {
		return nil, 0, false
	}
	step := 4
	if wide {
		step = 8
	}
	chunks, kinds := int(be.Uint32(stco[4:])), int(be.Uint32(stsc[4:]))
	if chunks < 1 || kinds < 1 || len(stco) < 8+chunks*step || len(stsc) < 8+kinds*12 {
		return nil, 0, false
	}
	kind, per := 0, int64(0)
	at := int64(0)
	for c := range chunks {
		if kind < kinds && int(be.Uint32(stsc[8+kind*12:])) == c+1 {
			per = int64(be.Uint32(stsc[8+kind*12+4:]))
			if be.Uint32(stsc[8+kind*12+8:]) != 1 {
				return nil, 0, false // of another description
			}
			kind++
		}
		offset := int64(be.Uint32(stco[8+c*step:]))
		if wide {
			offset = int64(be.Uint64(stco[8+c*step:]))
		}
		length := per * frame
		if per < 1 || offset < 0 || offset > size-length {
			return nil, 0, false
		}
		if n := len(runs); n > 0 && runs[n-1].offset+runs[n-1].length == offset {
			runs[n-1].length += length
		} else {
			runs = append(runs, run{at, offset, length})
		}
		at += length
	}
	return runs, total, at == total*frame
}

// table is what a box of a sample table holds.
func table(r io.ReaderAt, list []atom, kind string) ([]byte, bool) {
	a, ok := first(list, kind)
	if !ok || a.ends-a.inner > mostTable || a.ends-a.inner < 8 {
		return nil, false
	}
	b := make([]byte, a.ends-a.inner)
	_, err := r.ReadAt(b, a.inner)
	return b, err == nil
}

// unedited reports whether all of a track is played as it lies: without edits, or with one of all of it, after nothing or a wait.
func unedited(r io.ReaderAt, trak atom) bool {
	in, err := atoms(r, trak.inner, trak.ends)
	if err != nil {
		return false
	}
	edts, ok := first(in, "edts")
	if !ok {
		return true
	}
	in, err = atoms(r, edts.inner, edts.ends)
	if err != nil {
		return false
	}
	elst, ok := table(r, in, "elst")
	if !ok {
		return len(in) == 0
	}
	be := binary.BigEndian
	n, size := int(be.Uint32(elst[4:])), 12
	if elst[0] == 1 {
		size = 20
	}
	if n > 16 || len(elst) < 8+n*size {
		return false
	}
	whole := 0
	for k := range n {
		e := elst[8+k*size:]
		media := int64(int32(be.Uint32(e[4:])))
		if size == 20 {
			media = int64(be.Uint64(e[8:]))
		}
		switch rate := be.Uint32(e[size-4:]); {
		case rate != 1<<16:
			return false
		case media == -1 && whole == 0:
		case media == 0 && whole == 0:
			whole++
		default:
			return false
		}
	}
	return whole == 1
}

// counted reports whether a track counts in samples.
func counted(r io.ReaderAt, mdia atom, rate int) bool {
	in, err := atoms(r, mdia.inner, mdia.ends)
	if err != nil {
		return false
	}
	b, ok := table(r, in, "mdhd")
	if !ok || len(b) < 24 {
		return false
	}
	scale := binary.BigEndian.Uint32(b[12:])
	if b[0] == 1 {
		scale = binary.BigEndian.Uint32(b[20:])
	}
	return int(scale) == rate
}

// lying reads bytes of a stream from where they lie in its file.
type lying struct {
	file *os.File
	runs []run
}

// ReadAt implements io.ReaderAt.
func (l *lying) ReadAt(p []byte, at int64) (n int, err error) {
	k := sort.Search(len(l.runs), func(k int) bool { return l.runs[k].at+l.runs[k].length > at })
	for ; n < len(p); k++ {
		if k == len(l.runs) {
			return n, io.EOF
		}
		r := l.runs[k]
		skip := at + int64(n) - r.at
		some := min(int64(len(p)-n), r.length-skip)
		got, err := l.file.ReadAt(p[n:n+int(some)], r.offset+skip)
		n += got
		if int64(got) < some {
			return n, err
		}
	}
	return n, nil
}
