// Package weave has the routing of a reel: tracks to the channels of stems, with a gain and a
// position, and stem channels to numbered outputs. Everything is sums of products; a route at
// unity leaves every sample as it is.
package weave

import (
	"fmt"
	"math"
	"slices"

	"zestyloom/core/audio"
	"zestyloom/core/snag"
)

// Position is where a mono track stands in a stereo stem, with its pan law: part of the route and
// always shown.
type Position string

// Positions of a mono track in a stereo stem.
const (
	Both      Position = "both"       // both sides at 0 dB
	BothMinus Position = "both_minus" // both sides at -3 dB, the sine/cosine law's centre (1/√2)
	Left      Position = "left"       // left only
	Right     Position = "right"      // right only
)

// Positions lists them in the order they are offered.
var Positions = []Position{Both, BothMinus, Left, Right}

// Stem is a bus with a layout that tracks feed.
type Stem struct {
	ID     string `json:"id"`
	Name   string `json:"name"` // DX, MX, FX, VO EN, ...
	Kind   string `json:"kind"` // DX, MX, FX or VO
	Layout string `json:"layout"`
}

// Speakers are the stem's channels in order.
func (s Stem) Speakers() []audio.Speaker {
	for _, l := range audio.Layouts {
		if l.Name == s.Layout {
			return l.Speakers
		}
	}
	return nil
}

// Route sends a track to a stem.
type Route struct {
	Stem     string   `json:"stem"`    // a stem's ID
	GainDB   float64  `json:"gain_db"` // MinGain to MaxGain
	Position Position `json:"position"`
}

// Gains that a route may have, in dB.
const (
	MinGain = -96
	MaxGain = 24
)

// Output is one numbered output channel; its number is its place in the list, from 1.
type Output struct {
	Name    string `json:"name"`
	Stem    string `json:"stem"`    // a stem's ID; empty for an output that carries silence
	Channel int    `json:"channel"` // of the stem, from 0
}

// MaxOutputs bounds a master's width.
const MaxOutputs = 64

// Weave is the routing of a reel.
type Weave struct {
	Stems   []Stem           `json:"stems"`
	Routes  map[string]Route `json:"routes"` // by track ID; a track without one feeds nothing
	Outputs []Output         `json:"outputs"`
}

// Default has stereo stems for dialogue, music, effects and voice-over, and the first three on
// outputs 1 to 6.
func Default() Weave {
	w := Weave{Routes: map[string]Route{}}
	for _, k := range []string{"DX", "MX", "FX", "VO"} {
		s := Stem{ID: k, Name: k, Kind: k, Layout: "stereo"}
		w.Stems = append(w.Stems, s)
		if k == "VO" {
			continue
		}
		for c, sp := range s.Speakers() {
			w.Outputs = append(w.Outputs, Output{Name: s.Name + " " + string(sp), Stem: s.ID, Channel: c})
		}
	}
	return w
}

// Stem finds a stem by its ID.
func (w Weave) Stem(id string) (Stem, bool) {
	i := slices.IndexFunc(w.Stems, func(s Stem) bool { return s.ID == id })
	if i < 0 {
		return Stem{}, false
	}
	return w.Stems[i], true
}

// Check refuses a weave whose parts don't fit together.
func (w Weave) Check() error {
	ids := map[string]bool{}
	for _, s := range w.Stems {
		switch {
		case s.ID == "" || ids[s.ID]:
			return snag.Refuse("bad_stem", "stem %q has no identity of its own", s.Name)
		case s.Name == "":
			return snag.Refuse("bad_stem", "a stem needs a name")
		case s.Speakers() == nil:
			return snag.Refuse("bad_stem", "stem %s: the layout %q is not known", s.Name, s.Layout)
		}
		ids[s.ID] = true
	}
	for _, r := range w.Routes {
		if err := w.CheckRoute(r); err != nil {
			return err
		}
	}
	return w.CheckOutputs(w.Outputs)
}

