package weave

import (
	"fmt"
	"slices"

	"zestyloom/core/audio"
	"zestyloom/core/snag"
)

// Speaker is the speaker that an output carries, empty where it carries what is none, or nothing.
func (w Weave) Speaker(o Output) audio.Speaker {
	if b, ok := w.Bus(o.Bus); ok && b.Channels().Kind == audio.Bed {
		return b.Channels().Speakers[o.Channel]
	}
	return ""
}

// Resize returns the outputs grown or shrunk to n: those that stay keep everything, new ones take
// the channels of stems that no output carries yet, and then carry silence. A group that loses a member is one no more.
func (w Weave) Resize(n int) ([]Output, []Group, error) {
	if n < 1 || n > MaxOutputs {
		return nil, nil, snag.Refuse("bad_width", "a master has 1 to %d outputs, not %d", MaxOutputs, n)
	}
	outs := slices.Clone(w.Outputs[:min(n, len(w.Outputs))])
	taken, names := map[string]bool{}, map[string]bool{}
	for _, o := range outs {
		taken[fmt.Sprint(o.Bus, " ", o.Channel)], names[o.Name] = true, true
	}
	for _, b := range w.Buses {
		for c, channel := range b.Channels().Channels() {
			if b.Role == Stem && len(outs) < n && !taken[fmt.Sprint(b.ID, " ", c)] && !names[b.Name+" "+channel] {
				outs = append(outs, Output{Name: b.Name + " " + channel, Bus: b.ID, Channel: c})
				names[b.Name+" "+channel] = true
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
	outs, groups := Regroup(outs, w.Groups)
	return outs, groups, nil
}

// Regroup drops the groups that outputs no longer stand in as a whole.
func Regroup(outs []Output, groups []Group) ([]Output, []Group) {
	outs = slices.Clone(outs)
	kept := []Group{}
	for _, g := range groups {
		var own []Output
		for _, o := range outs {
			if o.Group == g.ID {
				own = append(own, o)
			}
		}
		if len(own) > 0 && checkGroups(run(outs, g.ID), []Group{g}) == nil {
			kept = append(kept, g)
			continue
		}
		for i := range outs {
			if outs[i].Group == g.ID {
				outs[i].Group = ""
			}
		}
	}
	return outs, kept
}

// run is the outputs with all groups but one taken off.
func run(outs []Output, group string) []Output {
	outs = slices.Clone(outs)
	for i := range outs {
		if outs[i].Group != group {
			outs[i].Group = ""
		}
	}
	return outs
}
