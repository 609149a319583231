package weave

import (
	"fmt"
	"math"
	"strings"

	"zestyloom/core/audio"
)

// total is the fold-down of a bed into a stereo total (Lt, Rt), from which a decoder of four channels gets centre and surrounds
// back:
//
//	Lt = L + 0.7071 C + j (0.8165 Ls + 0.5774 Rs)
//	Rt = R + 0.7071 C - j (0.5774 Ls + 0.8165 Rs)
//
// where j is 90° ahead. The centre is in both alike, and so are surrounds but with the other sign, so that the difference has no
// centre and the sum no surround that is in the middle. The squares of each channel's two factors add up to 1. Wider beds are
// folded down to these five speakers first. A bed that has no surrounds is turned with the others, so that it adds up with
// sounds that have.
func total(from, to audio.Layout, lfe *float64) (Fold, error) {
	var f Fold
	five, err := audio.ParseLayout("5.0")
	if err != nil {
		return f, err
	}
	first := Fold{Matrix: audio.NewMatrix(five.Count, from.Count)}
	fits := true
	for c, s := range from.Speakers {
		if i := five.Index(s); i >= 0 {
			first.Matrix[i][c] = 1
		} else {
			fits = false
		}
	}
	if !fits {
		if first, err = foldDown(from, five, lfe); err != nil {
			return f, err
		}
	}
	near, far := math.Sqrt(2.0/3), math.Sqrt(1.0/3)
	into := map[audio.Speaker][2]float64{"L": {1, 0}, "R": {0, 1}, "C": {down, down}, "Ls": {near, -far}, "Rs": {far, -near}}
	f.Matrix, f.Ahead = audio.NewMatrix(2, from.Count), make([]bool, from.Count)
	for i, s := range five.Speakers {
		surround := s == "Ls" || s == "Rs"
		for c, factor := range first.Matrix[i] {
			for side := range 2 {
				f.Matrix[side][c] += factor * into[s][side]
			}
			f.Ahead[c] = f.Ahead[c] || surround && factor != 0
		}
	}
	f.Says = "matrixed"
	var turned []string
	for c, ahead := range f.Ahead {
		if ahead {
			turned = append(turned, string(from.Speakers[c]))
		}
	}
	if len(turned) > 0 {
		f.Says += fmt.Sprintf(", %s 90° ahead, at %.1f and %.1f dB", strings.Join(turned, " "), audio.Decibels(near), audio.Decibels(far))
	}
	if i := from.Index("LFE"); i >= 0 && lfe == nil {
		f.Says += ", LFE left out"
	}
	return f, nil
}
