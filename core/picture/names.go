package picture

import (
	"io"
	"os"
	"strings"
)

// SoundNames are the names of the sound tracks of a MOV or MP4, in their order, by our own parser: the name in the handler of each
// (ISO/IEC 14496-12, 8.4.3), which QuickTime files have with its length before it.
func SoundNames(path string) ([]string, error) {
	f, err := os.Open(path)
	if err != nil {
		return nil, err
	}
	defer f.Close()
	st, err := f.Stat()
	if err != nil {
		return nil, err
	}
	return soundNames(f, st.Size())
}

func soundNames(r io.ReaderAt, size int64) (out []string, err error) {
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
		in, err := atoms(r, trak.inner, trak.ends)
		if err != nil {
			return nil, err
		}
		mdia, ok := first(in, "mdia")
		if !ok {
			continue
		}
		if in, err = atoms(r, mdia.inner, mdia.ends); err != nil {
			return nil, err
		}
		hdlr, ok := first(in, "hdlr")
		if !ok || !handles(r, hdlr, soundTrack) {
			continue
		}
		raw := make([]byte, min(max(0, hdlr.ends-hdlr.inner-24), 1024))
		if _, err := r.ReadAt(raw, hdlr.inner+24); err != nil {
			return nil, err
		}
		name := handlerName(raw)
		if handlers.MatchString(name) { // what writers call the kind of a track
			name = ""
		}
		out = append(out, name)
	}
	return out, nil
}

// handlerName reads a name that ends in nought, or has its length before it.
func handlerName(raw []byte) string {
	if len(raw) > 0 && int(raw[0]) == len(raw)-1 {
		return string(raw[1:])
	}
	name, _, _ := strings.Cut(string(raw), "\x00")
	return name
}
