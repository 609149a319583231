package mix

import (
	"context"
	"math"
	"slices"

	"zestyloom/core/audio"
	"zestyloom/core/resample"
	"zestyloom/core/treat"
	"zestyloom/core/waveform"
)

// Clipping is a place where an output goes beyond full scale.
type Clipping struct {
	Output int     // from 0
	At     int64   // sample position of the first over
	Count  int64   // samples beyond full scale
	PeakDB float64 // of the greatest, dBFS
}

// Summaries gives a strand's waveform summary and its channel in it, from 0.
type Summaries func(strand string) (*waveform.Summary, int, error)

// Clippings finds out where outputs would clip, without computing everything: waveform summaries bound
// every signal from above, and only where the bound of an output reaches full scale is the sound itself computed.
// The answer is exact.
func (p *Program) Clippings(ctx context.Context, summaries Summaries) ([]Clipping, error) {
	pl, err := p.Play(All())
	if err != nil {
		return nil, err
	}
	defer pl.Close()
	step := waveform.Steps[0]
	found := make([]Clipping, len(p.outputs))
	for o := range found {
		found[o] = Clipping{Output: o, PeakDB: math.Inf(-1)}
	}
	// A window of the reel at a time keeps memory flat.
	const window = 1 << 20 // samples
	// What is treated is bounded by what came before it, too.
	ahead := int64(0)
	for _, proc := range pl.processors {
		if proc != nil {
			ahead += (proc.Settle() + step) / step * step
		}
	}
	for _, t := range pl.turners {
		ahead += (t.Settle() + step) / step * step
	}
	read := int64(-1 << 60) // up to where
	for from := p.start; from < p.end; from += window {
		to := min(from+window, p.end)
		bounds, err := pl.bounds(ctx, from-ahead, to, step, summaries)
		if err != nil {
			return nil, err
		}
		for _, node := range bounds {
			for c := range node {
				if node[c] != nil {
					node[c] = node[c][ahead/step:]
				}
			}
		}
		for b := range (to - from + step - 1) / step {
			if !slices.ContainsFunc(p.outputs, func(o output) bool {
				return o.node >= 0 && bounds[o.node][o.channel] != nil && o.most(bounds[o.node][o.channel], b, step)*pl.nodes[o.node].gainOf(o.channel).most(from+b*step-int64(o.delay), from+(b+1)*step) >= 1-1.0/(1<<23)
			}) {
				continue
			}
			at := from + b*step
			// To go on is quicker than to begin anew, where there is much to be heard before.
			for ; ahead > 0 && read < at && at-read < ahead; read += min(step, at-read) {
				if _, err := pl.Read(ctx, read, int(min(step, at-read))); err != nil {
					return nil, err
				}
			}
			read = at + min(step, to-at)
			blocks, err := pl.Read(ctx, at, int(min(step, to-at)))
			if err != nil {
				return nil, err
			}
			for o, samples := range blocks[0] {
				found[o].scan(samples, at)
			}
		}
	}
	return slices.DeleteFunc(found, func(c Clipping) bool { return c.Count == 0 }), nil
}

// most is the greatest magnitude that an output can have in a bucket, of those of its channel. What came before the
// window, of one that is late, may be anything.
func (o output) most(bound []float64, b, step int64) float64 {
	first := (b*step - int64(o.delay))
	if first < 0 && o.delay > 0 {
		return math.Inf(1)
	}
	m := 0.0
	for k := first / step; k <= ((b+1)*step-1-int64(o.delay))/step; k++ {
		m = max(m, bound[k])
	}
	return m * math.Abs(o.factor)
}

// scan counts samples that no integer coding can hold: beyond +1 less one step of 24 bits, or
// under -1.
func (c *Clipping) scan(samples []float64, at int64) {
	const top = 1 - 1.0/(1<<23)
	for i, v := range samples {
		if v > top || v < -1 {
			if c.Count == 0 {
				c.At = at + int64(i)
			}
			c.Count++
			c.PeakDB = max(c.PeakDB, audio.Decibels(v))
		}
	}
}

