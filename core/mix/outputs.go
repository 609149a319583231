package mix

import (
	"context"

	"zestyloom/core/audio"
)

// outs are outputs that are not just their channel: trimmed, turned over or late. What is late needs what came before, which
// is kept from block to block, and computed where a block does not follow the last.
type outs struct {
	list    []int // of a program's outputs
	longest int
	past    [][]float64 // the last samples of each, as many as it is late
}

func (p *Program) outs() *outs {
	o := &outs{}
	for i, out := range p.outputs {
		if out.node < 0 || out.plain() {
			continue
		}
		o.list = append(o.list, i)
		o.past = append(o.past, make([]float64, out.delay))
		o.longest = max(o.longest, out.delay)
	}
	return o
}

// follow makes the past be what comes before a sample: of outputs that are late, and of what is treated.
func (pl *Player) follow(ctx context.Context, s *set, at int64) error {
	o := pl.outs
	if pl.follows && pl.next == at {
		return nil
	}
	pl.follows = false
	for _, past := range o.past {
		clear(past)
	}
	for from := pl.reach(at - int64(o.longest)); from < at; from += BlockFrames {
		n := int(min(BlockFrames, at-from))
		if err := pl.stagesOf(ctx, s, from, n); err != nil {
			return err
		}
		for k, i := range o.list {
			if len(o.past[k]) > 0 {
				o.past[k] = shift(o.past[k], s.channel(pl.p.outputs[i], n))
			}
		}
	}
	return nil
}

// shift is the last samples of past and then x, as many as past has.
func shift(past, x []float64) []float64 {
	if len(x) >= len(past) {
		copy(past, x[len(x)-len(past):])
		return past
	}
	copy(past, past[len(x):])
	copy(past[len(past)-len(x):], x)
	return past
}

// make fills the blocks of the outputs in the list.
func (pl *Player) outsOf(s *set, at int64, n int) {
	o := pl.outs
	for k, i := range o.list {
		out := pl.p.outputs[i]
		x, dst := s.channel(out, n), s.outs[k][:n]
		late := min(n, out.delay)
		for j := range late {
			dst[j] = 0 + float64(o.past[k][j]*out.factor)
		}
		for j := late; j < n; j++ {
			dst[j] = 0 + float64(x[j-late]*out.factor)
		}
		if out.delay > 0 {
			o.past[k] = shift(o.past[k], x)
		}
	}
	pl.next, pl.follows = at+int64(n), true
}

// channel is a block of the channel that an output takes.
func (s *set) channel(o output, n int) []float64 {
	if o.node < 0 || s.silent[o.node] || s.post[o.node][o.channel] == nil {
		return s.nothing[:n]
	}
	return s.post[o.node][o.channel][:n]
}

// outputsOf is a block of all outputs.
func (pl *Player) outputsOf(s *set, n int) audio.Block {
	b := make(audio.Block, len(pl.p.outputs))
	for c, o := range pl.p.outputs {
		b[c] = s.channel(o, n)
	}
	for k, i := range pl.outs.list {
		b[i] = s.outs[k][:n]
	}
	return b
}
