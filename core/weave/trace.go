package weave

import (
	"fmt"

	"zestyloom/core/treat"
)

// Step is one part of the way of a sound: into a bus, or onto an output.
type Step struct {
	Into   string  `json:"into"` // the name of the bus, or of the output
	GainDB float64 `json:"gain_db"`
	Says   string  `json:"says"` // how it enters, in words
}

// Traces are the ways by which a track comes to an output, step by step: through parts, stems and mixes, with every gain
// on the way. A weave that Check refuses has none.
func (w Weave) Traces(t Track, output int) (out [][]Step) {
	if _, err := w.Order(); err != nil || output < 0 || output >= len(w.Outputs) {
		return nil
	}
	o := w.Outputs[output]
	var follow func(id string, steps []Step)
	follow = func(id string, steps []Step) {
		from := t.Layout
		if b, ok := w.Bus(id); ok {
			from = b.Channels()
			if says := treat.Says(w.Levels[id].Treat, w.Levels[id].TreatMoves); says != "" {
				steps = append(steps[:len(steps):len(steps)], Step{b.Name, 0, says})
			}
			if g := w.Gain(id); !g.Plain() {
				says := "its level"
				if g.Moves() {
					says = "its level, which moves"
				}
				steps = append(steps[:len(steps):len(steps)], Step{b.Name, g.DB, says})
			}
			if id == o.Bus {
				last := Step{Into: fmt.Sprintf("output %d %s", output+1, o.Name), GainDB: o.TrimDB, Says: b.Channels().Channel(o.Channel)}
				if o.Invert {
					last.Says += ", turned over"
				}
				if o.Mute {
					last.Says += ", muted"
				}
				out = append(out, append(steps[:len(steps):len(steps)], last))
			}
		}
		for _, s := range w.Sends[id] {
			b, _ := w.Bus(s.To)
			says := s.Patch.Says(from, b.Channels())
			if len(s.Gain) > 0 {
				says += ", its gain moves"
			}
			follow(s.To, append(steps[:len(steps):len(steps)], Step{b.Name, s.GainDB, says}))
		}
	}
	follow(t.ID, nil)
	return out
}
