package align

import (
	"cmp"
	"fmt"
	"math"
	"slices"

	"zestyloom/core/timecode"
)

// Bounds of what is proposed.
const (
	leastCommon = 1.0 // seconds that timecodes must have in common
	maxPairs    = 24  // for one take
)

// Candidate is a take that may be lined up with others, or others with it.
type Candidate struct {
	Take
	ID          string // tells two alike apart: the one that sorts first stays where it is
	Scene, Slot string // of the slate: scene and take
	Channels    int
	Finished    bool // music, effects or narration made elsewhere: no camera heard it
}

// Pair is a proposal: a take to be lined up with a reference, by their places in the list.
type Pair struct {
	Ref, Take int
	Why       string
}

// Propose finds what is to be lined up: cameras and other recorders with the takes of a recorder, where their timecodes
// overlap; a camera whose timecode meets none, its clock being off, with the takes of its day. Of a take's pairs those
// come first whose lengths are the likest; at most 24 are proposed.
func Propose(takes []Candidate, clocks Clocks, day timecode.Rate) (out []Pair) {
	for i := range takes {
		out = append(out, partners(takes, i, clocks, day)...)
	}
	return out
}

func partners(takes []Candidate, own int, clocks Clocks, day timecode.Rate) (out []Pair) {
	t := takes[own]
	var ofTheDay []Pair
	for i, ref := range takes {
		switch {
		case i == own || ref.Camera || ref.Finished:
			continue
		case !t.Camera && (ref.Roll == t.Roll || ref.Scene != t.Scene || ref.Slot != t.Slot || t.Scene == ""):
			continue // of one recorder, or of other takes: what they have in common is the time of day
		case !t.Camera && (ref.Channels < t.Channels || ref.Channels == t.Channels && ref.ID > t.ID):
			continue // the recorder with more channels stays where it is
		}
		if s := clocks.Common(ref.Take, t.Take, day); s >= leastCommon {
			out = append(out, Pair{i, own, fmt.Sprintf("their timecodes have %.1f s in common", s)})
		} else if t.Camera && ref.Scene != "" && (ref.Day == t.Day || t.Day == "" || ref.Day == "") {
			ofTheDay = append(ofTheDay, Pair{i, own, "its timecode meets no take: its clock may be off"})
		}
	}
	if out == nil {
		out = ofTheDay
	}
	// What is about as long is the likeliest.
	slices.SortStableFunc(out, func(x, y Pair) int {
		return cmp.Compare(math.Abs(takes[x.Ref].Seconds()-t.Seconds()), math.Abs(takes[y.Ref].Seconds()-t.Seconds()))
	})
	return out[:min(len(out), maxPairs)]
}
