// Package readings measures a reel: the loudness and peaks of its buses and groups of outputs, of its buses as they were
// before they were corrected, and of speech in its mixes. What was measured is kept by what sounds there, so that after an
// edit but the seconds that it touches are measured anew.
package readings

import (
	"encoding/json"
	"fmt"
	"slices"

	"zestyloom/core/audio"
	"zestyloom/core/loudness"
	"zestyloom/core/mix"
	"zestyloom/core/weave"
)

// Outputs is the role of a group of outputs, beside those of buses.
const Outputs weave.Role = "outputs"

// Subject is something of a reel that is measured by itself.
type Subject struct {
	ID     string // of the bus or the group
	Name   string
	Role   weave.Role
	Layout audio.Layout
	// As is the ID of a bus whose channels the outputs of a group are, as they are, in whatever order: it reads as they do.
	As string
	// Says is why it has no loudness, else empty; How by what it is measured where that is not it by itself.
	Says, How string

	outputs []int // of a group: their places in the list
}

// Subjects are what there is to be measured in a weave: buses and groups of outputs, in order.
func Subjects(w weave.Weave) (out []Subject) {
	for _, b := range w.Buses {
		out = append(out, subject(Subject{ID: b.ID, Name: b.Name, Role: b.Role, Layout: b.Channels()}))
	}
	for _, g := range w.Groups {
		out = append(out, group(w, g))
	}
	return out
}

func subject(s Subject) Subject {
	if s.Layout.Count == 0 {
		s.Says = "it has no channels"
	}
	s.How = loudness.How(s.Layout)
	return s
}

// group is a group of outputs: its channels are the speakers that they carry, in the order of the outputs.
func group(w weave.Weave, g weave.Group) Subject {
	s := Subject{ID: g.ID, Role: Outputs, Layout: audio.Layout{Name: g.Layout, Kind: audio.Bed}}
	plain := true
	for i, o := range w.Outputs {
		if o.Group != g.ID {
			continue
		}
		_, ok := w.Bus(o.Bus)
		if s.outputs == nil {
			s.As = o.Bus
		}
		s.outputs = append(s.outputs, i)
		plain = plain && ok && o.Bus == s.As && !o.Mute && !o.Invert && o.TrimDB == 0 && o.Delay == 0
		s.Layout.Speakers = append(s.Layout.Speakers, w.Speaker(o))
	}
	s.Layout.Count = len(s.outputs)
	if slices.Contains(s.Layout.Speakers, "") {
		s.Layout.Kind, s.Layout.Speakers = audio.Discrete, nil
	}
	if s.Name = "Outputs"; len(s.outputs) > 0 {
		s.Name = fmt.Sprintf("Outputs %d–%d", s.outputs[0]+1, s.outputs[len(s.outputs)-1]+1)
	}
	if len(s.outputs) == 1 {
		s.Name = fmt.Sprintf("Output %d", s.outputs[0]+1)
	}
	if b, ok := w.Bus(s.As); !plain || !ok || b.Channels().Count != len(s.outputs) || twice(w, s.outputs) {
		s.As = ""
	}
	return subject(s)
}

// twice reports whether two of some outputs carry the same channel.
func twice(w weave.Weave, outputs []int) bool {
	for i, o := range outputs {
		if slices.ContainsFunc(outputs[:i], func(k int) bool { return w.Outputs[k].Channel == w.Outputs[o].Channel }) {
			return true
		}
	}
	return false
}

// print is the fingerprint of a stretch of a subject.
func (s Subject) print(w weave.Weave, f *mix.Fingerprints, from, to, before, after int64) (string, error) {
	if s.Role != Outputs {
		print, err := f.Of(s.ID, from, to, before, after)
		return fmt.Sprint(s.Layout.Name, " ", print), err
	}
	all := ""
	for _, i := range s.outputs {
		o := w.Outputs[i]
		print := uint64(0)
		if o.Bus != "" {
			var err error
			if print, err = f.Of(o.Bus, from, to, before+int64(o.Delay), after); err != nil {
				return "", err
			}
		}
		said, err := json.Marshal([]any{o.Channel, o.TrimDB, o.Invert, o.Delay, o.Mute, print})
		if err != nil {
			return "", err
		}
		all += string(said)
	}
	return fmt.Sprint(s.Layout.Speakers, s.Layout.Count, all), nil
}
