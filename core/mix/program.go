package mix

import (
	"slices"
	"sort"

	"zestyloom/core/audio"
	"zestyloom/core/reel"
	"zestyloom/core/snag"
	"zestyloom/core/treat"
	"zestyloom/core/weave"
)

// Program is a reel and its weave, compiled: checked, and in the order in which it is computed. It is never changed, and
// safe for concurrent use.
type Program struct {
	rate    int
	sources Sources
	// nodes are the tracks in order, and then the buses, each after all that is sent into it.
	nodes   []node
	tracks  int            // how many of the nodes are tracks
	index   map[string]int // of nodes, by the ID of the track or bus
	outputs []output
	start   int64
	end     int64
}

// node is a track or a bus: what is computed as one.
type node struct {
	id     string
	layout audio.Layout
	clips  []clip      // a track's, in order of time; none of one that is off
	treat  treat.Chain // what is done to what it sums
	moves  treat.Moves // figures of that over time
	gain   level       // after that
	lfe    *level      // of the LFE, where it has another
	in     []input     // a bus's
	depth  int         // a bus's: how many buses stand before it at the most
}

// clip is a clip as it is computed.
type clip struct {
	reel.Clip
	patch audio.Matrix
	gain  level        // over the strands' samples
	pan   *weave.Mover // of what moves, over the strands' samples: see input
	plain bool         // each strand is a channel of the track, as it is
}

// input is a send into a bus.
type input struct {
	from  int // a node
	patch audio.Matrix
	gain  level
	pan   *weave.Mover // of what moves: its crossings are 1 in patch, and these are their factors
	pre   bool
	ahead []bool // the channels that go in 90° ahead of the others; nil where all go in as they are
}

// output is an output's channel of a bus; a node of -1 is silence.
type output struct {
	node, channel int
	factor        float64
	delay         int
}

// plain reports whether an output is its channel as it is.
func (o output) plain() bool { return o.factor == 1 && o.delay == 0 }

// Compile makes a program of a reel at a sample rate. What does not fit together is refused; the strands' sources are
// asked for when they are first heard.
func Compile(r reel.Reel, rate int, sources Sources) (*Program, error) {
	if err := r.Check(); err != nil {
		return nil, err
	}
	p := &Program{rate: rate, sources: sources, index: map[string]int{}}
	p.start, p.end = r.Span()
	for _, t := range r.Tracks {
		n, err := track(t)
		if err != nil {
			return nil, err
		}
		p.index[t.ID] = len(p.nodes)
		p.nodes = append(p.nodes, n)
	}
	p.tracks = len(p.nodes)
	order, err := r.Weave.Order()
	if err != nil {
		return nil, err
	}
	for _, i := range order {
		b := r.Weave.Buses[i]
		p.index[b.ID] = len(p.nodes)
		n := bus(b, r.Weave.Gain(b.ID))
		n.treat, n.moves = r.Weave.Levels[b.ID].Treat, r.Weave.Levels[b.ID].TreatMoves
		p.nodes = append(p.nodes, n)
	}
	// In the order of tracks and then buses: so are sums made.
	for from := range p.nodes {
		for _, s := range r.Weave.Sends[p.nodes[from].id] {
			if err := p.send(from, s, from < len(r.Tracks)); err != nil {
				return nil, err
			}
		}
	}
	for _, o := range r.Weave.Outputs {
		out := output{-1, 0, 1, 0}
		if o.Bus != "" && o.Factor() != 0 {
			out = output{p.index[o.Bus], o.Channel, o.Factor(), o.Delay}
		}
		p.outputs = append(p.outputs, out)
	}
	return p, nil
}

func bus(b weave.Bus, g weave.BusGain) node {
	n := node{id: b.ID, layout: b.Channels(), gain: levelOf(g.DB, g.Curves...)}
	if len(g.Peaks) > 0 {
		free := n.gain
		n.lfe, n.gain = &free, levelOf(g.DB, slices.Concat(g.Curves, g.Peaks)...)
	}
	return n
}

// most bounds the factors of all of a node's channels in [from, to).
func (n *node) most(from, to int64) float64 {
	v := n.gain.most(from, to)
	if n.lfe != nil {
		v = max(v, n.lfe.most(from, to))
	}
	return v
}

// gainOf is the gain of one of a node's channels.
func (n *node) gainOf(channel int) level {
	if n.lfe != nil && n.layout.IsLFE(channel) {
		return *n.lfe
	}
	return n.gain
}

func track(t reel.Track) (node, error) {
	n := node{id: t.ID, layout: t.Channels(), treat: t.Treat, moves: t.TreatMoves, gain: levelOf(t.GainDB, t.Gain)}
	if t.Off {
		return n, nil
	}
	n.clips = make([]clip, len(t.Clips))
	unity := audio.Unity(n.layout.Count)
	for i, c := range t.Clips {
		k := clip{Clip: c, gain: levelOf(c.GainDB, c.Gain)}
		from := c.Channels(n.layout)
		if c.Patch.Preset == weave.Plain && from.Name == n.layout.Name {
			k.patch, k.plain = unity, true
		} else {
			var err error
			if k.pan, k.patch, err = c.Patch.Mover(from, n.layout); err != nil {
				return n, err
			}
		}
		n.clips[i] = k
	}
	return n, nil
}

func (p *Program) send(from int, s weave.Send, isTrack bool) error {
	to := &p.nodes[p.index[s.To]]
	in := input{from: from, gain: levelOf(s.GainDB, s.Gain), pre: s.Pre && isTrack}
	if !isTrack {
		to.depth = max(to.depth, p.nodes[from].depth+1)
	}
	var err error
	in.pan, in.patch, err = s.Patch.Mover(p.nodes[from].layout, to.layout)
	in.ahead = s.Patch.Ahead(p.nodes[from].layout, to.layout)
	to.in = append(to.in, in)
	return err
}

// Span is where the reel begins and ends.
func (p *Program) Span() (start, end int64) { return p.start, p.end }

// Rate is the sample rate in Hz.
func (p *Program) Rate() int { return p.rate }

// Outputs is how many outputs there are.
func (p *Program) Outputs() int { return len(p.outputs) }

// Signal names something of a program that can be read.
type Signal struct {
	id   string
	clip string
}

// All is the outputs, a channel each.
func All() Signal { return Signal{} }

// Of is a track or a bus, by its ID.
func Of(id string) Signal { return Signal{id: id} }

// Alone is one clip of a track as it enters it, by their IDs.
func Alone(track, clip string) Signal { return Signal{id: track, clip: clip} }

// Layout is what a signal's channels stand for: the outputs are discrete.
func (p *Program) Layout(s Signal) (audio.Layout, error) {
	if s.id == "" {
		return audio.Layout{Name: "outputs", Kind: audio.Discrete, Count: len(p.outputs)}, nil
	}
	i, ok := p.index[s.id]
	if !ok {
		return audio.Layout{}, snag.Refuse("no_such_signal", "there is no track or bus %q to hear", s.id)
	}
	return p.nodes[i].layout, nil
}

// within finds the clips that sound in [from, to): all of clips[first:last], as they overlap but with their neighbours.
func within(clips []clip, from, to int64) (first, last int) {
	first = sort.Search(len(clips), func(i int) bool { return clips[i].End() > from })
	last = first + sort.Search(len(clips)-first, func(i int) bool { return clips[first+i].At >= to })
	return first, last
}
