package mix

import "slices"

// playing is a track that is being played.
type playing struct {
	node  int
	clips map[int]*clipReaders // those that sound by now, by their number
	// Room for a strand, and for what a clip or the track is multiplied by.
	strand, factors []float64
	cells           [][]float64 // factors of the crossings of a clip that moves
}

// clipReaders read the strands of a clip: each clip has its own, so that a strand that is laid twice is in no one's way.
type clipReaders struct {
	strands []*reader // nil for those that nothing needs
}

func (t *playing) read(pl *Player, s *set, at int64, n int) error {
	node, post := &pl.nodes[t.node], s.post[t.node]
	to := at + int64(n)
	first, last := within(node.clips, at, to)
	for k := range t.clips {
		if k < first || k >= last {
			delete(t.clips, k)
		}
	}
	if first == last {
		if pl.processors[t.node] != nil {
			if t.factors == nil {
				t.factors = make([]float64, BlockFrames)
			}
			t.fade(pl, s, at, n)
		}
		return nil
	}
	if t.strand == nil {
		t.strand, t.factors = make([]float64, BlockFrames), make([]float64, BlockFrames)
	}
	if c := &node.clips[first]; !c.plain || c.At > at || c.End() < to { // else all of it is read straight into place
		wipe(post, n)
	}
	done := at // up to where clips have been put
	for k := first; k < last; k++ {
		c := &node.clips[k]
		lo, hi := max(at, c.At), min(to, c.End())
		factor, moving := c.envelope(t.factors, lo, int(hi-lo))
		if factor == 0 && moving == nil {
			if k == first {
				wipe(post, n)
			}
			continue
		}
		s.silent[t.node] = false
		readers, err := t.readers(pl, k)
		if err != nil {
			return err
		}
		if c.pan != nil {
			for len(t.cells) < len(c.pan.Cells) {
				t.cells = append(t.cells, make([]float64, BlockFrames))
			}
			c.pan.Fill(t.cells, c.In+lo-c.At, int(hi-lo))
		}
		for j, r := range readers.strands {
			if r == nil {
				continue
			}
			sound := t.strand[:hi-lo]
			if direct := c.plain && lo >= done; direct {
				sound = post[j][lo-at : hi-at]
			}
			if err := r.read(sound, c.In+lo-c.At); err != nil {
				return err
			}
			if moving != nil {
				shape(sound, moving)
			} else if factor != 1 {
				scale(sound, factor)
			}
			if c.plain && lo >= done {
				continue
			}
			for ch, row := range c.patch {
				if row[j] == 0 || post[ch] == nil {
					continue
				}
				if k := c.moving(ch, j); k >= 0 {
					addShaped(post[ch][lo-at:hi-at], sound, t.cells[k][:hi-lo], row[j], false)
				} else {
					add(post[ch][lo-at:hi-at], sound, row[j], false)
				}
			}
		}
		done = max(done, hi)
	}
	t.fade(pl, s, at, n)
	return nil
}

// moving is which of the crossings of its pan one is; -1 for none.
func (c *clip) moving(to, from int) int {
	if c.pan == nil {
		return -1
	}
	return slices.Index(c.pan.Cells, [2]int{to, from})
}

func wipe(channels [][]float64, n int) {
	for _, ch := range channels {
		if ch != nil {
			clear(ch[:n])
		}
	}
}

// fade takes what is done to the track, and its own gain, into account.
func (t *playing) fade(pl *Player, s *set, at int64, n int) {
	post, pre := s.post[t.node], s.pre[t.node]
	pl.treat(s, t.node, at, n)
	if pl.pre[t.node] {
		for ch := range post {
			if post[ch] != nil {
				copy(pre[ch][:n], post[ch][:n])
			}
		}
	}
	gain, still := pl.nodes[t.node].gain.at(at, at+int64(n))
	if !still {
		pl.nodes[t.node].gain.fill(t.factors[:n], at)
	}
	for _, ch := range post {
		switch {
		case ch == nil || still && gain == 1:
		case still:
			scale(ch[:n], gain)
		default:
			shape(ch[:n], t.factors[:n])
		}
	}
}

// readers opens the strands of a clip that something is made of.
func (t *playing) readers(pl *Player, k int) (*clipReaders, error) {
	if r, ok := t.clips[k]; ok {
		return r, nil
	}
	c := &pl.nodes[t.node].clips[k]
	out := &clipReaders{make([]*reader, len(c.Strands))}
	for j, strand := range c.Strands {
		needed := false
		for ch, row := range c.patch {
			needed = needed || row[j] != 0 && pl.need[t.node][ch]
		}
		if !needed {
			continue
		}
		src, err := pl.source(strand)
		if err != nil {
			return nil, err
		}
		if out.strands[j], err = newReader(pl.pool, src, pl.p.rate); err != nil {
			return nil, err
		}
	}
	t.clips[k] = out
	return out, nil
}
