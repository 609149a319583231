package source

import (
	"context"
	"fmt"
	"io"
	"path/filepath"

	"zestyloom/core/audio"
	"zestyloom/core/readahead"
	"zestyloom/core/snag"
)

// Sound is one or several open files as one sound: the channels of the first, then those of the second, and so on.
type Sound struct {
	Rate     int
	Channels int
	Frames   int64
	srcs     []*Source
}

// Together makes one sound of files that have the same rate and length. The files stay the caller's to close.
func Together(srcs ...*Source) (*Sound, error) {
	first := srcs[0]
	s := &Sound{Rate: first.Format.SampleRate, Frames: first.Frames, srcs: srcs}
	for _, src := range srcs {
		switch {
		case src.Format.SampleRate != s.Rate:
			return nil, snag.Refuse("rate_differs", "%s has %d Hz and %s %d Hz: files that are one sound have the same rate", filepath.Base(first.Path()), s.Rate, filepath.Base(src.Path()), src.Format.SampleRate)
		case src.Frames != s.Frames:
			return nil, snag.Refuse("length_differs", "%s has %d frames and %s %d: files that are one sound are equally long", filepath.Base(first.Path()), s.Frames, filepath.Base(src.Path()), src.Frames)
		}
		s.Channels += src.Format.Channels
	}
	if s.Channels > audio.MaxChannels {
		return nil, snag.Refuse("too_many_channels", "%d channels: at most %d can be one sound", s.Channels, audio.MaxChannels)
	}
	return s, nil
}

// Run reads the frames [from, to) and hands them over block by block, in order, while the next are read. A block is valid,
// and may be changed, during the call.
func (s *Sound) Run(ctx context.Context, from, to int64, fn func(b audio.Block, at int64) error) error {
	const frames = 1 << 15
	size := 0
	for _, src := range s.srcs {
		size += src.Format.FrameBytes()
	}
	room := audio.NewBlock(s.Channels, frames)
	block := make(audio.Block, s.Channels)
	next, at := from, from
	return readahead.Run(ctx, frames*size, func(buf []byte) (int, error) {
		n := min(frames, to-next)
		if n <= 0 {
			return 0, io.EOF
		}
		used := 0
		for _, src := range s.srcs {
			part := int(n) * src.Format.FrameBytes()
			if err := src.ReadFull(buf[used:used+part], next); err != nil {
				return 0, err
			}
			used += part
		}
		next += n
		return used, nil
	}, func(raw []byte) error {
		n := len(raw) / size
		c := 0
		for _, src := range s.srcs {
			part := raw[:n*src.Format.FrameBytes()]
			raw = raw[len(part):]
			for k := range src.Format.Channels {
				block[c] = room[c][:n]
				audio.DecodeChannel(block[c], part, src.Format.Coding, src.Format.Channels, k)
				c++
			}
		}
		defer func() { at += int64(n) }()
		return fn(block, at)
	})
}

// ReadFull fills p with whole frames from a position, or says where the file ended before it was to.
func (s *Source) ReadFull(p []byte, frame int64) error {
	size := s.Format.FrameBytes()
	for len(p) > 0 {
		n, err := s.ReadFrames(p, frame)
		if n == 0 && (err == nil || err == io.EOF) {
			return snag.Refuse("cut_short", "%s ends at frame %d of %d: has it changed meanwhile?", s.Path(), frame, s.Frames)
		}
		if err != nil && err != io.EOF {
			return fmt.Errorf("%s: %w", s.Path(), err)
		}
		p, frame = p[n*size:], frame+int64(n)
	}
	return nil
}

// Layout is what the channels stand for, as far as the files say: by their speaker masks, by labels or names that are
// speakers, and one or two channels as mono and stereo. Else they stand for no place, and sure is false.
func (s *Sound) Layout() (l audio.Layout, sure bool) {
	var speakers []audio.Speaker
	named := true
	for _, src := range s.srcs {
		name := filepath.Base(src.Path())
		var own []audio.Speaker
		if m := audio.MaskSpeakers(src.Format.Mask); src.Format.Channels > 1 && len(m) == src.Format.Channels {
			own = m
		} else {
			for _, t := range src.Gather(name).Tracks {
				sp, ok := audio.ParseSpeaker(t.Label)
				if !ok && src.Format.Channels == 1 {
					sp = ParseName(name).Speaker
					ok = sp != ""
				}
				named = named && ok
				own = append(own, sp)
			}
		}
		speakers = append(speakers, own...)
	}
	if named {
		if _, ok := audio.LayoutOf(speakers); ok {
			if l, err := audio.InOrder(speakers); err == nil {
				return l, true
			}
		}
	}
	switch s.Channels {
	case 1:
		l, _ = audio.ParseLayout("mono")
		return l, true
	case 2:
		l, _ = audio.ParseLayout("stereo")
		return l, true
	}
	l, _ = audio.DiscreteLayout(s.Channels)
	return l, false
}
