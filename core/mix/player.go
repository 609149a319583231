package mix

import (
	"context"
	"runtime"
	"slices"
	"sync"

	"zestyloom/core/audio"
	"zestyloom/core/safely"
	"zestyloom/core/snag"
	"zestyloom/core/treat"
)

// Player computes signals of a program. It is not safe for concurrent use; it works on several cores by itself.
type Player struct {
	p       *Program
	nodes   []node
	signals []played
	pool    *pool
	workers int
	need    [][]bool // the channels of each node that something is made of
	pre     []bool   // the nodes that are needed before their gain, too
	tracks  []*playing
	stages  [][]channel // of buses, those of a stage after those of the ones before
	moving  [][]*mover  // what is sent with a gain that moves, by stage
	movers  map[*input]*mover
	sets    [3]set
	outs    *outs // of a player of outputs
	// processors are what is done to nodes, by node; nil where nothing is. treated are the buses among them, by stage.
	processors []*treat.Processor
	treated    [][]int
	turners    map[*input]*turner
	turning    [][]*turner // by stage
	// next is the sample that follows what was computed last, where follows says so.
	next    int64
	follows bool
	mu      sync.Mutex
	known   map[string]Source
}

// played is a signal that a player is for: the channels of a node, or outputs.
type played struct {
	node    int
	outputs bool
	width   int
}

type channel struct{ node, channel int }

// set is room for one block of everything.
type set struct {
	post, pre [][][]float64 // by node and channel; nil for what is not needed
	silent    []bool        // by node
	terms     [][][]term    // room for those of each channel's sum
	nothing   []float64
	levels    [][][]float64 // by node and channel: room for the factors of a bus's gain that moves
	outs      [][]float64   // of the outputs that are more than a channel
	turned    [][][]float64 // by turner and channel
}

// mover is a send whose gain or place moves, and its factors over a block.
type mover struct {
	in    *input
	gain  []float64
	cells [][]float64 // the factors of the crossings of in.pan, with the gain
}

// Tap is what listens to a signal: it is called with its blocks in order. A block is valid during the call only.
type Tap func(b audio.Block, at int64) error

// Play prepares to compute signals of a program. Close must be called.
func (p *Program) Play(signals ...Signal) (*Player, error) {
	pl := &Player{p: p, nodes: slices.Clone(p.nodes), pool: newPool(), workers: runtime.GOMAXPROCS(0), known: map[string]Source{}, movers: map[*input]*mover{}, turners: map[*input]*turner{}}
	for _, s := range signals {
		v := played{outputs: s.id == "", width: len(p.outputs)}
		if !v.outputs {
			i, ok := p.index[s.id]
			if ok && s.clip != "" {
				i, ok = pl.alone(i, s.clip)
			}
			if !ok {
				return nil, snag.Refuse("no_such_signal", "there is no track, clip or bus %q to hear", s.id)
			}
			v.node, v.width = i, pl.nodes[i].layout.Count
		}
		pl.signals = append(pl.signals, v)
	}
	pl.processors = make([]*treat.Processor, len(pl.nodes))
	pl.want()
	pl.outs = &outs{}
	if slices.ContainsFunc(pl.signals, func(v played) bool { return v.outputs }) {
		pl.outs = p.outs()
	}
	for i := range pl.sets {
		pl.sets[i] = pl.room()
		for range pl.outs.list {
			pl.sets[i].outs = append(pl.sets[i].outs, make([]float64, BlockFrames))
		}
	}
	pl.arrange()
	for _, stage := range pl.turning {
		for _, t := range stage {
			t.index = len(pl.sets[0].turned)
			for i := range pl.sets {
				pl.sets[i].turned = append(pl.sets[i].turned, t.Room(BlockFrames))
			}
		}
	}
	return pl, nil
}

