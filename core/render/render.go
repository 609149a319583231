package render

import (
	"context"
	"slices"

	"zestyloom/core/audio"
	"zestyloom/core/reel"
	"zestyloom/core/snag"
)

// BlockFrames is the size of a rendered block.
const BlockFrames = 1 << 14

// Renderer computes the outputs of a reel. It is not safe for concurrent use.
type Renderer struct {
	reel   reel.Reel
	bank   *bank
	tracks []track
}

// track is a track that is on and heard on some output, with its factor for each.
type track struct {
	clips   []reel.Clip
	factors []float64 // by output
}

// New prepares a reel at a sample rate. Close must be called.
//
// Samples are float64: products with a gain of exactly 1 and sums of up to 2^29 samples of 24 bits
// are exact, so that mixing at unity is, too.
func New(r reel.Reel, rate int, resolve Resolve) *Renderer {
	n := &Renderer{reel: r, bank: newBank(resolve, rate)}
	matrix := r.Weave.Matrix(r.TrackIDs())
	for i, t := range r.Tracks {
		if t.Off {
			continue
		}
		tr := track{clips: t.Clips, factors: make([]float64, len(matrix))}
		for o := range matrix {
			tr.factors[o] = matrix[o][i]
		}
		if slices.ContainsFunc(tr.factors, func(f float64) bool { return f != 0 }) {
			n.tracks = append(n.tracks, tr)
		}
	}
	return n
}

// Close closes the files in use.
func (n *Renderer) Close() { n.bank.close() }

// Block renders frames [from, from+len) of every output into b, which has a channel an output.
func (n *Renderer) Block(b audio.Block, from int64) error {
	for _, ch := range b {
		clear(ch)
	}
	to := from + int64(b.Frames())
	buf := make([]float64, b.Frames())
	for _, t := range n.tracks {
		for _, c := range t.clips {
			lo, hi := max(from, c.At), min(to, c.End())
			if lo >= hi {
				continue
			}
			sound := buf[:hi-lo]
			if err := n.bank.read(c.Strand, sound, c.In+lo-c.At); err != nil {
				return err
			}
			for o, f := range t.factors {
				if f != 0 {
					add(b[o][lo-from:hi-from], sound, f)
				}
			}
		}
	}
	return nil
}

func add(dst, src []float64, factor float64) {
	dst = dst[:len(src)]
	if factor == 1 {
		for i, v := range src {
			dst[i] += v
		}
		return
	}
	for i, v := range src {
		// The product is rounded on its own, so that every machine gives the same bits.
		p := float64(v * factor)
		dst[i] += p
	}
}

// Each renders [from, to) block by block. The block is valid during the call only.
func (n *Renderer) Each(ctx context.Context, from, to int64, fn func(b audio.Block, at int64) error) error {
	if to < from {
		return snag.Refuse("bad_range", "the range ends at %d before it begins at %d", to, from)
	}
	whole := audio.NewBlock(len(n.reel.Weave.Outputs), int(min(BlockFrames, to-from)))
	for at := from; at < to; {
		if err := ctx.Err(); err != nil {
			return err
		}
		b := make(audio.Block, len(whole))
		k := min(to-at, BlockFrames)
		for c := range b {
			b[c] = whole[c][:k]
		}
		if err := n.Block(b, at); err != nil {
			return err
		}
		if err := fn(b, at); err != nil {
			return err
		}
		at += k
	}
	return nil
}