// CheckRoute refuses a route to a stem that is not there, or with a gain or position that can't be.
func (w Weave) CheckRoute(r Route) error {
	if _, ok := w.Stem(r.Stem); !ok {
		return snag.Refuse("no_such_stem", "there is no stem %q to send to", r.Stem)
	}
	if !(r.GainDB >= MinGain && r.GainDB <= MaxGain) {
		return snag.Refuse("bad_gain", "a gain of %g dB is outside %d to %d dB", r.GainDB, MinGain, MaxGain)
	}
	if !slices.Contains(Positions, r.Position) {
		return snag.Refuse("bad_position", "position %q: expected one of %v", r.Position, Positions)
	}
	return nil
}

// CheckOutputs refuses a list of outputs that can't be: too long, unnamed, named alike, or of a
// stem channel that is not there.
func (w Weave) CheckOutputs(outs []Output) error {
	if len(outs) > MaxOutputs {
		return snag.Refuse("too_many_outputs", "%d outputs: at most %d", len(outs), MaxOutputs)
	}
	names := map[string]int{}
	for i, o := range outs {
		if o.Name == "" || len(o.Name) > 60 {
			return snag.Refuse("bad_output", "output %d needs a name of at most 60 letters", i+1)
		}
		if n, seen := names[o.Name]; seen {
			return snag.Refuse("bad_output", "outputs %d and %d are both named %s", n, i+1, o.Name)
		}
		names[o.Name] = i + 1
		if o.Stem == "" {
			continue
		}
		s, ok := w.Stem(o.Stem)
		if !ok || o.Channel < 0 || o.Channel >= len(s.Speakers()) {
			return snag.Refuse("bad_output", "output %d (%s) takes channel %d of a stem %q that has no such channel", i+1, o.Name, o.Channel+1, o.Stem)
		}
	}
	return nil
}

// Weights are the factors with which a track's sound enters each channel of its stem.
func (r Route) Weights(s Stem) []float64 {
	g := audio.Gain(r.GainDB)
	if r.GainDB <= MinGain {
		g = 0
	}
	w := make([]float64, len(s.Speakers()))
	if len(w) == 1 {
		w[0] = g
		return w
	}
	switch r.Position {
	case BothMinus:
		w[0], w[1] = g*math.Sqrt2/2, g*math.Sqrt2/2
	case Left:
		w[0] = g
	case Right:
		w[1] = g
	default:
		w[0], w[1] = g, g
	}
	return w
}

// Matrix is the product of the two grids: for every output, the factor of every track, in the
// order of the given track IDs.
func (w Weave) Matrix(tracks []string) [][]float64 {
	m := make([][]float64, len(w.Outputs))
	for o, out := range w.Outputs {
		m[o] = make([]float64, len(tracks))
		for t, id := range tracks {
			r, ok := w.Routes[id]
			if s, found := w.Stem(r.Stem); ok && found && out.Stem == s.ID {
				m[o][t] = r.Weights(s)[out.Channel]
			}
		}
	}
	return m
}

// Resize returns the outputs grown or shrunk to n: those that stay keep everything, new ones take
// the channels of stems that no output carries yet, and then carry silence.
func (w Weave) Resize(n int) ([]Output, error) {
	if n < 1 || n > MaxOutputs {
		return nil, snag.Refuse("bad_width", "a master has 1 to %d outputs, not %d", MaxOutputs, n)
	}
	outs := slices.Clone(w.Outputs[:min(n, len(w.Outputs))])
	taken, names := map[string]bool{}, map[string]bool{}
	for _, o := range outs {
		taken[fmt.Sprint(o.Stem, o.Channel)], names[o.Name] = true, true
	}
	for _, s := range w.Stems {
		for c, sp := range s.Speakers() {
			if len(outs) < n && !taken[fmt.Sprint(s.ID, c)] && !names[s.Name+" "+string(sp)] {
				outs = append(outs, Output{Name: s.Name + " " + string(sp), Stem: s.ID, Channel: c})
				names[s.Name+" "+string(sp)] = true
			}
		}
	}
	for len(outs) < n {
		name := fmt.Sprintf("Out %d", len(outs)+1)
		for names[name] {
			name += "'"
		}
		names[name] = true
		outs = append(outs, Output{Name: name})
	}
	return outs, nil
}
