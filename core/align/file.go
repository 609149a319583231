package align

import (
	"zestyloom/core/audio"
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
		raw := f.raw[:want*size]
		if err := f.src.ReadFull(raw, frame); err != nil {
			return err
		}
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
