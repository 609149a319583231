package media

import (
	"context"
	"fmt"

	"zestyloom/core/audio"
	"zestyloom/core/snag"
	"zestyloom/core/source"
	"zestyloom/core/survey"
	"zestyloom/core/take"
)

// ChannelOf is one channel of a file.
type ChannelOf struct {
	Path    string
	Channel int           // from 0
	Known   *source.Known // nil where nothing is
}

// Relate surveys channels of several files of one rate together, as far as the shortest reaches, as if
// they were one recording: what intake finds within a file, it finds between the files of a set.
func Relate(ctx context.Context, channels []ChannelOf) (survey.Findings, error) {
	return related(ctx, channels, 2, func(frames int64, _ int) [][2]int64 { return [][2]int64{{0, frames}} })
}

// RelatePieces does so by take.Pieces of them, which is enough to find that one is a mix of others. So many of the first are
// likely mixes.
func RelatePieces(ctx context.Context, channels []ChannelOf, likely int) (survey.Findings, error) {
	return related(ctx, channels, likely, take.Pieces)
}

func related(ctx context.Context, channels []ChannelOf, likely int, pieces func(frames int64, rate int) [][2]int64) (survey.Findings, error) {
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
		src, err := source.OpenKnown(c.Path, c.Known)
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
	rate := tracks[0].src.Format.SampleRate
	surveyed := pieces(frames, rate)
	var all int64
	for _, p := range surveyed {
		all += p[1]
	}
	s := survey.New(len(tracks), rate, all, tracks[0].src.Format.Coding)
	s.Likely(likely)
	part := make([][]float64, len(tracks))
	for _, p := range surveyed {
		for at, end := p[0], p[0]+p[1]; at < end; {
			if err := ctx.Err(); err != nil {
				return survey.Findings{}, err
			}
			n := int(min(block, end-at))
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
	}
	return s.Close(ctx)
}
