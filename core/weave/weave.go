// Package weave has the routing of a reel: tracks and buses are sent into buses with a gain and a patch, and channels of
// buses stand on numbered outputs. Everything is sums of products; what is sent at unity stays as it is, bit for bit.
package weave

import (
	"maps"
	"slices"

	"zestyloom/core/audio"
	"zestyloom/core/automation"
	"zestyloom/core/treat"
)

// Role says what a bus is in a production.
type Role string

// The roles.
const (
	Stem Role = "stem" // what is delivered apart: DX, MX, FX, VO EN, ...
	Part Role = "part" // a named share of a stem
	Mix  Role = "mix"  // a sum of stems: a full mix, M&E
)

// Bus sums what is sent into it.
type Bus struct {
	ID       string `json:"id"`
	Name     string `json:"name"` // DX, MX, FX, VO EN, M&E, ...
	Role     Role   `json:"role"`
	Kind     string `json:"kind,omitempty"`     // of a stem: DX, MX, FX, VO or a further one
	Of       string `json:"of,omitempty"`       // of a part: the ID of its stem
	Language string `json:"language,omitempty"` // BCP 47, of speech
	Layout   string `json:"layout"`             // see audio.ParseLayout
	Colour   string `json:"colour,omitempty"`   // of a further stem: one of Colours
}

// Colours are those that a further stem may have; DX, VO, MX and FX have their own.
var Colours = []string{"sea", "clay", "sky", "moss"}

// Send is the way from a track or a bus into a bus.
type Send struct {
	To     string           `json:"to"`      // a bus's ID
	GainDB float64          `json:"gain_db"` // MinGain to MaxGain
	Gain   automation.Curve `json:"gain,omitempty"`
	Patch  Patch            `json:"patch"`
	// Pre takes the signal before the gain of the track that it comes from.
	Pre bool `json:"pre,omitempty"`
}

// Gains that a send may have, in dB. The least is silence.
const (
	MinGain = -96
	MaxGain = 24
)

// Output is one numbered output channel; its number is its place in the list, from 1.
type Output struct {
	Name    string `json:"name"`
	Bus     string `json:"bus"`     // a bus's ID; empty for an output that carries silence
	Channel int    `json:"channel"` // of the bus, from 0
	// Group is the ID of the group that it is part of, with its neighbours; empty for one that stands alone.
	Group string `json:"group,omitempty"`

	TrimDB float64 `json:"trim_db,omitempty"` // MinGain to MaxGain
	Invert bool    `json:"invert,omitempty"`  // the polarity is turned over
	Delay  int     `json:"delay,omitempty"`   // by how many samples it is late, up to MaxDelay
	Mute   bool    `json:"mute,omitempty"`    // it is delivered, and silent
}

// MaxDelay is the most samples by which an output may be late.
const MaxDelay = 96000

// Group is a run of outputs that belong together.
type Group struct {
	ID     string `json:"id"`
	Layout string `json:"layout"` // stereo for a pair
}

// MaxOutputs bounds a master's width, MaxBuses the buses of a weave.
const (
	MaxOutputs = 128
	MaxBuses   = 256
)

// Weave is the routing of a reel.
type Weave struct {
	Buses   []Bus             `json:"buses"`
	Sends   map[string][]Send `json:"sends"` // by the ID of the track or bus that is sent; without, it feeds nothing
	Outputs []Output          `json:"outputs"`
	Groups  []Group           `json:"groups,omitempty"`
	// Law is at how many dB one channel enters both sides of what has no centre when nobody says otherwise: one of Laws.
	Law float64 `json:"law,omitempty"`
	// Levels are the gains of buses, by their IDs: of what they sum, before it goes on or out. Without, it stays as it is.
	Levels map[string]Level `json:"levels,omitempty"`
	// Corrections are those that were measured and worked out; a bus has one at most.
	Corrections []Correction `json:"corrections,omitempty"`
}

