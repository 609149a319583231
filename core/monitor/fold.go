package monitor

import (
	"fmt"
	"math"
	"slices"
	"strings"

	"zestyloom/core/audio"
	"zestyloom/core/take"
)

// Channel is a strand that may be heard, as far as folding down needs to know it.
type Channel struct {
	Position int // in its take
	Label    string
	Mix      bool // a mix of the others, which would be heard twice
	Off      bool
	Silent   bool // nothing is on it
}

// Fold is how channels are heard on two sides: a pair of factors a channel, and the same in words.
type Fold struct {
	Matrix [][2]float64
	Says   string
}

// down is what a surround takes part with at its side (ITU-R BS.775-4, annex 4).
const down = math.Sqrt2 / 2

// FoldDown folds channels down to two sides by how they are read: a stereo pair to its sides, mid-side
// decoded, surround after ITU-R BS.775 with the LFE left out, an ambisonic recording as two cardioids
// to the sides, and any other strand on both sides. What is more than one such thing is lowered so that
// unrelated sounds keep the level they have one by one. Mixes of the others and strands that are off are
// left out, unless there is nothing else.
func FoldDown(channels []Channel, readings []take.Reading) Fold {
	f := Fold{Matrix: make([][2]float64, len(channels))}
	if len(channels) == 1 {
		f.Matrix[0] = [2]float64{1, 1}
		f.Says = "mono, on both sides at 0 dB"
		return f
	}
	left := leftOut(channels)
	at := map[int]int{} // by position
	for i, c := range channels {
		if !left[i] {
			at[c.Position] = i
		}
	}
	var parts []string
	units, monos := 0, 0
	done := map[int]bool{}
	for _, r := range readings {
		if slices.ContainsFunc(r.Positions, func(p int) bool { _, ok := at[p]; return !ok }) {
			continue // not all of it is heard
		}
		says := f.lay(r, at)
		if says == "" {
			continue
		}
		for _, p := range r.Positions {
			done[p] = true
		}
		parts = append(parts, says)
		units++
	}
	for i, c := range channels {
		if !left[i] && !done[c.Position] && !c.Silent {
			f.Matrix[i] = [2]float64{1, 1}
			units, monos = units+1, monos+1
		}
	}
	if monos > 0 {
		parts = append(parts, fmt.Sprintf("%d mono on both sides", monos))
	}
	gain := 1 / math.Sqrt(float64(max(1, units)))
	for i := range f.Matrix {
		f.Matrix[i][0] *= gain
		f.Matrix[i][1] *= gain
	}
	f.Says = strings.Join(parts, ", ")
	if units > 1 {
		f.Says += fmt.Sprintf(", each at %.1f dB", audio.Decibels(gain))
	}
	var out []string
	for i, c := range channels {
		if left[i] && !c.Off {
			out = append(out, c.Label)
		}
	}
	if len(out) > 0 {
		f.Says += "; " + strings.Join(out, ", ") + " left out, being of the others"
	}
	return f
}

func leftOut(channels []Channel) []bool {
	out := make([]bool, len(channels))
	for _, mixes := range []bool{true, false} { // the second time mixes count
		all := true
		for i, c := range channels {
			out[i] = c.Off || mixes && c.Mix
			all = all && out[i]
		}
		if !all {
			return out
		}
	}
	return make([]bool, len(channels))
}

// lay puts what is read together where it belongs and says so.
func (f *Fold) lay(r take.Reading, at map[int]int) string {
	put := func(n int, l, r float64, p []int) { f.Matrix[at[p[n]]] = [2]float64{l, r} }
	p := r.Positions
	switch r.Kind {
	case take.Stereo:
		put(0, 1, 0, p)
		put(1, 0, 1, p)
		return "a stereo pair"
	case take.MidSide:
		put(0, 1, 1, p)
		put(1, 1, -1, p)
		return "mid-side decoded"
	case take.Ambisonic:
		for n := range p {
			f.Matrix[at[p[n]]] = fieldSides(r.Norm, n)
		}
		return cardioidsInWords
	case take.Surround:
		for n, s := range r.Order {
			l, rr := sides(s)
			put(n, l, rr, p)
		}
		layout, _ := audio.LayoutOf(r.Order)
		return downInWords(layout)
	}
	return ""
}

const cardioidsInWords = "ambisonic as two cardioids to the sides"

// fieldSides is the share of the nth strand of a reading as a sound field in two cardioids to the sides.
func fieldSides(norm string, n int) [2]float64 {
	switch norm {
	case take.FuMa: // W at -3 dB, X, Y
		return map[int][2]float64{0: {math.Sqrt2 / 2, math.Sqrt2 / 2}, 2: {0.5, -0.5}}[n]
	case take.AFormat:
		m := take.FromAFormat()
		w, y := m[0][n], m[1][n]
		return [2]float64{0.5 * (w + y), 0.5 * (w - y)}
	}
	return cardioids(n)
}

// cardioids is the share of the nth channel (ACN, SN3D) of a sound field in two cardioids, to the left and to the right.
func cardioids(n int) [2]float64 {
	switch n {
	case 0:
		return [2]float64{0.5, 0.5}
	case 1: // Y: to the left
		return [2]float64{0.5, -0.5}
	}
	return [2]float64{}
}

// downInWords says how a bed is folded down.
func downInWords(l audio.Layout) string {
	says := l.Name + " folded down (BS.775: C and surrounds at -3.0 dB"
	if l.Index("LFE") >= 0 {
		says += ", LFE left out"
	}
	return says + ")"
}

// sides is a speaker's share of the left and the right.
func sides(s audio.Speaker) (l, r float64) {
	switch s {
	case "C":
		return down, down
	case "LFE":
		return 0, 0
	case "L", "Lt", "Lo":
		return 1, 0
	case "R", "Rt", "Ro":
		return 0, 1
	}
	if strings.HasPrefix(string(s), "L") {
		return down, 0
	}
	return 0, down
}
