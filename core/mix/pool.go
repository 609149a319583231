package mix

import (
	"errors"
	"fmt"
	"io"
	"sync"

	"zestyloom/core/audio"
	"zestyloom/core/snag"
	"zestyloom/core/source"
)

// Bounds of what is held of files.
const (
	maxOpen   = 128     // files open at once: those that were read least recently go first
	pageBytes = 1 << 18 // of a stretch of a file that is held: more where that is less than two blocks of all its channels
	pagesHeld = 2       // of each file
)

// pool holds files open. It is safe for concurrent use.
type pool struct {
	mu    sync.Mutex
	files map[string]*file
	clock int64
	// opened counts, for the tests.
	opened int
}

// file is an open file and the stretches of it that were read last. Strands of one file that are read at about the same
// place, as they are in a reel, cost one read of it.
type file struct {
	path  string
	src   *source.Source
	users int   // how many are reading from it
	used  int64 // when somebody began to, last
	mu    sync.RWMutex
	pages [pagesHeld]page
	turn  int // the page that goes next
}

type page struct {
	raw    []byte
	at     int64 // its first frame
	frames int64
}

func newPool() *pool { return &pool{files: map[string]*file{}} }

// open finds a file, or opens it. release must be called when it has been read.
func (p *pool) open(of Source) (*file, error) {
	path := of.Path
	p.mu.Lock()
	defer p.mu.Unlock()
	f, ok := p.files[path]
	if !ok {
		p.makeRoom()
		src, err := source.OpenKnown(path, of.Known)
		if err != nil {
			return nil, fmt.Errorf("%s: %w", path, err)
		}
		f = &file{path: path, src: src}
		p.files[path] = f
		p.opened++
	}
	p.clock++
	f.used = p.clock
	f.users++
	return f, nil
}

func (p *pool) release(f *file) {
	p.mu.Lock()
	defer p.mu.Unlock()
	f.users--
}

// makeRoom closes what was read least recently. What is being read stays open, even if that is more than there should be.
func (p *pool) makeRoom() {
	for len(p.files) >= maxOpen {
		var oldest *file
		for _, f := range p.files {
			if f.users == 0 && (oldest == nil || f.used < oldest.used) {
				oldest = f
			}
		}
		if oldest == nil {
			return
		}
		oldest.src.Close()
		delete(p.files, oldest.path)
	}
}

func (p *pool) close() {
	p.mu.Lock()
	defer p.mu.Unlock()
	for _, f := range p.files {
		f.src.Close()
	}
	clear(p.files)
}

// decode fills dst with a channel's samples from a frame on. A file that ends before is an error: a clip promises its
// length.
func (f *file) decode(dst []float64, channel int, at int64) error {
	if channel < 0 || channel >= f.src.Format.Channels {
		return snag.Refuse("no_such_channel", "%s has %d channels, not %d", f.path, f.src.Format.Channels, channel+1)
	}
	for len(dst) > 0 {
		f.mu.RLock()
		n := f.held(dst, channel, at)
		f.mu.RUnlock()
		if n == 0 {
			if err := f.load(at); err != nil {
				return err
			}
			continue
		}
		dst, at = dst[n:], at+int64(n)
	}
	return nil
}

// held decodes what is held of what is asked for, from its beginning.
func (f *file) held(dst []float64, channel int, at int64) int {
	size := f.src.Format.FrameBytes()
	for i := range f.pages {
		p := &f.pages[i]
		if at < p.at || at >= p.at+p.frames {
			continue
		}
		n := min(int64(len(dst)), p.at+p.frames-at)
		raw := p.raw[(at-p.at)*int64(size):]
		return audio.DecodeChannel(dst[:n], raw[:n*int64(size)], f.src.Format.Coding, f.src.Format.Channels, channel)
	}
	return 0
}

// load reads the stretch that a frame lies in.
func (f *file) load(at int64) error {
	f.mu.Lock()
	defer f.mu.Unlock()
	for _, p := range f.pages {
		if at >= p.at && at < p.at+p.frames {
			return nil // by another meanwhile
		}
	}
	size := f.src.Format.FrameBytes()
	// As many as strands of it read at a time, at the least: else each would have them read anew in a file of many channels.
	frames := int64(max(2*BlockFrames, pageBytes/size))
	p := &f.pages[f.turn]
	f.turn = (f.turn + 1) % pagesHeld
	if p.raw == nil {
		p.raw = make([]byte, frames*int64(size))
	}
	p.at, p.frames = at/frames*frames, 0
	for p.frames < frames {
		n, err := f.src.ReadFrames(p.raw[p.frames*int64(size):], p.at+p.frames)
		p.frames += int64(n)
		if errors.Is(err, io.EOF) || err == nil && n == 0 {
			if p.at+p.frames <= at {
				return snag.Refuse("cut_short", "%s ends at frame %d, and frame %d is needed: has the file changed since intake?", f.path, p.at+p.frames, at)
			}
			return nil
		}
		if err != nil {
			if p.at+p.frames > at {
				return nil // what comes after may never be asked for
			}
			return fmt.Errorf("%s: %w", f.path, err)
		}
	}
	return nil
}
