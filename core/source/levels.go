package source

import (
	"context"
	"errors"
	"io"

	"zestyloom/core/audio"
	"zestyloom/core/readahead"
	"zestyloom/core/safely"
)

// Levels reads all samples once and returns the level of every channel. The halves of a block
// are measured at once, while the next is read. progress, if not nil, is told the frames done.
func Levels(ctx context.Context, s *Source, progress func(done int64)) ([]audio.Level, error) {
	levels := make([]audio.Level, s.Format.Channels)
	frameBytes := s.Format.FrameBytes()
	other := make([]audio.Level, len(levels))
	err := s.EachBlock(ctx, 1<<20, func(raw []byte, at int64) error {
		half := len(raw) / 2 / frameBytes * frameBytes
		safely.Both(
			func() { audio.AddLevels(levels, raw[:half], s.Format.Coding) },
			func() { audio.AddLevels(other, raw[half:], s.Format.Coding) })
		if progress != nil {
			progress(at + int64(len(raw)/frameBytes))
		}
		return nil
	})
	for c := range levels {
		levels[c].Merge(other[c])
	}
	return levels, err
}

// EachBlock reads the whole file in blocks of about size bytes and calls fn with each and the
// number of its first frame, in order, while the next block is being read. A file that ends before
// the frames it was found to hold is an error.
func (s *Source) EachBlock(ctx context.Context, size int, fn func(raw []byte, frame int64) error) error {
	frameBytes := s.Format.FrameBytes()
	var reading, used int64
	fill := func(buf []byte) (int, error) {
		if reading >= s.Frames {
			return 0, io.EOF
		}
		n, err := s.ReadFrames(buf, reading)
		if err == nil && n == 0 || errors.Is(err, io.EOF) {
			err = io.ErrUnexpectedEOF // the file shrank while it was read
		}
		reading += int64(n)
		return n * frameBytes, err
	}
	return readahead.Run(ctx, max(1, size/frameBytes)*frameBytes, fill, func(raw []byte) error {
		at := used
		used += int64(len(raw) / frameBytes)
		return fn(raw, at)
	})
}