// Level is the gain of a bus: at rest, and over time, added.
type Level struct {
	GainDB float64          `json:"gain_db"`
	Gain   automation.Curve `json:"gain,omitempty"`
	// Treat is what is done to what the bus sums, before its gain.
	Treat treat.Chain `json:"treat,omitzero"`
	// TreatMoves are figures of it over the reel's time.
	TreatMoves treat.Moves `json:"treat_moves,omitempty"`
}

// Equal reports whether two levels are the same.
func (l Level) Equal(o Level) bool {
	return l.GainDB == o.GainDB && slices.Equal(l.Gain, o.Gain) && l.Treat == o.Treat && l.TreatMoves.Equal(o.TreatMoves)
}

// Default has stereo stems for dialogue, music, effects and voice-over, and the first three on
// outputs 1 to 6.
func Default() Weave {
	w := Weave{Sends: map[string][]Send{}}
	for _, k := range []string{"DX", "MX", "FX", "VO"} {
		b := Bus{ID: k, Name: k, Role: Stem, Kind: k, Layout: "stereo"}
		w.Buses = append(w.Buses, b)
		if k == "VO" {
			continue
		}
		w.Groups = append(w.Groups, Group{ID: k, Layout: b.Layout})
		for c, channel := range b.Channels().Channels() {
			w.Outputs = append(w.Outputs, Output{Name: b.Name + " " + channel, Bus: b.ID, Channel: c, Group: k})
		}
	}
	return w
}

// Clone copies everything that may be changed in place.
func (w Weave) Clone() Weave {
	w.Buses, w.Outputs, w.Groups = slices.Clone(w.Buses), slices.Clone(w.Outputs), slices.Clone(w.Groups)
	if w.Sends = maps.Clone(w.Sends); w.Sends == nil {
		w.Sends = map[string][]Send{}
	}
	w.Levels, w.Corrections = maps.Clone(w.Levels), slices.Clone(w.Corrections)
	return w
}

// Channels is the bus's layout; the zero one when it is not known, which Check refuses.
func (b Bus) Channels() audio.Layout {
	l, _ := audio.ParseLayout(b.Layout)
	return l
}

// Bus finds a bus by its ID.
func (w Weave) Bus(id string) (Bus, bool) {
	i := slices.IndexFunc(w.Buses, func(b Bus) bool { return b.ID == id })
	if i < 0 {
		return Bus{}, false
	}
	return w.Buses[i], true
}

// Send is the first way out of a track or bus: into its stem, or its part of one.
func (w Weave) Send(id string) (Send, bool) {
	if len(w.Sends[id]) == 0 {
		return Send{}, false
	}
	return w.Sends[id][0], true
}

// StemOf is the stem that a track is sent to, by itself or as a part; false for none.
func (w Weave) StemOf(id string) (Bus, bool) {
	s, ok := w.Send(id)
	if !ok {
		return Bus{}, false
	}
	b, ok := w.Bus(s.To)
	if ok && b.Role == Part {
		return w.Bus(b.Of)
	}
	return b, ok
}

// StemNamed finds a stem by the name that it is shown under.
func (w Weave) StemNamed(name string) (Bus, bool) {
	i := slices.IndexFunc(w.Buses, func(b Bus) bool { return b.Role == Stem && b.Name == name })
	if i < 0 {
		return Bus{}, false
	}
	return w.Buses[i], true
}

// Factor is a gain in dB as a factor: exactly 1 at 0 dB, and 0 at MinGain.
func Factor(db float64) float64 {
	if db <= MinGain {
		return 0
	}
	return audio.Gain(db)
}

// Feeding are the buses that feed some, directly or by others, and these themselves; other names are passed over.
func (w Weave) Feeding(buses []string) map[string]bool {
	out := map[string]bool{}
	for _, id := range buses {
		if _, ok := w.Bus(id); ok {
			out[id] = true
		}
	}
	for grown := true; grown; {
		grown = false
		for _, b := range w.Buses {
			for _, s := range w.Sends[b.ID] {
				if out[s.To] && !out[b.ID] {
					out[b.ID], grown = true, true
				}
			}
		}
	}
	return out
}
