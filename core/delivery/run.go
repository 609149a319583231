package delivery

import (
	"context"

	"zestyloom/core/audio"
	"zestyloom/core/mix"
	"zestyloom/core/resample"
	"zestyloom/core/safely"
)

// feed is a channel of the graph that some channel of a file is.
type feed struct {
	signal  string // a bus's or track's ID; empty for the outputs
	channel int
}

// feeds are all that a plan needs, and which of them each channel of each file is: -1 for silence.
func (p Plan) feeds() (list []feed, of [][]int) {
	index := map[feed]int{}
	for _, f := range p.Files {
		row := make([]int, len(f.Channels))
		for c, ch := range f.Channels {
			k := feed{ch.Signal, ch.Of}
			if ch.Signal == "" {
				if ch.Output < 0 {
					row[c] = -1
					continue
				}
				k = feed{"", ch.Output}
			}
			i, ok := index[k]
			if !ok {
				i = len(list)
				index[k], list = i, append(list, k)
			}
			row[c] = i
		}
		of = append(of, row)
	}
	return list, of
}

// blockOf takes the channels of a file out of a block of all feeds; silence is what stands where there is no programme.
func blockOf(dst audio.Block, b audio.Block, of []int, silence []float64) audio.Block {
	dst = dst[:0]
	for _, i := range of {
		if i < 0 {
			dst = append(dst, silence[:b.Frames()])
		} else {
			dst = append(dst, b[i])
		}
	}
	return dst
}

// run computes all that the files of a plan hold, from their first frame to their last, in one run of the graph. each is
// handed blocks with a channel for every feed.
func (p Plan) run(ctx context.Context, sources mix.Sources, list []feed, each func(b audio.Block, at int64) error) error {
	at := int64(0)
	width := max(1, len(list)) // a plan of silence alone has a length as well
	out := func(b audio.Block) error {
		err := each(b, at)
		at += int64(b.Frames())
		return err
	}
	outside := func(to int64) error {
		for at < to {
			if err := ctx.Err(); err != nil {
				return err
			}
			b := audio.NewBlock(width, int(min(mix.BlockFrames, to-at)))
			p.outside(b, at)
			if err := out(b); err != nil {
				return err
			}
		}
		return nil
	}
	if err := outside(p.Lead); err != nil {
		return err
	}
	if len(list) > 0 && p.To > p.From {
		if err := p.programme(ctx, sources, list, out); err != nil {
			return err
		}
	}
	return outside(p.Frames)
}

// programme computes the programme.
func (p Plan) programme(ctx context.Context, sources mix.Sources, list []feed, out func(b audio.Block) error) error {
	program, err := mix.Compile(p.Reel, p.Rates.Reel, sources)
	if err != nil {
		return err
	}
	var signals []mix.Signal
	place := map[string]int{}
	for _, f := range list {
		if _, there := place[f.signal]; there {
			continue
		}
		place[f.signal] = len(signals)
		if f.signal == "" {
			signals = append(signals, mix.All())
		} else {
			signals = append(signals, mix.Of(f.signal))
		}
	}
	player, err := program.Play(signals...)
	if err != nil {
		return err
	}
	defer player.Close()
	b := make(audio.Block, len(list))
	var streams []*resample.Stream
	var converted audio.Block
	if p.Rates.Files != p.Rates.Reel {
		c, err := resample.New(p.Rates.Reel, p.Rates.Files)
		if err != nil {
			return err
		}
		converted = make(audio.Block, len(list))
		for range list {
			streams = append(streams, c.Stream())
		}
	}
	emit := func() error {
		if streams == nil {
			return out(b)
		}
		_ = safely.Each(2, len(list), func(i int) error {
			converted[i] = streams[i].Add(converted[i][:0], b[i])
			return nil
		})
		if converted.Frames() == 0 {
			return nil
		}
		return out(converted)
	}
	taps := make([]mix.Tap, len(signals))
	for s := range taps {
		last := s == len(taps)-1
		taps[s] = func(block audio.Block, _ int64) error {
			for i, f := range list {
				if place[f.signal] == s {
					b[i] = block[f.channel]
				}
			}
			if last {
				return emit()
			}
			return nil
		}
	}
	if err := player.Run(ctx, p.From, p.To, taps...); err != nil || streams == nil {
		return err
	}
	for i := range converted {
		converted[i] = streams[i].End(converted[i][:0])
	}
	if converted.Frames() == 0 {
		return nil
	}
	return out(converted)
}
