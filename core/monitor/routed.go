package monitor

import (
	"fmt"
	"math"
	"slices"
	"strings"

	"zestyloom/core/ambisonic"
	"zestyloom/core/audio"
	"zestyloom/core/weave"
)

// FoldLayout folds a signal of a layout down to two sides: mono on both, stereo as it is, a bed after ITU-R BS.775 with the
// LFE left out, ambisonics as two cardioids to the sides, discrete channels all on both sides.
func FoldLayout(l audio.Layout) Fold {
	f := Fold{Matrix: make([][2]float64, l.Count)}
	for c := range f.Matrix {
		f.Matrix[c] = share(l, c)
	}
	switch {
	case l.Count == 1:
		f.Says = "mono, on both sides at 0 dB"
	case l.Kind == audio.Ambisonic:
		f.Says = cardioidsInWords
	case l.Kind == audio.Bed && l.Name == "stereo":
		f.Says = "left and right, at 0 dB"
	case l.Kind == audio.Bed:
		f.Says = downInWords(l)
	default:
		for c := range f.Matrix {
			f.Matrix[c] = [2]float64{1 / math.Sqrt(float64(l.Count)), 1 / math.Sqrt(float64(l.Count))}
		}
		f.Says = fmt.Sprintf("%d channels on both sides, each at %.1f dB", l.Count, -10*math.Log10(float64(l.Count)))
	}
	return f
}

// share is what a channel of a layout takes part with on either side.
func share(l audio.Layout, c int) [2]float64 {
	switch {
	case l.Count == 1:
		return [2]float64{1, 1}
	case l.Kind == audio.Ambisonic:
		return cardioidsOf(l, c)
	case l.Kind == audio.Bed:
		left, right := sides(l.Speakers[c])
		return [2]float64{left, right}
	}
	return [2]float64{}
}

// cardioidsOf is the share of a channel of a sound field of any norm in two cardioids to the sides.
func cardioidsOf(l audio.Layout, c int) (sides [2]float64) {
	acn, err := audio.AmbisonicLayout(l.Order, audio.SN3D)
	if err != nil {
		return sides
	}
	m, _, err := ambisonic.Convert(l, acn)
	if err != nil {
		return sides
	}
	for n, row := range m {
		for side, f := range cardioids(n) {
			sides[side] += f * row[c]
		}
	}
	return sides
}

// FoldOutputs folds the outputs of a weave down to two sides, added up at 0 dB as they are in a mix: each channel of a
// stem or part once. Outputs of mixes, which are sums of these, are left out unless there is nothing else, and then those that are
// made of other ones that are heard.
func FoldOutputs(w weave.Weave) Fold {
	f := Fold{Matrix: make([][2]float64, len(w.Outputs))}
	mixes := true
	for _, o := range w.Outputs {
		if b, ok := w.Bus(o.Bus); ok && b.Role != weave.Mix {
			mixes = false
		}
	}
	type channel struct {
		bus     string
		channel int
	}
	done := map[channel]bool{}
	var names, out []string
	seen := map[string]bool{}
	for i, o := range w.Outputs {
		b, ok := w.Bus(o.Bus)
		if !ok || done[channel{o.Bus, o.Channel}] {
			continue
		}
		done[channel{o.Bus, o.Channel}] = true
		leave := b.Role == weave.Mix && (!mixes || slices.ContainsFunc(w.Outputs, func(other weave.Output) bool {
			return other.Bus != "" && other.Bus != b.ID && w.Paths(other.Bus, b.ID) > 0
		}))
		if !leave {
			f.Matrix[i] = share(b.Channels(), o.Channel)
		}
		if !seen[b.ID] {
			seen[b.ID] = true
			if leave {
				out = append(out, b.Name)
			} else {
				names = append(names, b.Name)
			}
		}
	}
	if f.Says = strings.Join(names, ", ") + ", folded down to two sides and added up at 0 dB"; names == nil {
		f.Says = "nothing: every output carries silence"
	}
	if out != nil {
		f.Says += "; " + strings.Join(out, ", ") + " left out, being made of the others"
	}
	return f
}

// FoldSome folds some outputs of a weave alone, by their places from 0: one by itself is heard on both sides, several as
// FoldOutputs has them. Places that are not there are passed over.
func FoldSome(w weave.Weave, places []int) Fold {
	outputs := make([]weave.Output, len(w.Outputs))
	var some []int
	for _, i := range places {
		if i >= 0 && i < len(outputs) && !slices.Contains(some, i) {
			outputs[i] = w.Outputs[i]
			some = append(some, i)
		}
	}
	if len(some) == 1 {
		f := Fold{Matrix: make([][2]float64, len(outputs)), Says: w.Outputs[some[0]].Name + " on both sides at 0 dB"}
		f.Matrix[some[0]] = [2]float64{1, 1}
		return f
	}
	w.Outputs = outputs
	return FoldOutputs(w)
}
