package take

import (
	"fmt"
	"math"
	"slices"
	"strings"

	"zestyloom/core/survey"
)

// Sum says that strands of a take hold but a mix: of others of it, or of takes that were recorded beside it.
type Sum struct {
	Positions []int    `json:"positions"`    // of the strands, from 1
	Of        []string `json:"of,omitempty"` // the takes, by the caller's names for them; none for others of its own
	RestDB    float64  `json:"rest_db"`      // what is left unexplained of the channel that is explained least
	Certain   bool     `json:"certain"`

	said bool // by somebody: labels count no more
}

// Span is when a take was recorded, as far as two belong beside each other.
type Span struct {
	Name       string
	SampleRate int
	Start      int64 // samples since midnight, -1 where it is not known
	Frames     int64
	Channels   int
}

// mostBeside is how many channels are compared between takes.
const mostBeside = 64

// Beside reports whether two takes began and ended together, as those of one machine do, or those of one length that say
// nothing of their start, where the name of one speaks of a mix or both begin with the same word.
func (s Span) Beside(o Span) bool {
	near := func(a, b int64) bool { return a-b <= LengthTolerance && b-a <= LengthTolerance }
	if s.SampleRate != o.SampleRate || !near(s.Frames, o.Frames) || (s.Start < 0) != (o.Start < 0) {
		return false
	}
	if s.Start >= 0 {
		return near(s.Start, o.Start)
	}
	a, b := nameWords(s.Name), nameWords(o.Name)
	return len(a) > 0 && len(b) > 0 && (a[0] == b[0] || wordOfMix(a) || wordOfMix(b))
}

func wordOfMix(words []string) bool {
	for _, w := range words {
		if IsMix(w) || w == "mixdown" {
			return true
		}
	}
	return false
}

// AllBeside are the places of the takes that were recorded beside one, itself included; none where there is nothing to
// compare: no other take, or more channels than are compared. Those that are likely mixes come first: whose names speak of
// one, and else the narrowest, where it is alone; likely is how many channels these have together.
func AllBeside(spans []Span, of int) (set []int, likely int) {
	channels, named := 0, false
	for i, s := range spans {
		if i == of || spans[of].Beside(s) {
			set = append(set, i)
			channels += s.Channels
			named = named || wordOfMix(nameWords(s.Name))
		}
	}
	if len(set) < 2 || channels < 3 || channels > mostBeside {
		return nil, 0
	}
	first := func(i int) bool { return wordOfMix(nameWords(spans[i].Name)) }
	if !named {
		narrow := slices.MinFunc(set, func(a, b int) int { return spans[a].Channels - spans[b].Channels })
		alone := !slices.ContainsFunc(set, func(i int) bool { return i != narrow && spans[i].Channels == spans[narrow].Channels })
		first = func(i int) bool { return alone && i == narrow }
	}
	slices.SortStableFunc(set, func(a, b int) int {
		switch x, y := first(a), first(b); {
		case x == y:
			return 0
		case x:
			return -1
		}
		return 1
	})
	for _, i := range set {
		if first(i) {
			likely += spans[i].Channels
		}
	}
	return set, likely
}

// Sums finds the takes that are but a mix of others, of takes that were surveyed side by side as if they were one recording:
// names and channels of each, and the relations between all channels. The answer has one row a take, nil where it is none.
func Sums(names []string, channels []int, rs []survey.Relation) []*Sum {
	var home []int // of each channel
	for t, n := range channels {
		for range n {
			home = append(home, t)
		}
	}
	mixes := make([]map[int]survey.Relation, len(names)) // by channel
	for _, r := range rs {
		if r.Kind != survey.Mix {
			continue
		}
		t, others := home[r.A-1], true
		for _, p := range r.Of {
			others = others && home[p.Channel-1] != t
		}
		if others {
			if mixes[t] == nil {
				mixes[t] = map[int]survey.Relation{}
			}
			mixes[t][r.A] = r
		}
	}
	for _, r := range rs { // both sides of a mix are often the same
		switch r.Kind {
		case survey.Identical, survey.Inverted, survey.Scaled:
			t := home[r.A-1]
			if m, ok := mixes[t][r.A]; ok && t == home[r.B-1] {
				mixes[t][r.B] = m
			}
		}
	}
	out := make([]*Sum, len(names))
	for t, of := range mixes {
		if len(of) == 0 || len(of) != channels[t] {
			continue
		}
		s := &Sum{Positions: upTo(channels[t]), RestDB: math.Inf(-1), Certain: true}
		there := make([]bool, len(names))
		for _, r := range of {
			s.RestDB = max(s.RestDB, r.RestDB)
			s.Certain = s.Certain && sure(r)
			for _, p := range r.Of {
				there[home[p.Channel-1]] = true
			}
		}
		for o, in := range there {
			if in {
				s.Of = append(s.Of, names[o])
			}
		}
		out[t] = s
	}
	return out
}

