// Package reel has the timeline of a production: tracks of clips against samples since midnight,
// and the operations that change it. Operations are pure: they take a reel and give a new one and
// the operations that undo them.
package reel

import (
	"maps"
	"slices"

	"zestyloom/core/weave"
)

// Clip is a stretch of a strand on a track.
type Clip struct {
	ID     string `json:"id"`
	Strand string `json:"strand"` // the caller's name for the sound
	Name   string `json:"name"`   // such as "21A-3"
	At     int64  `json:"at"`     // samples since midnight of the reel's day
	In     int64  `json:"in"`     // first sample of the strand
	Length int64  `json:"length"` // samples
	// Unplaced says that nobody knows where it belongs: its take has no start, and it was laid at the end of
	// what was there.
	Unplaced bool `json:"unplaced,omitempty"`
}

// End is the first sample after the clip.
func (c Clip) End() int64 { return c.At + c.Length }

// Track is a lane of clips that sound together with one route.
type Track struct {
	ID    string `json:"id"`
	Label string `json:"label"`
	Off   bool   `json:"off"`
	Clips []Clip `json:"clips"`
}

// Reel is a timeline and its routing.
type Reel struct {
	// Start is where the reel begins, in samples since midnight; nil for the first clip's start.
	Start  *int64      `json:"start"`
	Tracks []Track     `json:"tracks"`
	Weave  weave.Weave `json:"weave"`
}

// New is an empty reel with the default weave.
func New() Reel { return Reel{Tracks: []Track{}, Weave: weave.Default()} }

// Span is where the reel begins and ends. Without clips both are its start.
func (r Reel) Span() (start, end int64) {
	first := true
	for _, t := range r.Tracks {
		for _, c := range t.Clips {
			if first || c.At < start {
				start = c.At
			}
			if first || c.End() > end {
				end = c.End()
			}
			first = false
		}
	}
	if r.Start != nil {
		start = *r.Start
	}
	return start, max(start, end)
}

// TrackIDs lists the tracks in order.
func (r Reel) TrackIDs() []string {
	ids := make([]string, len(r.Tracks))
	for i, t := range r.Tracks {
		ids[i] = t.ID
	}
	return ids
}

func (r Reel) index(id string) int {
	return slices.IndexFunc(r.Tracks, func(t Track) bool { return t.ID == id })
}

// clone copies everything an operation may change.
func (r Reel) clone() Reel {
	r.Tracks = slices.Clone(r.Tracks)
	for i := range r.Tracks {
		r.Tracks[i].Clips = slices.Clone(r.Tracks[i].Clips)
	}
	r.Weave.Stems = slices.Clone(r.Weave.Stems)
	r.Weave.Outputs = slices.Clone(r.Weave.Outputs)
	r.Weave.Routes = maps.Clone(r.Weave.Routes)
	if r.Weave.Routes == nil {
		r.Weave.Routes = map[string]weave.Route{}
	}
	return r
}
