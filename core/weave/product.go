package weave

import (
	"slices"

	"zestyloom/core/audio"
	"zestyloom/core/spatial"
)

// Track is a track as far as its ways to the outputs go.
type Track struct {
	ID     string
	Layout audio.Layout
	Label  string
	// Place is where it stands by itself, as its recording says; nil where that says nothing.
	Place *spatial.Position
	// Kind is the kind of sound that it holds (DX, MX, FX, VO), and Language the BCP 47 tag of the speech, where something else
	// says so than its label.
	Kind, Language string
}

// Reach lists the buses that a track or bus comes into, by itself and through others. A weave that Check refuses may
// have circles, which are gone round once.
func (w Weave) Reach(id string) (buses []string) {
	for _, s := range w.Sends[id] {
		if !slices.Contains(buses, s.To) {
			buses = append(buses, s.To)
		}
	}
	for i := 0; i < len(buses); i++ {
		for _, s := range w.Sends[buses[i]] {
			if !slices.Contains(buses, s.To) {
				buses = append(buses, s.To)
			}
		}
	}
	return buses
}

// Paths counts the ways by which a track or bus comes into a bus. A weave that Check refuses may have circles, which end
// the count.
func (w Weave) Paths(from, to string) int { return w.paths(from, to, len(w.Buses)+1) }

func (w Weave) paths(from, to string, deep int) (n int) {
	if deep == 0 {
		return 0
	}
	for _, s := range w.Sends[from] {
		if s.To == to {
			n++
		} else {
			n += w.paths(s.To, to, deep-1)
		}
	}
	return n
}

// Factor is by what an output multiplies its bus channel.
func (o Output) Factor() float64 {
	f := Factor(o.TrimDB)
	if o.Mute {
		f = 0
	}
	if o.Invert {
		f = -f
	}
	return f
}

// Sent is by which factors, with the gain and at rest, the channels of a track or bus enter one that it is sent to.
type Sent struct {
	To      string
	Factors audio.Matrix
	Moves   bool
}

// Sent lists the ways out of a track or bus of a layout; one that Check refuses is left out.
func (w Weave) Sent(id string, layout audio.Layout) (out []Sent) {
	for _, s := range w.Sends[id] {
		b, ok := w.Bus(s.To)
		if !ok {
			continue
		}
		m, err := s.Patch.Between(layout, b.Channels())
		if err != nil {
			continue
		}
		out = append(out, Sent{s.To, m.Scaled(Factor(s.GainDB)), len(s.Gain) > 0 || s.Patch.Moves()})
	}
	return out
}

// Product is what all grids come to, at rest: for every output and every track, the factors by which the track's
// channels are heard there, by whatever way. A weave that Check refuses has none.
func (w Weave) Product(tracks []Track) ([][][]float64, error) {
	order, err := w.Order()
	if err != nil {
		return nil, err
	}
	out := make([][][]float64, len(w.Outputs))
	for o := range out {
		out[o] = make([][]float64, len(tracks))
	}
	for t, track := range tracks {
		// in is by which factors the track's channels have come into each bus.
		in := map[string]audio.Matrix{}
		carry := func(id string, layout audio.Layout, so audio.Matrix) error {
			for _, s := range w.Sends[id] {
				b, _ := w.Bus(s.To)
				m, err := s.Patch.Between(layout, b.Channels())
				if err != nil {
					return err
				}
				m = m.Scaled(Factor(s.GainDB))
				if so != nil {
					m = m.Times(so)
				}
				if in[s.To] == nil {
					in[s.To] = audio.NewMatrix(b.Channels().Count, track.Layout.Count)
				}
				for i, row := range m {
					for j, f := range row {
						in[s.To][i][j] += f
					}
				}
			}
			return nil
		}
		if err := carry(track.ID, track.Layout, nil); err != nil {
			return nil, err
		}
		for _, i := range order {
			if so := in[w.Buses[i].ID]; so != nil {
				if g := w.Gain(w.Buses[i].ID); g.DB != 0 {
					so = so.Scaled(Factor(g.DB))
					in[w.Buses[i].ID] = so
				}
				if err := carry(w.Buses[i].ID, w.Buses[i].Channels(), so); err != nil {
					return nil, err
				}
			}
		}
		for o, output := range w.Outputs {
			if out[o][t] = make([]float64, track.Layout.Count); in[output.Bus] != nil {
				for i, f := range in[output.Bus][output.Channel] {
					out[o][t][i] = f * output.Factor()
				}
			}
		}
	}
	return out, nil
}
