package monitor

import (
	"context"

	"zestyloom/core/audio"
	"zestyloom/core/mix"
	"zestyloom/core/resample"
)

// Signal gives the inputs of a signal of a program, one for each of its channels, on the reel's clock: a clip, a track,
// a bus, the outputs. They are computed together by one player.
func Signal(p *mix.Program, s mix.Signal) ([]Input, error) {
	layout, err := p.Layout(s)
	if err != nil {
		return nil, err
	}
	start, _ := p.Span()
	shared := &computed{program: p, signal: s}
	inputs := make([]Input, layout.Count)
	for c := range inputs {
		inputs[c] = Input{At: float64(start), Open: func(rate int) (Sound, error) { return shared.open(c, rate) }}
	}
	return inputs, nil
}

// computed is a signal that is being played, and the stretch of it that was computed last: all channels ask for the
// same one after the other.
type computed struct {
	program *mix.Program
	signal  mix.Signal
	player  *mix.Player
	users   int // channels that are
	block   audio.Block
	from    int64
}

// channel is one channel of it at a rate.
type channel struct {
	of     *computed
	number int
	conv   *resample.Converter // nil at the program's own rate
	frames int64
	in     []float64
}

func (c *computed) open(number, rate int) (Sound, error) {
	start, end := c.program.Span()
	ch := &channel{of: c, number: number, frames: end - start}
	if own := c.program.Rate(); rate != own {
		var err error
		if ch.conv, err = resample.New(own, rate); err != nil {
			return nil, err
		}
		ch.frames = ch.conv.Frames(ch.frames)
	}
	if c.player == nil {
		var err error
		if c.player, err = c.program.Play(c.signal); err != nil {
			return nil, err
		}
	}
	c.users++
	return ch, nil
}

// read has [from, to) computed, counted from the reel's start.
func (c *computed) read(from, to int64) error {
	if c.from == from && int64(c.block.Frames()) == to-from {
		return nil
	}
	start, _ := c.program.Span()
	for done := from; done < to; done += mix.BlockFrames {
		n := min(mix.BlockFrames, to-done)
		b, err := c.player.Read(context.Background(), start+done, int(n))
		if err != nil {
			c.block = nil
			return err
		}
		if done == from {
			c.block, c.from = audio.NewBlock(len(b[0]), int(to-from)), from
		}
		for i, x := range b[0] {
			copy(c.block[i][done-from:], x)
		}
	}
	return nil
}

// Frames implements Sound.
func (c *channel) Frames() int64 { return c.frames }

// Read implements Sound.
func (c *channel) Read(dst []float64, frame int64) error {
	if c.conv == nil {
		if err := c.of.read(frame, frame+int64(len(dst))); err != nil {
			return err
		}
		copy(dst, c.of.block[c.number])
		return nil
	}
	start, end := c.of.program.Span()
	lo, hi := c.conv.Needs(frame, len(dst))
	c.in = append(c.in[:0], make([]float64, hi-lo)...)
	if from, to := max(lo, 0), min(hi, end-start); from < to {
		if err := c.of.read(from, to); err != nil {
			return err
		}
		copy(c.in[from-lo:], c.of.block[c.number])
	}
	c.conv.Convert(dst, c.in, frame)
	return nil
}

// Close implements Sound.
func (c *channel) Close() {
	if c.of.users--; c.of.users == 0 {
		c.of.player.Close()
		c.of.player = nil
		c.of.block = nil
	}
}
