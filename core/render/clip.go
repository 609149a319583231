package render

import (
	"context"
	"math"
	"slices"

	"zestyloom/core/audio"
	"zestyloom/core/reel"
	"zestyloom/core/resample"
	"zestyloom/core/treat"
	"zestyloom/core/waveform"
)

// Over is a place where an output goes beyond full scale.
type Over struct {
	Output int     // from 0
	At     int64   // sample position of the first over
	Count  int64   // samples beyond full scale
	PeakDB float64 // of the greatest, dBFS
}

// Overs finds out where outputs would clip, without rendering everything: waveform summaries bound
// the level from above, and only where the bound reaches full scale is the sound itself computed.
// The answer is exact. summary gives a strand's summary and its channel in it, from 0.
func Overs(ctx context.Context, r reel.Reel, n *Renderer, summary func(strand string) (*waveform.Summary, int, error)) ([]Over, error) {
	start, end := r.Span()
	step := waveform.Steps[0]
	outputs := len(r.Weave.Outputs)
	overs := make([]Over, outputs)
	for o := range overs {
		overs[o] = Over{Output: o, PeakDB: math.Inf(-1)}
	}
	// A window of the reel at a time keeps memory flat.
	const window = 1 << 22 // samples
	for from := start; from < end; from += window {
		if err := ctx.Err(); err != nil {
			return nil, err
		}
		to := min(from+window, end)
		bound := make([][]float64, outputs)
		for o := range bound {
			bound[o] = make([]float64, (to-from+step-1)/step)
		}
		for _, t := range n.tracks {
			for _, c := range t.clips {
				if err := n.addBound(bound, t.factors, c, from, to, summary); err != nil {
					return nil, err
				}
			}
		}
		for b := range (to - from + step - 1) / step {
			if !slices.ContainsFunc(bound, func(o []float64) bool { return o[b] >= 1-1.0/(1<<23) }) {
				continue
			}
			at := from + b*step
			blk := audio.NewBlock(outputs, int(min(step, to-at)))
			if err := n.Block(blk, at); err != nil {
				return nil, err
			}
			for o := range blk {
				overs[o].scan(blk[o], at)
			}
		}
	}
	return slices.DeleteFunc(overs, func(o Over) bool { return o.Count == 0 }), nil
}

// scan counts samples that no integer coding can hold: beyond +1 less one step of 24 bits, or
// under -1.
func (o *Over) scan(samples []float64, at int64) {
	const top = 1 - 1.0/(1<<23)
	for i, v := range samples {
		if v > top || v < -1 {
			if o.Count == 0 {
				o.At = at + int64(i)
			}
			o.Count++
			o.PeakDB = max(o.PeakDB, audio.Decibels(v))
		}
	}
}

// addBound adds the greatest magnitude a clip can have in each bucket of the window.
func (n *Renderer) addBound(bound [][]float64, factors []float64, c reel.Clip, from, to int64, summary func(string) (*waveform.Summary, int, error)) error {
	lo, hi := max(from, c.At), min(to, c.End())
	if lo >= hi {
		return nil
	}
	v, err := n.bank.voice(c.Strand)
	if err != nil {
		return err
	}
	if v.place.Treat.Off {
		return nil
	}
	s, channel, err := summary(c.Strand)
	if err != nil {
		return err
	}
	reach, factor, err := n.bank.bound(v)
	if err != nil {
		return err
	}
	step := waveform.Steps[0]
	first, last := reach(lo-c.At+c.In, hi-1-c.At+c.In)
	first, last = max(0, first)/step, max(0, last)/step
	pairs, err := s.Read(0, channel, first, last+1)
	if err != nil {
		return err
	}
	for b := (lo - from) / step; b <= (hi-1-from)/step; b++ {
		peak := math.Inf(1) // two strands at once: looked at, not bounded
		if v.with == nil {
			a, z := reach(max(from+b*step, lo)-c.At+c.In, min(from+(b+1)*step, hi)-1-c.At+c.In)
			peak = 0
			for k := max(0, a)/step - first; k <= max(0, z)/step-first && k < int64(len(pairs)); k++ {
				p := pairs[k]
				m := max(-float64(p.Min), float64(p.Max))
				if m >= math.MaxInt16 {
					m = math.Inf(1) // held there: how far beyond is not known
				}
				peak = max(peak, m/waveform.Scale)
			}
		}
		for o, f := range factors {
			if f != 0 {
				bound[o][b] += peak * factor * math.Abs(f)
			}
		}
	}
	return nil
}

// bound says which of a file's samples the strand's samples [a, z] are made of, and how much
// greater than them they can be.
func (b *bank) bound(v *voice) (reach func(a, z int64) (int64, int64), factor float64, err error) {
	f, err := b.open(v.place)
	if err != nil {
		return nil, 0, err
	}
	c, err := b.converter(clock{f.src.Format.SampleRate, v.place.Drift})
	if err != nil {
		return nil, 0, err
	}
	factor = math.Abs(v.gain)
	before := v.place.Treat.Delay
	after := before
	if v.pass != nil {
		factor *= treat.Overshoot
		before += treat.Settle(v.place.Treat.HighPass, b.rate)
	}
	if c != nil {
		factor *= resample.Overshoot
	}
	return func(a, z int64) (int64, int64) {
		a, z = a-before, z-after
		if c != nil {
			lo, _ := c.Needs(a, 1)
			_, hi := c.Needs(z, 1)
			a, z = lo, hi-1
		}
		return a, z
	}, factor, nil
}
