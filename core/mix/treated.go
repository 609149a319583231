package mix

import "zestyloom/core/treat"

// treated reports whether anything is done to what a node sums.
func (n *node) treated() bool { return !treat.Nothing(n.treat, n.moves) }

// treating prepares what is done to a node, if anything is.
func (pl *Player) treating(i int) {
	n := &pl.nodes[i]
	if !n.treated() {
		return
	}
	pl.processors[i] = treat.NewMoving(n.treat, n.moves, n.layout.Count, pl.p.rate)
	if i >= pl.p.tracks {
		pl.treated[n.depth] = append(pl.treated[n.depth], i)
	}
}

// treat does what a node asks for to what it has come to, whether that sounds or not: filters ring on.
func (pl *Player) treat(s *set, i int, at int64, n int) {
	p := pl.processors[i]
	if p == nil {
		return
	}
	if s.silent[i] {
		wipe(s.post[i], n)
		s.silent[i] = false
	}
	if at+int64(n) <= 0 {
		return
	}
	skip := max(0, -at) // before midnight nothing lies
	var x [][]float64
	for _, ch := range s.post[i] {
		if ch != nil {
			x = append(x, ch[skip:n])
		}
	}
	p.Apply(x, at+skip)
}

// reach is from where on a reel must be computed for all of it to be right at a sample.
func (pl *Player) reach(at int64) int64 {
	// Each node's own, from those that are fed on: what feeds them must be right from where they begin.
	from := make([]int64, len(pl.nodes))
	for i := range from {
		from[i] = at
	}
	first := at
	for i := len(pl.nodes) - 1; i >= 0; i-- {
		if p := pl.processors[i]; p != nil && at > 0 {
			from[i] = min(from[i], p.Reach(max(0, from[i])))
		}
		first = min(first, from[i])
		for k := range pl.nodes[i].in {
			in := &pl.nodes[i].in[k]
			needed := from[i]
			if t := pl.turners[in]; t != nil && at > 0 {
				needed = min(needed, t.Reach(needed))
			}
			from[in.from] = min(from[in.from], needed)
			first = min(first, needed)
		}
	}
	return first
}
