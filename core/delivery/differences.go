package delivery

import (
	"fmt"
	"reflect"
	"sort"
	"strings"

	"zestyloom/core/weave"
)

// Made is a delivery as it was made: what was to be written, and what the files were found to hold.
type Made struct {
	Plan  Plan
	Proof Proof
}

// Differences says in words what a version of a delivery has that the one before has not: where and how long it is, what
// was changed in the weave, and which channels hold other samples.
func Differences(was, now Made) []string {
	out := []string{}
	say := func(format string, args ...any) { out = append(out, fmt.Sprintf(format, args...)) }
	if was.Plan.Order.Spec.Name != now.Plan.Order.Spec.Name {
		say("spec: %s, before %s", now.Plan.Order.Spec.Name, was.Plan.Order.Spec.Name)
	} else if was.Plan.Order.Spec.Version != now.Plan.Order.Spec.Version {
		say("version of the spec: %d, before %d", now.Plan.Order.Spec.Version, was.Plan.Order.Spec.Version)
	}
	if a, b := was.Plan.startSays(was.Plan.Start), now.Plan.startSays(now.Plan.Start); a != b {
		say("start: %s, before %s", b, a)
	}
	if was.Plan.Frames != now.Plan.Frames {
		say("length: %d samples, before %d", now.Plan.Frames, was.Plan.Frames)
	}
	for _, row := range weave.Compare(was.Plan.Reel.Weave, now.Plan.Reel.Weave, now.Plan.Reel.Routed()) {
		if row.State != "kept" {
			say("%s %s: %s (%s)", row.What, row.Name, row.State, row.Says)
		}
	}
	for _, b := range now.Plan.Reel.Weave.Buses {
		before, after := was.Plan.Reel.Weave.Gain(b.ID), now.Plan.Reel.Weave.Gain(b.ID)
		if before.DB != after.DB {
			say("level of %s: %+.1f dB, before %+.1f dB", b.Name, after.DB, before.DB)
		}
		if !reflect.DeepEqual(before.Curves, after.Curves) || !reflect.DeepEqual(before.Peaks, after.Peaks) {
			say("level of %s over time: another", b.Name)
		}
	}
	a, b := was.channels(), now.channels()
	var same, other, more, gone []string
	for name, hash := range b {
		switch before, there := a[name]; {
		case !there:
			more = append(more, name)
		case before == hash:
			same = append(same, name)
		default:
			other = append(other, name)
		}
	}
	for name := range a {
		if _, there := b[name]; !there {
			gone = append(gone, name)
		}
	}
	for _, g := range []struct {
		says  string
		names []string
	}{{"other samples in", other}, {"new", more}, {"not there any more", gone}, {"the same, sample by sample", same}} {
		if len(g.names) > 0 {
			sort.Strings(g.names)
			say("%s: %s", g.says, strings.Join(g.names, ", "))
		}
	}
	return out
}

// channels are the hashes of all channels by their names.
func (m Made) channels() map[string]string {
	out := map[string]string{}
	for i, f := range m.Proof.Files {
		if i >= len(m.Plan.Files) {
			break
		}
		for _, c := range f.Channels {
			out[c.Name] = c.Hash
		}
	}
	return out
}

// Used is a recording that a delivery is made of.
type Used struct {
	File     string   `json:"file"` // its name
	Hash     string   `json:"hash"`
	Channels []int    `json:"channels"` // of it, from 1
	Tracks   []string `json:"tracks"`   // where it is heard
	Clips    int      `json:"clips"`
}

// Uses lists the recordings that a plan's files are made of: those of clips that are heard, on tracks that are not off and
// that come into something that is delivered.
func (p Plan) Uses() []Used {
	carried := p.Carried()
	index := map[string]int{}
	out := []Used{}
	for _, t := range p.Reel.Tracks {
		reaches := carried[t.ID]
		for _, b := range p.Reel.Weave.Reach(t.ID) {
			reaches = reaches || carried[b]
		}
		if t.Off || !reaches {
			continue
		}
		for _, c := range t.Clips {
			if c.End() <= p.From || c.At >= p.To {
				continue
			}
			counted := map[int]bool{}
			for _, id := range c.Strands {
				s, ok := p.Sources[id]
				if !ok {
					continue
				}
				i, ok := index[s.File]
				if !ok {
					i = len(out)
					index[s.File] = i
					out = append(out, Used{File: s.Name, Hash: s.Hash, Channels: []int{}, Tracks: []string{}})
				}
				u := &out[i]
				u.Channels = added(u.Channels, s.Channel+1)
				u.Tracks = added(u.Tracks, t.Label)
				if !counted[i] {
					counted[i] = true
					u.Clips++
				}
			}
		}
	}
	for i := range out {
		sort.Ints(out[i].Channels)
	}
	return out
}

func added[T comparable](list []T, v T) []T {
	for _, o := range list {
		if o == v {
			return list
		}
	}
	return append(list, v)
}
