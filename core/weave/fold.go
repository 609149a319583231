package weave

import (
	"fmt"
	"math"
	"slices"
	"strings"

	"zestyloom/core/audio"
	"zestyloom/core/snag"
)

// Fold is how a layout becomes a narrower one, and the same in words.
type Fold struct {
	Matrix audio.Matrix // a row for each channel of the narrower, a column for each of the wider
	// Ahead are the channels of the wider that go in 90° ahead of the others, by treat.NewQuadrature; nil where all go in as they
	// are, and else those that are not go through its other half.
	Ahead []bool
	Says  string
}

const down = math.Sqrt2 / 2

// foldSteps say into which speakers one goes that the narrower layout has not, and by which factor: the first step whose
// speakers are there. C and surrounds into L and R are ITU-R BS.775-4, annex 4. Side and rear surrounds into one pair keep
// their power, as do upper speakers at -3 dB below; all of that can be written otherwise as a matrix.
var foldSteps = map[audio.Speaker][]struct {
	into   []audio.Speaker
	factor float64
}{
	"C":   {{[]audio.Speaker{"L", "R"}, down}},
	"L":   {{[]audio.Speaker{"C"}, down}},
	"R":   {{[]audio.Speaker{"C"}, down}},
	"Ls":  {{[]audio.Speaker{"Lss"}, 1}, {[]audio.Speaker{"L"}, down}, {[]audio.Speaker{"C"}, 0.5}},
	"Rs":  {{[]audio.Speaker{"Rss"}, 1}, {[]audio.Speaker{"R"}, down}, {[]audio.Speaker{"C"}, 0.5}},
	"Lss": {{[]audio.Speaker{"Ls"}, 1}, {[]audio.Speaker{"L"}, down}, {[]audio.Speaker{"C"}, 0.5}},
	"Rss": {{[]audio.Speaker{"Rs"}, 1}, {[]audio.Speaker{"R"}, down}, {[]audio.Speaker{"C"}, 0.5}},
	"Lsr": {{[]audio.Speaker{"Ls"}, 1}, {[]audio.Speaker{"Lss"}, down}, {[]audio.Speaker{"L"}, down}, {[]audio.Speaker{"C"}, 0.5}},
	"Rsr": {{[]audio.Speaker{"Rs"}, 1}, {[]audio.Speaker{"Rss"}, down}, {[]audio.Speaker{"R"}, down}, {[]audio.Speaker{"C"}, 0.5}},
	"Ltf": {{[]audio.Speaker{"L"}, down}, {[]audio.Speaker{"C"}, 0.5}},
	"Rtf": {{[]audio.Speaker{"R"}, down}, {[]audio.Speaker{"C"}, 0.5}},
	"Ltr": {{[]audio.Speaker{"Lsr"}, down}, {[]audio.Speaker{"Ls"}, down}, {[]audio.Speaker{"L"}, 0.5}, {[]audio.Speaker{"C"}, 0.5}},
	"Rtr": {{[]audio.Speaker{"Rsr"}, down}, {[]audio.Speaker{"Rs"}, down}, {[]audio.Speaker{"R"}, 0.5}, {[]audio.Speaker{"C"}, 0.5}},
}

// alias are speakers that stand for the same one in a pair of two sides.
var alias = map[audio.Speaker]audio.Speaker{"Lo": "L", "Ro": "R"}

// FoldDown is the fold-down from one bed to a narrower one; into a stereo total it is matrixed, see total. The LFE is left out
// where lfe is nil, and else goes to L and R (or C) at so many dB where the narrower layout has none. What has no place by a rule
// is refused.
func FoldDown(from, to audio.Layout, lfe *float64) (Fold, error) {
	if from.Kind != audio.Bed || to.Kind != audio.Bed || to.Index("M") >= 0 || from.Index("Lt") >= 0 || from.Index("M") >= 0 {
		return Fold{}, misfit(from, to, "a fold-down goes from speakers to speakers")
	}
	if lfe != nil && !(*lfe >= MinGain && *lfe <= MaxGain) {
		return Fold{}, snag.Refuse("bad_gain", "an LFE at %g dB is outside %d to %d dB", *lfe, MinGain, MaxGain)
	}
	if to.Index("Lt") >= 0 {
		return total(from, to, lfe)
	}
	if to.Count >= from.Count {
		return Fold{}, misfit(from, to, "it is not narrower")
	}
	return foldDown(from, to, lfe)
}

func foldDown(from, to audio.Layout, lfe *float64) (Fold, error) {
	var f Fold
	f.Matrix = audio.NewMatrix(to.Count, from.Count)
	index := func(s audio.Speaker) int {
		return slices.IndexFunc(to.Speakers, func(o audio.Speaker) bool { return o == s || alias[o] == s })
	}
	words := map[string][]string{}
	for c, s := range from.Speakers {
		if i := index(s); i >= 0 {
			f.Matrix[i][c] = 1
			continue
		}
		var into []audio.Speaker
		factor := 0.0
		if s == "LFE" {
			if lfe == nil {
				words["left out"] = append(words["left out"], "LFE")
				continue
			}
			if into, factor = []audio.Speaker{"L", "R"}, Factor(*lfe); index("L") < 0 {
				into = []audio.Speaker{"C"}
			}
		} else {
			for _, step := range foldSteps[s] {
				if !slices.ContainsFunc(step.into, func(o audio.Speaker) bool { return index(o) < 0 }) {
					into, factor = step.into, step.factor
					break
				}
			}
		}
		if len(into) == 0 {
			return f, misfit(from, to, "no rule says where "+string(s)+" goes: write it as a matrix")
		}
		var names []string
		for _, o := range into {
			i := index(o)
			if i < 0 {
				return f, misfit(from, to, "it has no speaker "+string(o))
			}
			f.Matrix[i][c] = factor
			names = append(names, string(to.Speakers[i]))
		}
		at := fmt.Sprintf("to %s at %.1f dB", strings.Join(names, " and "), audio.Decibels(factor))
		words[at] = append(words[at], string(s))
	}
	var says []string
	for at, who := range words {
		says = append(says, strings.Join(who, " ")+" "+at)
	}
	slices.Sort(says)
	if f.Says = strings.Join(says, ", "); f.Says == "" {
		f.Says = "every channel to its own speaker"
	}
	return f, nil
}