// bounds gives the greatest magnitude that each needed channel of each node can have in each bucket of step samples of
// [from, to).
func (pl *Player) bounds(ctx context.Context, from, to, step int64, summaries Summaries) ([][][]float64, error) {
	buckets := (to - from + step - 1) / step
	out := make([][][]float64, len(pl.nodes))
	for i := range pl.nodes {
		out[i] = make([][]float64, len(pl.need[i]))
		for c, needed := range pl.need[i] {
			if needed {
				out[i][c] = make([]float64, buckets)
			}
		}
	}
	for _, t := range pl.tracks {
		n := &pl.nodes[t.node]
		first, last := within(n.clips, from, to)
		for k := first; k < last; k++ {
			if err := ctx.Err(); err != nil {
				return nil, err
			}
			if err := pl.boundClip(out[t.node], &n.clips[k], from, to, step, summaries); err != nil {
				return nil, err
			}
		}
	}
	for i, n := range pl.nodes {
		if i < pl.p.tracks {
			pl.boundTreated(out[i], i, step)
		}
		for k := range n.in {
			in := &n.in[k]
			gained := func(b int64) float64 {
				f := in.gain.most(from+b*step, from+(b+1)*step)
				if !in.pre {
					f *= pl.nodes[in.from].most(from+b*step, from+(b+1)*step)
				}
				return f
			}
			from := out[in.from]
			if t := pl.turners[in]; t != nil {
				from = slices.Clone(from)
				for c := range from {
					if from[c] != nil {
						from[c] = boundBy(t, from[c], step)
					}
				}
			}
			for b := range buckets {
				g := gained(b)
				if g == 0 {
					continue // whatever came in, of a level that may not be known
				}
				for c, row := range in.patch {
					for j, f := range row {
						if f != 0 && out[i][c] != nil && from[j] != nil {
							out[i][c][b] += from[j][b] * math.Abs(f) * g
						}
					}
				}
			}
		}
		if i >= pl.p.tracks {
			pl.boundTreated(out[i], i, step)
		}
	}
	return out, nil
}

// boundTreated is how great what is treated can be: as what there was since it last settled, at the most.
func (pl *Player) boundTreated(bound [][]float64, i int, step int64) {
	p := pl.processors[i]
	if p == nil {
		return
	}
	for _, b := range bound {
		if b != nil {
			copy(b, boundBy(p, b, step))
		}
	}
}

func boundBy(p interface {
	Most() float64
	Settle() int64
}, b []float64, step int64) []float64 {
	most, far := p.Most()*(1+1e-6), int(p.Settle()/step)+1
	out := slices.Clone(b)
	for k := range out {
		out[k] = slices.Max(b[max(0, k-far):k+1]) * most
	}
	return out
}

// boundClip adds the greatest magnitudes that a clip can have.
func (pl *Player) boundClip(bound [][]float64, c *clip, from, to, step int64, summaries Summaries) error {
	lo, hi := max(from, c.At), min(to, c.End())
	for j, strand := range c.Strands {
		if !slices.ContainsFunc(c.patch, func(row []float64) bool { return row[j] != 0 }) {
			continue
		}
		src, err := pl.source(strand)
		if err != nil {
			return err
		}
		if src.Treat.Off {
			continue
		}
		s, channel, err := summaries(strand)
		if err != nil {
			return err
		}
		r, err := newReader(pl.pool, src, pl.p.rate)
		if err != nil {
			return err
		}
		reach, factor := r.bound()
		first, last := reach(lo-c.At+c.In, hi-1-c.At+c.In)
		first, last = max(0, first)/step, max(0, last)/step
		pairs, err := s.Read(0, channel, first, last+1)
		if err != nil {
			return err
		}
		for b := (lo - from) / step; b <= (hi-1-from)/step; b++ {
			begin, end := max(from+b*step, lo), min(from+(b+1)*step, hi)
			a, z := reach(begin-c.At+c.In, end-1-c.At+c.In)
			peak := 0.0
			for k := max(0, a)/step - first; k <= max(0, z)/step-first && k < int64(len(pairs)); k++ {
				m := max(-float64(pairs[k].Min), float64(pairs[k].Max))
				if m >= math.MaxInt16 {
					m = math.Inf(1) // held there: how far beyond is not known
				}
				peak = max(peak, m/waveform.Scale)
			}
			if peak *= factor * c.loudest(begin, end); math.IsNaN(peak) {
				peak = 0 // an unknown level, turned down to nothing
			}
			for ch, row := range c.patch {
				if row[j] != 0 && bound[ch] != nil {
					bound[ch][b] += peak * math.Abs(row[j])
				}
			}
		}
	}
	return nil
}

// bound says which of a file's samples the strand's samples [a, z] are made of, and how much
// greater than them they can be.
func (r *reader) bound() (reach func(a, z int64) (int64, int64), factor float64) {
	factor = math.Abs(r.gain)
	before := r.src.Treat.Delay
	after := before
	if r.pass != nil {
		factor *= treat.Overshoot
		before += r.pass.settle
	}
	if r.chain != nil {
		factor *= r.chain.Most()
		before += r.chain.Settle()
	}
	if r.conv != nil {
		factor *= resample.Overshoot
	}
	return func(a, z int64) (int64, int64) {
		a, z = a-before, z-after
		if r.conv != nil {
			lo, _ := r.conv.Needs(a, 1)
			_, hi := r.conv.Needs(z, 1)
			a, z = lo, hi-1
		}
		return a, z
	}, factor
}