// alone adds a node that plays one clip of a track.
func (pl *Player) alone(i int, id string) (int, bool) {
	for _, c := range pl.nodes[i].clips {
		if c.ID == id {
			pl.nodes = append(pl.nodes, node{id: id, layout: pl.nodes[i].layout, gain: levelOf(0), clips: []clip{c}})
			return len(pl.nodes) - 1, true
		}
	}
	return 0, false
}

// want finds out which channels of which nodes the signals are made of: the others are not computed, and what feeds but
// them is not even opened.
func (pl *Player) want() {
	pl.need, pl.pre = make([][]bool, len(pl.nodes)), make([]bool, len(pl.nodes))
	for i, n := range pl.nodes {
		pl.need[i] = make([]bool, n.layout.Count)
	}
	for _, s := range pl.signals {
		if !s.outputs {
			for c := range pl.need[s.node] {
				pl.need[s.node][c] = true
			}
			continue
		}
		for _, o := range pl.p.outputs {
			if o.node >= 0 {
				pl.need[o.node][o.channel] = true
			}
		}
	}
	for i := len(pl.nodes) - 1; i >= 0; i-- {
		if pl.nodes[i].treat.Dynamic() && slices.Contains(pl.need[i], true) { // it goes by all of them
			for c := range pl.need[i] {
				pl.need[i][c] = true
			}
		}
		for k := range pl.nodes[i].in {
			in := &pl.nodes[i].in[k]
			if in.gain.never() || pl.nodes[in.from].gain.never() && !in.pre {
				continue
			}
			for c, row := range in.patch {
				for j, f := range row {
					if f != 0 && pl.need[i][c] {
						pl.need[in.from][j] = true
						pl.pre[in.from] = pl.pre[in.from] || in.pre
					}
				}
			}
		}
	}
}

func (pl *Player) room() set {
	s := set{post: make([][][]float64, len(pl.nodes)), pre: make([][][]float64, len(pl.nodes)), silent: make([]bool, len(pl.nodes)), terms: make([][][]term, len(pl.nodes)), nothing: make([]float64, BlockFrames)}
	for i := range pl.nodes {
		s.post[i] = make([][]float64, len(pl.need[i]))
		s.levels = append(s.levels, make([][]float64, len(pl.need[i])))
		s.pre[i], s.terms[i] = make([][]float64, len(pl.need[i])), make([][]term, len(pl.need[i]))
		for c, needed := range pl.need[i] {
			if !needed {
				continue
			}
			s.post[i][c] = make([]float64, BlockFrames)
			if s.pre[i][c] = s.post[i][c]; pl.pre[i] {
				s.pre[i][c] = make([]float64, BlockFrames)
			}
		}
	}
	return s
}

// arrange puts what is computed in an order in which all of a stage can be computed at once.
func (pl *Player) arrange() {
	for i := range pl.nodes {
		n := &pl.nodes[i]
		if !slices.Contains(pl.need[i], true) {
			continue
		}
		if len(n.clips) > 0 {
			pl.treating(i)
			pl.tracks = append(pl.tracks, &playing{node: i, clips: map[int]*clipReaders{}})
		}
		if len(n.in) == 0 {
			continue
		}
		for len(pl.stages) <= n.depth {
			pl.stages, pl.moving, pl.treated, pl.turning = append(pl.stages, nil), append(pl.moving, nil), append(pl.treated, nil), append(pl.turning, nil)
		}
		pl.treating(i)
		for c, needed := range pl.need[i] {
			if needed {
				pl.stages[n.depth] = append(pl.stages[n.depth], channel{i, c})
			}
		}
		for k := range n.in {
			in := &n.in[k]
			if t := newTurner(in, pl.p.rate, func(c int) bool { return pl.need[in.from][c] }); t != nil {
				pl.turners[in] = t
				pl.turning[n.depth] = append(pl.turning[n.depth], t)
			}
			if !in.gain.moves() && in.pan == nil {
				continue
			}
			m := newMover(in)
			pl.movers[in] = m
			pl.moving[n.depth] = append(pl.moving[n.depth], m)
		}
	}
}

