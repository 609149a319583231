package take

import (
	"fmt"
	"slices"
	"strconv"
	"strings"
)

// Held is what a strand holds that accepting a suggestion could change.
type Held struct {
	Position int
	Label    string
	Typed    bool // a person has typed the label
	Off      bool
	Invert   bool
	Delay    int64
}

// Outcome is what accepting a suggestion does to one strand, or to how several are read.
type Outcome struct {
	Position int    // the strand's, or the first one's
	Field    string // label, off, invert, delay or readings
	Was, Now any
	Read     *Reading // of readings
	// Kept says why it stays as it is; empty where it changes.
	Kept string
}

// Accepted works out what accepting a suggestion does to a take's strands. What a person has typed outranks it: such a label
// stays, and strands that were called something else than the speakers of a layout are not read together.
func (s Suggestion) Accepted(strands []Held) []Outcome {
	var out []Outcome
	find := func(position int) (Held, bool) {
		i := slices.IndexFunc(strands, func(h Held) bool { return h.Position == position })
		if i < 0 {
			return Held{}, false
		}
		return strands[i], true
	}
	for _, e := range s.Edits {
		h, there := find(e.Position)
		if !there {
			continue
		}
		o := Outcome{Position: e.Position, Field: e.Field, Now: e.Value}
		switch e.Field {
		case "label":
			if o.Was = h.Label; h.Typed && h.Label != "" && h.Label != e.Value {
				o.Kept = "somebody has typed this label"
			}
		case "on":
			o.Field, o.Was, o.Now = "off", h.Off, e.Value == false
		case "invert":
			o.Was = h.Invert
		case "delay":
			if o.Was = h.Delay; h.Delay != 0 {
				o.Kept = "somebody has set a delay"
			}
		}
		if o.Kept == "" && fmt.Sprint(o.Was) == fmt.Sprint(o.Now) {
			continue
		}
		out = append(out, o)
	}
	if s.Read != nil {
		o := Outcome{Position: s.Read.Positions[0], Field: "readings", Was: "each by itself", Now: s.Read.Name(), Read: s.Read}
		for _, p := range s.Read.Positions {
			if h, _ := find(p); h.Typed && !speaks(h.Label, *s.Read) {
				o.Kept = fmt.Sprintf("somebody has called strand %d %s", p, h.Label)
			}
		}
		out = append(out, o)
	}
	return out
}

// speaks reports whether a label goes with a reading: it names nothing, or a channel of such a thing.
func speaks(label string, r Reading) bool {
	if NamesNothing(label) {
		return true
	}
	if r.Kind == Ambisonic {
		return ofField(label)
	}
	_, sp := LabelSpeaker(label)
	return sp != ""
}

// ofField reports whether a label ends with the name of a capsule or of a component of a sound field.
func ofField(label string) bool {
	stem, last := lastWord(label)
	last = strings.ToUpper(last)
	_, before := lastWord(stem)
	if _, err := strconv.Atoi(strings.TrimPrefix(last, "ACN")); err == nil {
		return strings.HasPrefix(last, "ACN") || strings.EqualFold(before, "ACN")
	}
	return slices.ContainsFunc(fieldSets, func(set fieldSet) bool {
		return slices.ContainsFunc(set.names, func(spelled []string) bool { return slices.Contains(spelled, last) })
	})
}
