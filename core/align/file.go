package align

import (
	"fmt"
	"io"

	"zestyloom/core/audio"
	"zestyloom/core/snag"
	"zestyloom/core/source"
)

// File is channels of a sound file heard together. Close its source when done with it.
type File struct {
	src      *source.Source
	channels []int
	raw      []byte
	one      []float64
}

// FromFile hears channels (from 0) of a file; none is all of them.
func FromFile(src *source.Source, channels ...int) *File {
	if len(channels) == 0 {
		for c := range src.Format.Channels {
			channels = append(channels, c)
		}
	}
	return &File{src: src, channels: channels}
}

// Rate implements Sound.
func (f *File) Rate() int { return f.src.Format.SampleRate }

// Frames implements Sound.
func (f *File) Frames() int64 { return f.src.Frames }

// Read implements Sound.
func (f *File) Read(dst []float64, frame int64) error {
	size := f.src.Format.FrameBytes()
	const block = 1 << 14 // frames
	if f.raw == nil {
		f.raw, f.one = make([]byte, block*size), make([]float64, block)
	}
	for len(dst) > 0 {
		want := min(block, len(dst))
		got := 0
		for got < want {
			n, err := f.src.ReadFrames(f.raw[got*size:want*size], frame+int64(got))
			got += n
			if got < want && (err == io.EOF || err == nil && n == 0) {
				return snag.Refuse("cut_short", "%s ends at frame %d of %d: has it changed meanwhile?", f.src.Path(), frame+int64(got), f.src.Frames)
			}
			if err != nil && err != io.EOF {
				return fmt.Errorf("%s: %w", f.src.Path(), err)
			}
		}
		raw := f.raw[:want*size]
		audio.DecodeChannel(dst[:want], raw, f.src.Format.Coding, f.src.Format.Channels, f.channels[0])
		for _, c := range f.channels[1:] {
			audio.DecodeChannel(f.one[:want], raw, f.src.Format.Coding, f.src.Format.Channels, c)
			for i, v := range f.one[:want] {
				dst[i] += v
			}
		}
		dst, frame = dst[want:], frame+int64(want)
	}
	return nil
}