// Close closes the files in use.
func (pl *Player) Close() { pl.pool.close() }

// Read computes n frames of all signals from a sample of the reel's time on, up to BlockFrames. The blocks are valid
// until the next call.
func (pl *Player) Read(ctx context.Context, at int64, n int) ([]audio.Block, error) {
	return pl.compute(ctx, &pl.sets[0], at, n)
}

// Run computes [from, to) block by block and hands each to the taps, of which there is one for each signal. They are at
// work on a block while the next is computed.
func (pl *Player) Run(ctx context.Context, from, to int64, taps ...Tap) error {
	if to < from {
		return snag.Refuse("bad_range", "the range ends at %d before it begins at %d", to, from)
	}
	if len(taps) != len(pl.signals) {
		return snag.Refuse("bad_operation", "%d taps for %d signals", len(taps), len(pl.signals))
	}
	type made struct {
		blocks []audio.Block
		at     int64
		err    error
	}
	ctx, cancel := context.WithCancel(ctx)
	ready, free := make(chan made), make(chan *set, len(pl.sets))
	var computing sync.WaitGroup
	defer computing.Wait()
	defer cancel()
	for i := range pl.sets {
		free <- &pl.sets[i]
	}
	computing.Go(func() {
		defer close(ready)
		for at := from; at < to; at += BlockFrames {
			var s *set
			select {
			case s = <-free:
			case <-ctx.Done():
				return
			}
			m := made{at: at}
			m.err = safely.Do(func() (err error) {
				m.blocks, err = pl.compute(ctx, s, at, int(min(BlockFrames, to-at)))
				return err
			})
			select {
			case ready <- m:
			case <-ctx.Done():
				return
			}
			if m.err != nil {
				return
			}
		}
	})
	next := 0
	for m := range ready {
		if m.err != nil {
			return m.err
		}
		for i, tap := range taps {
			if err := tap(m.blocks[i], m.at); err != nil {
				return err
			}
		}
		free <- &pl.sets[next]
		next = (next + 1) % len(pl.sets)
	}
	return ctx.Err()
}

func (pl *Player) compute(ctx context.Context, s *set, at int64, n int) ([]audio.Block, error) {
	if err := pl.follow(ctx, s, at); err != nil {
		return nil, err
	}
	if err := pl.stagesOf(ctx, s, at, n); err != nil {
		return nil, err
	}
	pl.outsOf(s, at, n)
	return pl.blocks(s, n), nil
}

// stagesOf computes a block of all nodes.
func (pl *Player) stagesOf(ctx context.Context, s *set, at int64, n int) error {
	if err := ctx.Err(); err != nil {
		return err
	}
	for i := range s.silent {
		s.silent[i] = true
	}
	err := safely.Each(pl.workers, len(pl.tracks), func(i int) error { return pl.tracks[i].read(pl, s, at, n) })
	if err != nil {
		return err
	}
	for d, stage := range pl.stages {
		for _, c := range stage {
			in := pl.nodes[c.node].in
			s.silent[c.node] = !slices.ContainsFunc(in, func(in input) bool { return !s.silent[in.from] || in.ahead != nil }) // all-passes ring on
		}
		if err := safely.Each(pl.workers, len(pl.turning[d]), func(i int) error {
			pl.turn(pl.turning[d][i], s, at, n)
			return nil
		}); err != nil {
			return err
		}
		if err := safely.Each(pl.workers, len(pl.moving[d]), func(i int) error {
			if m := pl.moving[d][i]; !s.silent[m.in.from] || m.in.ahead != nil {
				m.fill(at, n)
			}
			return nil
		}); err != nil {
			return err
		}
		if err := safely.Each(pl.workers, len(stage), func(i int) error {
			pl.sum(s, stage[i], at, n)
			return nil
		}); err != nil {
			return err
		}
		if err := safely.Each(pl.workers, len(pl.treated[d]), func(i int) error {
			node := pl.treated[d][i]
			pl.treat(s, node, at, n)
			for c, dst := range s.post[node] {
				if dst != nil {
					pl.gained(s, channel{node, c}, dst[:n], at, n)
				}
			}
			return nil
		}); err != nil {
			return err
		}
	}
	return nil
}

