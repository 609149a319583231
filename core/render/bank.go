// Package render turns a reel and its weave into sound: blocks of its outputs, computed from the
// strands' files as they are asked for. Nothing is held but one block of each file in use, so
// memory depends on how much sounds at once and never on length.
package render

import (
	"errors"
	"fmt"
	"io"

	"zestyloom/core/audio"
	"zestyloom/core/snag"
	"zestyloom/core/source"
)

// Place is where a strand's sound is.
type Place struct {
	Path    string
	Channel int // from 0
}

// Resolve finds the file of a strand.
type Resolve func(strand string) (Place, error)

// bank reads strands. Strands of one file, read at the same position one after another as they
// are in a reel, cost one read of that file.
type bank struct {
	resolve Resolve
	rate    int
	places  map[string]Place
	files   map[string]*file
}

type file struct {
	src    *source.Source
	raw    []byte
	at     int64 // frame of raw[0]
	frames int   // in raw
}

// maxOpen bounds the files held open: a long reel uses many, a few at a time.
const maxOpen = 64

func newBank(resolve Resolve, rate int) *bank {
	return &bank{resolve: resolve, rate: rate, places: map[string]Place{}, files: map[string]*file{}}
}

func (b *bank) close() {
	for _, f := range b.files {
		f.src.Close()
	}
	clear(b.files)
}

func (b *bank) open(strand string) (*file, int, error) {
	p, ok := b.places[strand]
	if !ok {
		var err error
		if p, err = b.resolve(strand); err != nil {
			return nil, 0, err
		}
		b.places[strand] = p
	}
	f, ok := b.files[p.Path]
	if !ok {
		if len(b.files) >= maxOpen {
			b.close()
		}
		src, err := source.Open(p.Path)
		if err != nil {
			return nil, 0, fmt.Errorf("%s: %w", p.Path, err)
		}
		f = &file{src: src}
		b.files[p.Path] = f
		if src.Format.SampleRate != b.rate {
			return nil, 0, snag.Refuse("rate_differs", "%s is at %d Hz and the reel at %d Hz", p.Path, src.Format.SampleRate, b.rate)
		}
	}
	if p.Channel >= f.src.Format.Channels {
		return nil, 0, snag.Refuse("no_such_channel", "%s has %d channels, not %d", p.Path, f.src.Format.Channels, p.Channel+1)
	}
	return f, p.Channel, nil
}

// read fills dst with a strand's samples from a frame. A file that holds fewer is an error: a
// clip promises its length.
func (b *bank) read(strand string, dst []float64, frame int64) error {
	f, channel, err := b.open(strand)
	if err != nil {
		return err
	}
	if f.at != frame || f.frames < len(dst) {
		size := f.src.Format.FrameBytes()
		if need := len(dst) * size; cap(f.raw) < need {
			f.raw = make([]byte, need)
		}
		f.raw = f.raw[:len(dst)*size]
		f.at, f.frames = frame, 0
		for f.frames < len(dst) {
			n, err := f.src.ReadFrames(f.raw[f.frames*size:], frame+int64(f.frames))
			f.frames += n
			if errors.Is(err, io.EOF) || err == nil && n == 0 {
				return snag.Refuse("cut_short", "%s ends at frame %d, and frame %d is needed: has the file changed since intake?", b.places[strand].Path, frame+int64(f.frames), frame+int64(len(dst)))
			}
			if err != nil {
				return fmt.Errorf("%s: %w", b.places[strand].Path, err)
			}
		}
	}
	size := f.src.Format.FrameBytes()
	audio.DecodeChannel(dst, f.raw[:len(dst)*size], f.src.Format.Coding, f.src.Format.Channels, channel)
	return nil
}
