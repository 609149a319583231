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
	ways, err := entryWays(r, size, soundTrack)
	if err != nil {
		return nil, err
	}
	for _, way := range ways {
		mdia := way[2]
		in, err := atoms(r, mdia.inner, mdia.ends)
		if err != nil {
			return nil, err
		}
		hdlr, _ := first(in, "hdlr") // by which the track was found
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
