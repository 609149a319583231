package take

import (
	"fmt"
	"math"
	"slices"
	"strings"

	"zestyloom/core/audio"
	"zestyloom/core/survey"
)

// Suggestion is something that a recording's sound or labels say about its strands, and what
// accepting it would change.
type Suggestion struct {
	Kind      string   `json:"kind"`      // mix, empty, same, polarity, pair, surround, ambisonic, mid_side, late
	Positions []int    `json:"positions"` // strands it is about, from 1
	Says      string   `json:"says"`      // "channels 1 and 2 are the mix"
	Reason    string   `json:"reason"`    // the figures it rests on
	Certainty string   `json:"certainty"` // certain, likely or possible
	Edits     []Change `json:"edits"`
	Read      *Reading `json:"read,omitempty"`
	// Asks says that this has to be decided before the take is laid: what the channels are is not certain.
	Asks bool `json:"asks,omitempty"`

	from string // which kind of witness a reading rests on
	sum  *Sum   // of a mix
}

// Change is one strand's field that accepting changes: label, on, invert or delay.
type Change struct {
	Position int    `json:"position"`
	Field    string `json:"field"`
	Value    any    `json:"value"`
}

// Certainties, in words.
const (
	Certain  = "certain"
	Likely   = "likely"
	Possible = "possible"
)

// Suggest works out what the findings about a recording's channels, their labels and names suggest. Channel n of the
// findings is strand n of the labels.
func Suggest(k Known) []Suggestion {
	labels, f, rate := k.Labels, k.Found, k.Rate
	out := []Suggestion{}
	out = append(out, mixSuggestions(labels, f, rate)...)
	out = append(out, besideSuggestion(k)...)
	out = append(out, emptySuggestion(f)...)
	out = append(out, sameSuggestions(f)...)
	byName := nameSuggestions(labels)
	named := map[int]bool{}
	for _, s := range byName {
		for _, p := range s.Positions {
			named[p] = true
		}
	}
	// The channels of a layout are meant to differ as they do: a sound behind is no fault.
	f.Relations = slices.DeleteFunc(slices.Clone(f.Relations), func(r survey.Relation) bool {
		return r.Kind == survey.SameSource && (named[r.A] || named[r.B])
	})
	out = append(out, polaritySuggestions(labels, f, rate)...)
	out = append(out, byName...)
	whole := channelSuggestions(k)
	out = append(out, whole...)
	for _, r := range f.Relations {
		if r.Kind == survey.Pair && !named[r.A] && !named[r.B] && !IsMix(labels[r.A-1]) && len(whole) == 0 {
			out = append(out, Suggestion{
				Kind: "pair", Positions: []int{r.A, r.B}, Certainty: Likely, Edits: []Change{}, Read: read(Stereo, nil, r.A, r.B), from: FromSound,
				// Labels that name something else say that they are not one, until somebody says otherwise.
				Asks:   k.OneFile && NamesNothing(labels[r.A-1]) && NamesNothing(labels[r.B-1]),
				Says:   fmt.Sprintf("channels %d and %d are a stereo pair", r.A, r.B),
				Reason: fmt.Sprintf("they hear the same within %.1f ms of each other, at levels %.1f dB apart, with a correlation of %.2f", math.Abs(float64(r.Delay))*1000/float64(rate), math.Abs(r.GainDB), r.Alike),
			})
		}
		if r.Kind == survey.SameSource && r.Delay != 0 && r.Certain {
			early, late, by := r.A, r.B, r.Delay
			if by < 0 {
				early, late, by = late, early, -by
			}
			out = append(out, Suggestion{
				Kind: "late", Positions: []int{early, late}, Certainty: Possible, Edits: []Change{{early, "delay", by}},
				Says:   fmt.Sprintf("channel %d hears what channel %d hears, %.1f ms later", late, early, float64(by)*1000/float64(rate)),
				Reason: fmt.Sprintf("%d samples by cross-correlation; delaying channel %d by as much would bring them together", by, early),
			})
		}
	}
	return out
}

func read(kind string, order []audio.Speaker, at ...int) *Reading {
	return &Reading{Kind: kind, Positions: at, Order: append([]audio.Speaker{}, order...)}
}

// list writes positions down: "1", "1 and 2", "1, 2 and 5".
func list(ps []int) string {
	s := make([]string, len(ps))
	for i, p := range ps {
		s[i] = fmt.Sprint(p)
	}
	if len(s) < 2 {
		return strings.Join(s, "")
	}
	return strings.Join(s[:len(s)-1], ", ") + " and " + s[len(s)-1]
}

func channels(ps []int, one, many string) string {
	if len(ps) == 1 {
		return "channel " + list(ps) + " " + one
	}
	return "channels " + list(ps) + " " + many
}