func (pl *Player) blocks(s *set, n int) []audio.Block {
	out := make([]audio.Block, len(pl.signals))
	for i, v := range pl.signals {
		if v.outputs {
			out[i] = pl.outputsOf(s, n)
			continue
		}
		out[i] = make(audio.Block, v.width)
		for c := range out[i] {
			out[i][c] = s.channel(output{node: v.node, channel: c}, n)
		}
	}
	return out
}

// sum adds up what is sent into a channel of a bus.
func (pl *Player) sum(s *set, to channel, at int64, n int) {
	dst := s.post[to.node][to.channel][:n]
	first := true
	still := s.terms[to.node][to.channel][:0] // what has gathered since the last that moves
	flush := func() {
		if len(still) > 0 {
			addAll(dst, still, first)
			still, first = still[:0], false
		}
	}
	for k := range pl.nodes[to.node].in {
		in := &pl.nodes[to.node].in[k]
		from := s.post[in.from]
		if t := pl.turners[in]; t != nil {
			from = s.turned[t.index]
		} else if s.silent[in.from] {
			continue
		} else if in.pre {
			from = s.pre[in.from]
		}
		for c, f := range in.patch[to.channel] {
			if f == 0 || from[c] == nil {
				continue
			}
			if m := pl.movers[in]; m != nil {
				flush()
				addShaped(dst, from[c][:n], m.of(to.channel, c), f, first)
				first = false
				continue
			}
			gain, _ := in.gain.at(at, at+int64(n))
			if gain = float64(f * gain); gain != 0 {
				still = append(still, term{from[c][:n], gain})
			}
		}
	}
	flush()
	if first {
		clear(dst)
	} else if pl.processors[to.node] == nil { // else it is treated first
		pl.gained(s, to, dst, at, n)
	}
	s.terms[to.node][to.channel] = still
}

// gained takes the gain of a bus into account.
func (pl *Player) gained(s *set, to channel, dst []float64, at int64, n int) {
	g := pl.nodes[to.node].gainOf(to.channel)
	if !g.moves() && g.rest == 1 {
		return
	}
	if v, still := g.at(at, at+int64(n)); still {
		scale(dst, v)
		return
	}
	factors := s.levels[to.node][to.channel]
	if len(factors) < n {
		factors = make([]float64, BlockFrames)
		s.levels[to.node][to.channel] = factors
	}
	g.fill(factors[:n], at)
	shape(dst, factors[:n])
}

func newMover(in *input) *mover {
	m := &mover{in: in, gain: make([]float64, BlockFrames)}
	if in.pan != nil {
		for range in.pan.Cells {
			m.cells = append(m.cells, make([]float64, BlockFrames))
		}
	}
	return m
}

// fill works out the factors of a send over a block.
func (m *mover) fill(at int64, n int) {
	f := m.gain[:n]
	m.in.gain.fill(f, at)
	if m.in.pan == nil {
		return
	}
	m.in.pan.Fill(m.cells, at, n)
	for _, cell := range m.cells {
		for i, g := range f {
			cell[i] *= g
		}
	}
}

// of is the factors of a crossing: those of the gain alone where the crossing does not move.
func (m *mover) of(to, from int) []float64 {
	if m.in.pan != nil {
		for k, c := range m.in.pan.Cells {
			if c == [2]int{to, from} {
				return m.cells[k]
			}
		}
	}
	return m.gain
}

// source finds a strand's file once.
func (pl *Player) source(strand string) (Source, error) {
	pl.mu.Lock()
	defer pl.mu.Unlock()
	src, ok := pl.known[strand]
	if !ok {
		var err error
		if src, err = pl.p.sources(strand); err != nil {
			return src, err
		}
		pl.known[strand] = src
	}
	return src, nil
}
