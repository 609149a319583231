package reel

import (
	"math"
	"slices"
)

// FadeShape is the form of a fade.
type FadeShape string

// The shapes of fades.
const (
	EqualGain  FadeShape = ""              // linear: two of them that cross sum to 1
	EqualPower FadeShape = "equal_power"   // sine and cosine: their squares sum to 1
	RaisedCos  FadeShape = "raised_cosine" // in the form of an S; two that cross sum to 1
)

// FadeShapes lists them in the order they are offered.
var FadeShapes = []FadeShape{EqualGain, EqualPower, RaisedCos}

// Fade is how a clip begins or ends.
type Fade struct {
	Length int64     `json:"length,omitempty"` // samples
	Shape  FadeShape `json:"shape,omitempty"`
}

// At is the factor of sample i of a fade in, from 0: taken at the samples' centres, the first of n at 1/(n+1) of the
// way and the last at n/(n+1). Outside it is 0 before and 1 after. A fade out is read backwards.
func (f Fade) At(i int64) float64 {
	switch {
	case i < 0:
		return 0
	case i >= f.Length:
		return 1
	}
	t := float64(i+1) / float64(f.Length+1)
	switch f.Shape {
	case EqualPower:
		return math.Sin(t * math.Pi / 2)
	case RaisedCos:
		return (1 - math.Cos(t*math.Pi)) / 2
	}
	return t
}

func (f Fade) known() bool { return f.Length >= 0 && slices.Contains(FadeShapes, f.Shape) }