// MixLabel is the label that a mix found by its sound is proposed to have.
const MixLabel = "Mix"

func mixSuggestions(labels []string, f survey.Findings, rate int) (out []Suggestion) {
	sum := Sum{RestDB: math.Inf(-1), Certain: true}
	var parts []string
	for _, r := range f.Relations {
		if r.Kind != survey.Mix || IsMix(labels[r.A-1]) {
			continue
		}
		sum.Positions = append(sum.Positions, r.A)
		sum.RestDB, sum.Certain = max(sum.RestDB, r.RestDB), sum.Certain && sure(r)
		var of []int
		for _, p := range r.Of {
			of = append(of, p.Channel)
		}
		parts = append(parts, fmt.Sprintf("%d of %s%s", r.A, list(of), mixerWords(r, rate)))
	}
	if parts == nil {
		return nil
	}
	return []Suggestion{sumSuggestion(labels, sum, "", fmt.Sprintf("channel %s, by least squares; what is left unexplained is at most %.0f dB", strings.Join(parts, "; "), sum.RestDB))}
}

// certainMix is how many dB below a mix that must lie which its members leave unexplained for it to be certain.
const certainMix = -60

// mixerWords say what the mixer did beside adding up.
func mixerWords(r survey.Relation, rate int) string {
	var words []string
	if r.RideDB >= 1 {
		words = append(words, fmt.Sprintf("faders moving by up to %.0f dB", r.RideDB))
	}
	if r.Delay != 0 {
		words = append(words, fmt.Sprintf("%d samples (%.1f ms) later", r.Delay, 1000*float64(r.Delay)/float64(rate)))
	}
	var turned []int
	for _, p := range r.Of {
		if p.Inverted {
			turned = append(turned, p.Channel)
		}
	}
	if turned != nil {
		words = append(words, "the polarity of "+list(turned)+" inverted")
	}
	if r.Limited {
		words = append(words, "its peaks limited")
	}
	if words == nil {
		return ""
	}
	return " (" + strings.Join(words, ", ") + ")"
}

func emptySuggestion(f survey.Findings) []Suggestion {
	s := Suggestion{Kind: "empty", Certainty: Certain, Edits: []Change{}}
	top := 0.0
	for c, ch := range f.Channels {
		if ch.Silent() {
			s.Positions = append(s.Positions, c+1)
			s.Edits = append(s.Edits, Change{c + 1, "on", false})
			top = max(top, ch.Peak)
		}
	}
	if s.Positions == nil || len(s.Positions) == len(f.Channels) {
		return nil
	}
	s.Says = channels(s.Positions, "is empty", "are empty")
	s.Reason = "nothing but zeros"
	if top > 0 {
		s.Reason = fmt.Sprintf("nothing on them reaches %.0f dBFS; the highest sample is at %.1f dBFS", audio.SilenceDB, audio.Decibels(top))
	}
	return []Suggestion{s}
}

func sameSuggestions(f survey.Findings) (out []Suggestion) {
	for _, r := range f.Relations {
		s := Suggestion{Kind: "same", Positions: []int{r.A, r.B}, Certainty: Certain, Edits: []Change{{r.B, "on", false}}}
		switch r.Kind {
		case survey.Identical:
			s.Says, s.Reason = fmt.Sprintf("channels %d and %d hold the same", r.A, r.B), "every sample is equal"
		case survey.Inverted:
			s.Says, s.Reason = fmt.Sprintf("channel %d is channel %d with its polarity inverted", r.B, r.A), "every sample is equal with its sign turned"
		case survey.Scaled:
			s.Says = fmt.Sprintf("channel %d is channel %d at another level", r.B, r.A)
			s.Reason = fmt.Sprintf("%+.1f dB; what is left unexplained is at %.0f dB", r.GainDB, r.RestDB)
			s.Certainty = Likely
		default:
			continue
		}
		out = append(out, s)
	}
	return out
}

