package mix

import (
	"bytes"
	"encoding/json"
	"fmt"

	"github.com/cespare/xxhash/v2"

	"zestyloom/core/automation"
	"zestyloom/core/reel"
	"zestyloom/core/treat"
)

// Fingerprints tell whether a stretch of a bus sounds as it did: two stretches with the same fingerprint are the same sound.
// They are of one program, and not safe for concurrent use.
type Fingerprints struct {
	p       *Program
	tracks  map[string]uint64 // by node and stretch
	sources map[string]string // by strand
}

// Fingerprints makes them.
func (p *Program) Fingerprints() *Fingerprints {
	return &Fingerprints{p, map[string]uint64{}, map[string]string{}}
}

// Of is the fingerprint of a track or bus over [from, to), and of so much before and after it.
func (f *Fingerprints) Of(id string, from, to, before, after int64) (uint64, error) {
	i, ok := f.p.index[id]
	if !ok {
		return 0, fmt.Errorf("there is no track or bus %q", id)
	}
	return f.node(i, from, to, before, after)
}

func (f *Fingerprints) node(i int, from, to, before, after int64) (uint64, error) {
	key := fmt.Sprint(i, " ", from, " ", to, " ", before, " ", after)
	if h, ok := f.tracks[key]; ok {
		return h, nil
	}
	n := &f.p.nodes[i]
	var b bytes.Buffer
	enc := json.NewEncoder(&b)
	write := func(v ...any) error { return enc.Encode(v) }
	if n.treated() { // what lies further back counts, and where it lies
		p := treat.NewMoving(n.treat, n.moves, n.layout.Count, f.p.rate)
		before = from - p.Reach(max(0, from-before))
		if err := write(n.treat, n.moves.Of(n.treat), from); err != nil {
			return 0, err
		}
	}
	if err := write(f.p.rate, n.layout.Name, n.gain.db, n.gain.near(from-before, to+after), n.free(from-before, to+after)); err != nil {
		return 0, err
	}
	first, last := within(n.clips, from-before, to+after)
	for k := first; k < last; k++ {
		c := n.clips[k].Clip
		sources := make([]string, len(c.Strands))
		for s, strand := range c.Strands {
			said, ok := f.sources[strand]
			if !ok {
				src, err := f.p.sources(strand)
				if err != nil {
					return 0, err
				}
				contents := ""
				if src.Known != nil {
					contents = src.Known.Sums.Hash()
				}
				src.Known = nil // another each time, of the same file
				said = fmt.Sprintf("%+v %s", src, contents)
				f.sources[strand] = said
			}
			sources[s] = said
		}
		if err := write(sources, heardOf(c, from, from-before, to+after)); err != nil {
			return 0, err
		}
	}
	for k := range n.in {
		in := &n.in[k]
		before := before
		if in.ahead != nil { // it is a function of the place, and of what lies further back
			q := newTurner(in, f.p.rate, func(int) bool { return true })
			before = from - q.Reach(from-before)
			if err := write(in.ahead, from); err != nil {
				return 0, err
			}
		}
		h, err := f.node(in.from, from, to, before, after)
		if err != nil {
			return 0, err
		}
		// Places that move are few: all of their curves count.
		var moving any
		if in.pan != nil {
			moving = in.pan.Patch()
		}
		if err := write(h, in.patch, in.gain.db, in.gain.near(from-before, to+after), in.pre, moving); err != nil {
			return 0, err
		}
		if moving != nil {
			if err := write(from); err != nil {
				return 0, err
			}
		}
	}
	h := xxhash.Sum64(b.Bytes())
	f.tracks[key] = h
	return h, nil
}

// heardOf is what of a clip counts in [lo, hi), with its time from one sample on: a clip that is cut elsewhere is the same.
func heardOf(c reel.Clip, zero, lo, hi int64) any {
	type fade struct {
		reel.Fade
		At int64
	}
	v := struct {
		Offset, From, To int64
		Clip             reel.Clip // what else is heard of it: a property that is added counts, unless it is left out below
		In, Out          *fade
		Off              []reel.Range
	}{Offset: c.In - c.At + zero, From: max(c.At, lo) - zero, To: min(c.End(), hi) - zero, Clip: c}
	of := &v.Clip
	of.Gain = near(c.Gain, lo-c.At+c.In, hi-c.At+c.In)
	of.Strands = nil                                                                                // their sources stand for them
	of.At, of.In, of.Length, of.FadeIn, of.FadeOut, of.Off = 0, 0, 0, reel.Fade{}, reel.Fade{}, nil // as they count here, beside it
	of.ID, of.Name, of.Tie, of.Away, of.Note, of.Unplaced = "", "", "", 0, "", false                // not heard
	if c.At+c.FadeIn.Length > lo {
		v.In = &fade{c.FadeIn, c.At - zero}
	}
	if c.End()-c.FadeOut.Length < hi {
		v.Out = &fade{c.FadeOut, c.End() - zero}
	}
	for _, o := range c.Off {
		if o.To > lo-c.At+c.In && o.From < hi-c.At+c.In {
			v.Off = append(v.Off, o)
		}
	}
	return v
}

// free is what of the LFE's own gain counts.
func (n *node) free(from, to int64) []automation.Curve {
	if n.lfe == nil {
		return nil
	}
	return append([]automation.Curve{{}}, n.lfe.near(from, to)...)
}

// near is the part of a curve that counts in [from, to), with its time from there on.
func near(c automation.Curve, from, to int64) automation.Curve {
	var out automation.Curve
	if len(c) == 0 {
		return nil
	}
	if v, still := c.Constant(from, to); still { // whatever is drawn elsewhere
		if v == 0 {
			return nil
		}
		return automation.Curve{{Value: v}}
	}
	for i, p := range c {
		if i+1 < len(c) && c[i+1].At < from || i > 0 && c[i-1].At > to {
			continue
		}
		p.At -= from
		out = append(out, p)
	}
	return out
}
