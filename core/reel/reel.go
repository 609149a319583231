// Package reel has the timeline of a production: tracks of clips against samples since midnight,
// and the operations that change it. Operations are pure: they take a reel and give a new one and
// the operations that undo them.
package reel

import (
	"slices"

	"zestyloom/core/audio"
	"zestyloom/core/automation"
	"zestyloom/core/spatial"
	"zestyloom/core/timecode"
	"zestyloom/core/treat"
	"zestyloom/core/weave"
)

// Clip is a stretch of sound on a track: of as many strands as it plays channels, all from the same place on.
//
// What is drawn over it (Gain, Off) is counted in its strands' samples and so stays with the sound, however the clip is
// cut, trimmed and moved.
type Clip struct {
	ID      string   `json:"id"`
	Strands []string `json:"strands"` // the caller's names for the sound of each channel
	Name    string   `json:"name"`    // such as "21A-3"
	At      int64    `json:"at"`      // samples since midnight of the reel's day
	In      int64    `json:"in"`      // first sample of the strands
	Length  int64    `json:"length"`  // samples
	// Tie is what it has in common with the clips that are edited together with it; empty for one that is alone.
	Tie string `json:"tie,omitempty"`
	// Away is by how many samples it lies later than its kin would have it, since it was let go and moved or slipped
	// alone; 0 for home.
	Away int64 `json:"away,omitempty"`
	// Layout is what its strands stand for; empty for mono, or what its track is where it has as many channels.
	Layout string `json:"layout,omitempty"`
	// Patch is how they enter the channels of the track.
	Patch   weave.Patch      `json:"patch,omitzero"`
	GainDB  float64          `json:"gain_db,omitempty"`
	Gain    automation.Curve `json:"gain,omitempty"` // dB, added to GainDB
	Invert  bool             `json:"invert,omitempty"`
	FadeIn  Fade             `json:"fade_in,omitzero"`
	FadeOut Fade             `json:"fade_out,omitzero"`
	Off     []Range          `json:"off,omitempty"` // where it is silent, in order
	Note    string           `json:"note,omitempty"`
	// Unplaced says that nobody knows where it belongs: its take has no start, and it was laid at the end of
	// what was there.
	Unplaced bool `json:"unplaced,omitempty"`
}

// End is the first sample after the clip.
func (c Clip) End() int64 { return c.At + c.Length }

// Range is a stretch of a clip's strands, [From, To), that is off. Over Ramp samples inside of it at either end the sound
// goes and comes.
type Range struct {
	From int64 `json:"from"`
	To   int64 `json:"to"`
	Ramp int64 `json:"ramp,omitempty"`
}

// Channels is what a clip's strands stand for on a track: an unknown layout, which Check refuses, is the zero one.
func (c Clip) Channels(track audio.Layout) audio.Layout {
	name := c.Layout
	switch {
	case name != "":
	case len(c.Strands) == track.Count:
		return track
	case len(c.Strands) == 1:
		name = "mono"
	default:
		l, _ := audio.DiscreteLayout(len(c.Strands))
		return l
	}
	l, _ := audio.ParseLayout(name)
	return l
}

// Track is a lane of clips that sound together with one route.
type Track struct {
	ID     string           `json:"id"`
	Label  string           `json:"label"`
	Layout string           `json:"layout"` // see audio.ParseLayout
	Off    bool             `json:"off"`
	GainDB float64          `json:"gain_db,omitempty"`
	Gain   automation.Curve `json:"gain,omitempty"` // dB over the reel's time, added to GainDB
	// Treat is what is done to what its clips come to, before its gain.
	Treat treat.Chain `json:"treat,omitzero"`
	// TreatMoves are figures of it over the reel's time.
	TreatMoves treat.Moves `json:"treat_moves,omitempty"`
	// Place is where its sound stands by itself, as its recording says: that is where it is sent to in a stem that has room around it.
	Place *spatial.Position `json:"place,omitempty"`
	Clips []Clip            `json:"clips"` // in order of time; those that overlap are faded into each other
}

// Channels is the track's layout; the zero one when it is not known, which Check refuses.
func (t Track) Channels() audio.Layout {
	l, _ := audio.ParseLayout(t.Layout)
	return l
}

// Reel is a timeline and its routing.
type Reel struct {
	// Start is where the reel begins, in samples since midnight; nil for the first clip's start.
	Start *int64 `json:"start"`
	// Length is how long it is, in samples, whatever lies beyond; nil for up to the end of the last clip.
	Length *int64 `json:"length,omitempty"`
	// Rate is what its timecode counts in; nil for what the production's does.
	Rate    *timecode.Rate `json:"rate,omitempty"`
	Tracks  []Track        `json:"tracks"`
	Markers []Marker       `json:"markers,omitempty"` // in order of time
	Weave   weave.Weave    `json:"weave"`
	// Pictures are what is seen, in order of time.
	Pictures []Picture `json:"pictures,omitempty"`
	// Cut is what of a cut list from picture is laid; nil for none.
	Cut []Laying `json:"cut,omitempty"`
}

// New is an empty reel with the default weave.
func New() Reel { return Reel{Tracks: []Track{}, Weave: weave.Default()} }

// Span is where the reel begins and ends. Without clips and a length both are its start.
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
	if r.Length != nil {
		return start, start + *r.Length
	}
	return start, max(start, end)
}

// Counted is what its timecode counts in, where the production's counts in a rate.
func (r Reel) Counted(in timecode.Rate) timecode.Rate {
	if r.Rate != nil {
		return *r.Rate
	}
	return in
}

// Layouts gives the layouts of the tracks by their IDs.
func (r Reel) Layouts() map[string]audio.Layout {
	out := make(map[string]audio.Layout, len(r.Tracks))
	for _, t := range r.Tracks {
		out[t.ID] = t.Channels()
	}
	return out
}

// Product is what the weave's grids come to for the tracks in order: see weave.Product.
func (r Reel) Product() ([][][]float64, error) { return r.Weave.Product(r.Routed()) }

// Routed are the tracks as far as their routing goes.
func (r Reel) Routed() []weave.Track {
	tracks := make([]weave.Track, len(r.Tracks))
	for i, t := range r.Tracks {
		tracks[i] = t.Route()
	}
	return tracks
}

// Route is a track as the weave knows it.
func (t Track) Route() weave.Track {
	return weave.Track{ID: t.ID, Layout: t.Channels(), Label: t.Label, Place: t.Place}
}

// Strands are those that its clips play.
func (r Reel) Strands() map[string]bool {
	out := map[string]bool{}
	for _, t := range r.Tracks {
		for _, c := range t.Clips {
			for _, s := range c.Strands {
				out[s] = true
			}
		}
	}
	return out
}

func (r Reel) index(id string) int {
	return slices.IndexFunc(r.Tracks, func(t Track) bool { return t.ID == id })
}

// clone copies what an operation may change; the clips of a track are copied when they are.
func (r Reel) clone() Reel {
	r.Tracks = slices.Clone(r.Tracks)
	r.Weave = r.Weave.Clone()
	return r
}