// polaritySuggestions names the channel that most others are inverted against.
func polaritySuggestions(labels []string, f survey.Findings, rate int) (out []Suggestion) {
	against := map[int][]survey.Relation{}
	for _, r := range f.Relations {
		if r.Kind == survey.SameSource && r.Inverted {
			against[r.A] = append(against[r.A], r)
			against[r.B] = append(against[r.B], r)
		}
	}
	for len(against) > 0 {
		worst := 0
		for c := range against {
			switch {
			case worst == 0, len(against[c]) > len(against[worst]):
				worst = c
			case len(against[c]) == len(against[worst]) && rank(labels[c-1], c) > rank(labels[worst-1], worst):
				worst = c
			}
		}
		if len(against[worst]) == 0 {
			return out
		}
		var others []int
		certain := false
		for _, r := range against[worst] {
			o := r.A + r.B - worst
			others = append(others, o)
			certain = certain || r.Certain
			against[o] = slices.DeleteFunc(slices.Clone(against[o]), func(x survey.Relation) bool { return x.A == r.A && x.B == r.B })
		}
		slices.Sort(others)
		r := against[worst][0]
		s := Suggestion{
			Kind: "polarity", Positions: append([]int{worst}, others...), Certainty: Possible, Edits: []Change{{worst, "invert", true}},
			Says:   fmt.Sprintf("channel %d is inverted against %s", worst, list(others)),
			Reason: fmt.Sprintf("the correlation with channel %d has a negative peak at %.1f ms", r.A+r.B-worst, math.Abs(float64(r.Delay))*1000/float64(rate)),
		}
		if certain || len(others) > 1 {
			s.Certainty = Likely
		}
		out = append(out, s)
		delete(against, worst)
	}
	return out
}

// rank prefers the one to be turned: a lav before others, then the later channel.
func rank(label string, channel int) int {
	if l := strings.ToLower(label); strings.HasPrefix(l, "lav") || strings.Contains(l, "radio") || strings.HasPrefix(l, "tx") {
		return 1000 + channel
	}
	return channel
}

// nameSuggestions reads layouts off labels: speakers, mid and side, ambisonic components.
func nameSuggestions(labels []string) (out []Suggestion) {
	for from := 0; from < len(labels); from++ {
		for _, n := range []int{16, 12, 9, 8, 6, 4, 3, 2} { // the widest that fits
			if from+n > len(labels) {
				continue
			}
			if s, ok := nameSuggestion(labels[from:from+n], from); ok {
				out = append(out, s)
				from += n - 1
				break
			}
		}
	}
	return out
}

func nameSuggestion(labels []string, from int) (Suggestion, bool) {
	at := make([]int, len(labels))
	for i := range at {
		at[i] = from + i + 1
	}
	s := Suggestion{Positions: at, Certainty: Certain, Edits: []Change{}, Reason: "their labels are " + strings.Join(labels, ", "), from: FromLabels}
	if _, ok := AmbisonicOrder(len(labels)); ok && ambisonicLabels(labels) {
		s.Kind, s.Read = "ambisonic", read(Ambisonic, nil, at...)
		s.Says = channels(at, "is", "are") + " an " + s.Read.Name() + " recording"
		return s, true
	}
	if norm, order, ok := fieldNorm(labels); ok {
		places := make([]int, len(order))
		for i, k := range order {
			places[i] = at[k]
		}
		s.Kind, s.Certainty, s.Asks, s.Read = "ambisonic", Likely, true, &Reading{Kind: Ambisonic, Positions: places, Order: []audio.Speaker{}, Norm: norm}
		s.Says = channels(at, "is", "are") + " an " + s.Read.Name()
		if norm == FuMa {
			s.Reason += "; if W is as loud as a pressure microphone would be, they are ACN and SN3D in another order"
		}
		return s, true
	}
	order := make([]audio.Speaker, len(labels))
	stem := ""
	for i, l := range labels {
		st, sp := LabelSpeaker(l)
		if sp == "" || i > 0 && !strings.EqualFold(st, stem) || IsMix(l) {
			return s, false
		}
		stem, order[i] = st, sp
	}
	l, ok := audio.LayoutOf(order)
	switch {
	case !ok:
		return s, false
	case l.Name == "mid-side":
		if order[0] != "M" {
			return s, false
		}
		s.Kind, s.Read = "mid_side", read(MidSide, nil, at...)
	case len(order) == 2:
		if !audio.CanonicalOrder(order) {
			return s, false
		}
		s.Kind, s.Read = "pair", read(Stereo, nil, at...)
	default:
		s.Kind, s.Read = "surround", read(Surround, order, at...)
	}
	s.Says = channels(at, "is", "are") + " a " + s.Read.Name()
	return s, true
}

// ambisonicLabels tells the components of an ambisonic recording in ACN order: W Y Z X, or ACN 0 on.
func ambisonicLabels(labels []string) bool {
	letters, numbers := true, true
	for i, l := range labels {
		f := strings.FieldsFunc(strings.ToUpper(l), func(r rune) bool { return strings.ContainsRune(" ._-", r) })
		last := ""
		if len(f) > 0 {
			last = f[len(f)-1]
		}
		letters = letters && len(labels) == 4 && last == string("WYZX"[i%4])
		numbers = numbers && (last == fmt.Sprintf("ACN%d", i) || len(f) > 1 && f[len(f)-2] == "ACN" && last == fmt.Sprint(i))
	}
	return letters || numbers
}
