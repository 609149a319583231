package media

import (
	"context"
	"fmt"

	"zestyloom/core/audio"
	"zestyloom/core/snag"
	"zestyloom/core/source"
	"zestyloom/core/survey"
)

// ChannelOf is one channel of a file.
type ChannelOf struct {
	Path    string
	Channel int // from 0
}

// Relate surveys channels of several files of one rate together, as far as the shortest reaches, as if
// they were one recording: what intake finds within a file, it finds between the files of a set.
func Relate(ctx context.Context, channels []ChannelOf) (survey.Findings, error) {
	type track struct {
		src     *source.Source
		channel int
		raw     []byte
	}
	var tracks []track
	defer func() {
		for _, t := range tracks {
			t.src.Close()
		}
	}()
	var frames int64
	for i, c := range channels {
		src, err := source.Open(c.Path)
		if err != nil {
			return survey.Findings{}, fmt.Errorf("%s: %w", c.Path, err)
		}
		tracks = append(tracks, track{src: src, channel: c.Channel})
		if rate := tracks[0].src.Format.SampleRate; src.Format.SampleRate != rate {
			return survey.Findings{}, snag.Refuse("rate_differs", "%s is at %d Hz and %s at %d Hz", c.Path, src.Format.SampleRate, channels[0].Path, rate)
		}
		if i == 0 || src.Frames < frames {
			frames = src.Frames
		}
	}
	const block = 1 << 15
	planar := audio.NewBlock(len(tracks), block)
	s := survey.New(len(tracks), tracks[0].src.Format.SampleRate, frames, tracks[0].src.Format.Coding)
	part := make([][]float64, len(tracks))
	for at := int64(0); at < frames; {
		if err := ctx.Err(); err != nil {
			return survey.Findings{}, err
		}
		n := int(min(block, frames-at))
		for i := range tracks {
			t := &tracks[i]
			size := t.src.Format.FrameBytes()
			if t.raw == nil {
				t.raw = make([]byte, block*size)
			}
			for got := 0; got < n; {
				k, err := t.src.ReadFrames(t.raw[got*size:n*size], at+int64(got))
				if got += k; got < n && (err != nil || k == 0) {
					return survey.Findings{}, snag.Refuse("cut_short", "%s ends before frame %d: has it changed since intake?", t.src.Path(), at+int64(n))
				}
			}
			audio.DecodeChannel(planar[i], t.raw[:n*size], t.src.Format.Coding, t.src.Format.Channels, t.channel)
			part[i] = planar[i][:n]
		}
		s.Add(part)
		at += int64(n)
	}
	return s.Close(ctx)
}
