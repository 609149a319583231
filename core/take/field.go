package take

import (
	"fmt"
	"math"
	"slices"
	"strings"

	"zestyloom/core/audio"
	"zestyloom/core/source"
)

// fieldSet has the names of the channels of a sound field of the first order, in the order of its norm.
type fieldSet struct {
	norm  string
	names [][]string // spellings of each, in capitals
}

// fieldSets are those that are known, by the norm that they speak for.
var fieldSets = []fieldSet{
	{FuMa, [][]string{{"W"}, {"X"}, {"Y"}, {"Z"}}},
	{AFormat, [][]string{{"FLU", "LFU"}, {"FRD", "RFD"}, {"BLD", "LBD"}, {"BRU", "RBU"}}},
}

// fieldSays are the names of a norm's channels, and fieldAsks what is to be looked at before four files are one recording.
var (
	fieldSays = map[string]string{FuMa: "W, X, Y and Z, the components of a sound field", AFormat: "the places of the four capsules of a sound field recording"}
	fieldAsks = map[string]string{
		FuMa:    "they are proposed as one sound field of the first order, W X Y Z with W at −3 dB (FuMa): if W is as loud as a pressure microphone would be, read them as ACN in the order W Y Z X",
		AFormat: "they are proposed as one recording of four capsules (A-format), which is brought into a sound field when it is laid: make sure that they are the capsules themselves",
	}
)

// fieldNorm finds out whether names end with those of a sound field, each with another, all after the same beginning; at is which of
// the names stands at which place of it.
func fieldNorm(names []string) (norm string, at []int, ok bool) {
	for _, set := range fieldSets {
		if len(names) != len(set.names) {
			continue
		}
		at := make([]int, len(set.names))
		for i := range at {
			at[i] = -1
		}
		stem := ""
		for i, name := range names {
			st, last := lastWord(name)
			k := slices.IndexFunc(set.names, func(spelled []string) bool { return slices.Contains(spelled, strings.ToUpper(last)) })
			if k < 0 || at[k] >= 0 || i > 0 && !strings.EqualFold(st, stem) {
				break
			}
			stem, at[k] = st, i
		}
		if !slices.Contains(at, -1) {
			return set.norm, at, true
		}
	}
	return "", nil, false
}

// lastWord parts a name before its last word.
func lastWord(name string) (stem, last string) {
	name = strings.TrimSpace(name)
	i := strings.LastIndexAny(name, " ._-")
	return strings.TrimRight(name[:max(0, i)], " ._-"), name[i+1:]
}

// WithoutComponent is a label without the component of a sound field, or the capsule, that it ends with: "Deck" of "Deck W". A label that
// is nothing else stays as it is.
func WithoutComponent(label string) string {
	stem, last := lastWord(label)
	for _, set := range fieldSets {
		for _, spelled := range set.names {
			if stem != "" && slices.Contains(spelled, strings.ToUpper(last)) {
				return stem
			}
		}
	}
	return label
}

// fields finds the mono files that are a sound field together by their names, as AMB_W, AMB_X, AMB_Y and AMB_Z are, and gives each the
// key of its set. One letter at the end of a name means much else: all four have to be there, of one folder, rate and start, and
// nothing else may say what they belong to.
func fields(files []File) map[string]string {
	sets := map[string][]File{}
	for _, f := range files {
		if f.Channels != 1 || f.Pin != "" || len(Keys(f)) > 0 {
			continue
		}
		if stem, _ := lastWord(source.BaseName(f.Name)); stem != "" {
			key := fmt.Sprintf("field %q in %q at %d from %d ", strings.ToLower(stem), f.Folder, f.SampleRate, f.Facts.Start)
			sets[key] = append(sets[key], f)
		}
	}
	out := map[string]string{}
	for key, set := range sets {
		// Others may begin alike.
		for _, norm := range fieldSets {
			var of []File
			for _, f := range set {
				_, last := lastWord(source.BaseName(f.Name))
				if slices.ContainsFunc(norm.names, func(spelled []string) bool { return slices.Contains(spelled, strings.ToUpper(last)) }) {
					of = append(of, f)
				}
			}
			if _, _, ok := fieldNorm(baseNames(of)); ok {
				for _, f := range of {
					out[f.Key] = key + norm.norm
				}
			}
		}
	}
	return out
}

func baseNames(set []File) (out []string) {
	for _, f := range set {
		out = append(out, source.BaseName(f.Name))
	}
	return out
}

// FromAFormat is the matrix from the four capsules of an A-format recording, in the order of the reading, to a sound field of the
// first order in ACN order and SN3D. A cardioid towards d hears (1 + d·u)/2 of a wave from u. With the four directions (±1, ±1, ±1)/√3
// the sum of all is 2, and the sum with the signs of an axis 2/√3 of that of u: so W is half the sum of all, and each axis √3/2 of its
// sum. That the capsules are not in one point is not corrected: above some kHz directions blur.
func FromAFormat() audio.Matrix {
	h, q := 0.5, math.Sqrt(3)/2
	return audio.Matrix{
		{h, h, h, h},
		{q, -q, q, -q}, // Y: left
		{q, -q, -q, q}, // Z: up
		{q, q, -q, -q}, // X: front
	}
}
