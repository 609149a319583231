package mix

import (
	"context"
	"math"

	"zestyloom/core/audio"
	"zestyloom/core/snag"
)

// Null is by how much a bus differs from the sum of the buses that it is made of, as all of them are written.
type Null struct {
	Peak    float64 // the greatest magnitude of the difference, full scale 1; 0 where there is none
	At      int64   // the sample where it is
	Channel int
	Members []string // the IDs of the buses that it is made of
	Tracks  int      // tracks that are sent into it by themselves, which no member accounts for
}

// Nulls works the null figures of buses out over [from, to), each sample taken as a coding writes it.
func (p *Program) Nulls(ctx context.Context, buses []string, coding audio.Coding, from, to int64) ([]Null, error) {
	out := make([]Null, len(buses))
	signals, index := []Signal{}, map[int]int{} // of signals, by node
	want := func(node int) {
		if _, there := index[node]; !there {
			index[node] = len(signals)
			signals = append(signals, Of(p.nodes[node].id))
		}
	}
	for i, id := range buses {
		node, ok := p.index[id]
		if !ok || node < p.tracks {
			return nil, snag.Refuse("no_such_signal", "there is no bus %q", id)
		}
		want(node)
		for _, in := range p.nodes[node].in {
			if in.from < p.tracks {
				out[i].Tracks++
			} else {
				out[i].Members = append(out[i].Members, p.nodes[in.from].id)
			}
			want(in.from)
		}
	}
	pl, err := p.Play(signals...)
	if err != nil {
		return nil, err
	}
	defer pl.Close()
	enc := audio.Encoder{Coding: coding}
	var raw []byte
	movers, turners, turned := map[*input]*mover{}, map[*input]*turner{}, map[*input][][]float64{}
	begin := from
	for _, id := range buses {
		for k := range p.nodes[p.index[id]].in {
			in := &p.nodes[p.index[id]].in[k]
			if t := newTurner(in, p.rate, func(int) bool { return true }); t != nil {
				turners[in], turned[in] = t, t.Room(BlockFrames)
				begin = min(begin, t.Reach(from))
			}
		}
	}
	sum, levels := make([]float64, BlockFrames), make([]float64, BlockFrames)
	for at := begin; at < to; at += BlockFrames {
		n := int(min(BlockFrames, to-at))
		blocks, err := pl.Read(ctx, at, n)
		if err != nil {
			return nil, err
		}
		written := make([]audio.Block, len(blocks))
		for i, b := range blocks {
			written[i] = audio.NewBlock(len(b), n)
			raw = enc.Encode(raw[:0], b, at)
			for c := range b {
				audio.DecodeChannel(written[i][c], raw, coding, len(b), c)
			}
		}
		for i, id := range buses {
			node := p.index[id]
			for c, mix := range written[index[node]] {
				if c == 0 || p.nodes[node].lfe != nil { // else all channels have the same
					gain := p.nodes[node].gainOf(c)
					gain.fill(levels[:n], at)
				}
				clear(sum[:n])
				for k := range p.nodes[node].in {
					in := &p.nodes[node].in[k]
					m := movers[in]
					if m == nil {
						m = newMover(in)
						movers[in] = m
					}
					if c == 0 {
						m.fill(at, n)
					}
					goesIn := written[index[in.from]]
					if t := turners[in]; t != nil {
						if c == 0 {
							t.Turn(turned[in], goesIn, at, n)
						}
						goesIn = turned[in]
					}
					for j, f := range in.patch[c] {
						if f == 0 {
							continue
						}
						g := m.of(c, j)
						for s, v := range goesIn[j][:n] {
							sum[s] += v * f * g[s]
						}
					}
				}
				for s, v := range mix {
					if at+int64(s) < from {
						continue
					}
					if d := math.Abs(v - sum[s]*levels[s]); d > out[i].Peak {
						out[i].Peak, out[i].At, out[i].Channel = d, at+int64(s), c
					}
				}
			}
		}
	}
	return out, nil
}