// sure reports whether a channel is a mix beyond doubt.
func sure(r survey.Relation) bool { return r.RestDB < certainMix && !r.Limited }

// NamesNoSound reports whether a label says nothing of what its strand holds beside a side or that it is a mix.
func NamesNoSound(label string) bool {
	base, _ := LabelSpeaker(label)
	return NamesNothing(base) || IsMix(label)
}

// MixOfAll says that all strands of a take are a mix, since somebody has said so.
func MixOfAll(channels int) Sum { return Sum{Positions: upTo(channels), Certain: true, said: true} }

// Applies reports whether the strands are left off as a mix without a question: beyond doubt, and no label says that they are
// something else; or since their labels say that they are one. labels are those of all strands of the take.
func (s Sum) Applies(labels []string) bool {
	called, unnamed := true, true
	for _, p := range s.Positions {
		if p > len(labels) {
			return false // of a take that has lost strands since
		}
		called, unnamed = called && IsMix(labels[p-1]), unnamed && NamesNoSound(labels[p-1])
	}
	return called || s.said || s.Certain && unnamed
}

// sumSuggestion is that strands are a mix.
func sumSuggestion(labels []string, s Sum, of, reason string) Suggestion {
	out := Suggestion{Kind: "mix", Positions: s.Positions, Certainty: Likely, Says: channels(s.Positions, "is", "are") + " the mix" + of, Reason: reason,
		Edits: mixLabels(s.Positions, labels), sum: &s}
	if s.Certain {
		out.Certainty = Certain
	}
	if s.Applies(labels) {
		out.Says += ", and laid on a track that is off"
	} else {
		out.Asks = !slices.ContainsFunc(s.Positions, func(p int) bool { return !NamesNoSound(labels[p-1]) })
	}
	return out
}

// besideSuggestion is that a take is the mix of others.
func besideSuggestion(k Known) []Suggestion {
	if k.Sum == nil {
		return nil
	}
	s := sumSuggestion(k.Labels, *k.Sum, " of "+strings.Join(k.Sum.Of, ", "),
		fmt.Sprintf("by least squares over what was recorded beside it; what is left unexplained is at most %.0f dB", k.Sum.RestDB))
	s.Asks = !k.Sum.Applies(k.Labels)
	return []Suggestion{s}
}

// Mixes is what a suggestion says of strands that are but a mix; nil where it says something else.
func (s Suggestion) Mixes() *Sum { return s.sum }

// mixLabels are the changes that give strands the labels of a mix; those that say it already keep theirs.
func mixLabels(at []int, labels []string) []Change {
	out := []Change{}
	for i, p := range at {
		label := MixLabel
		if len(at) == 2 {
			label = []string{"MixL", "MixR"}[i]
		} else if len(at) > 2 {
			label = fmt.Sprintf("Mix %d", i+1)
		}
		if !IsMix(labels[p-1]) {
			out = append(out, Change{p, "label", label})
		}
	}
	return out
}

// Pieces are the stretches of a recording by which takes beside each other are compared: all of it up to two minutes, else
// twelve of ten seconds, spread evenly.
func Pieces(frames int64, rate int) [][2]int64 {
	const count = 12
	long := int64(10 * rate)
	if frames <= count*long {
		return [][2]int64{{0, frames}}
	}
	var out [][2]int64
	for i := range int64(count) {
		out = append(out, [2]int64{i * (frames - long) / (count - 1), long})
	}
	return out
}
