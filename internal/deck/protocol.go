// Package deck is a stand-in for a facility's recorder with as many inputs: a process of its own, with a page of its own, that receives
// streams of RTP, shows meters and timecode and what was lost, measures loudness by itself, and records.
package deck

import (
	"zestyloom/core/line"
)

// State is what a deck shows at a moment.
type State struct {
	Name     string    `json:"name"`
	Rate     string    `json:"rate"` // that timecode counts in
	Timecode string    `json:"timecode"`
	At       int64     `json:"at"` // samples since midnight; of what came last
	Running  bool      `json:"running"`
	Streams  []Stream  `json:"streams"`
	Channels []Channel `json:"channels"`
	Loudness *Loudness `json:"loudness,omitempty"`
	// Recording is the one that is being made or waited for, by its name; empty for none.
	Recording string `json:"recording"`
	Refused   string `json:"refused,omitempty"` // why a packet was not taken in, the last that was not
}

// Stream is what came of a stream.
type Stream struct {
	Says string `json:"says"`
	Port int    `json:"port"`
	line.Counts
}

// Channel are the meters of a channel, in dBFS; nil for nothing.
type Channel struct {
	Name string   `json:"name"`
	Peak *float64 `json:"peak"` // sample peak of the last 50 to 100 ms
	PPM  *float64 `json:"ppm"`  // programme meter of type IIa
	Held *float64 `json:"held"` // greatest sample peak since the streams began
	Over bool     `json:"over"` // has been at full scale since the streams began
}

// Loudness are the readings of the deck's own loudness meter since it was begun; LUFS and dBTP, nil for nothing.
type Loudness struct {
	First      int      `json:"first"` // channel, from 1
	Layout     string   `json:"layout"`
	Momentary  *float64 `json:"momentary"`
	ShortTerm  *float64 `json:"short_term"`
	Integrated *float64 `json:"integrated"`
	TruePeak   *float64 `json:"true_peak"`
}

// Order asks for a recording.
type Order struct {
	Name string `json:"name"`
	From int64  `json:"from"` // samples since midnight
	To   int64  `json:"to"`   // up to, but not with
	// Channels are those that are recorded, from 1; all of them where it is empty.
	Channels []int `json:"channels,omitempty"`
}

// Recording is what became of an order.
type Recording struct {
	Order
	ID        string     `json:"id"`
	Rate      string     `json:"rate"`
	Labels    []string   `json:"labels"`
	State     string     `json:"state"` // waiting, recording, done, failed
	Error     string     `json:"error,omitempty"`
	Gaps      []line.Gap `json:"gaps"` // channels as they are in the recording, from 1
	Lost      int64      `json:"lost"` // frames of gaps, the longest of any channel
	FromSays  string     `json:"from_timecode"`
	ToSays    string     `json:"to_timecode"`
	File      string     `json:"file"`
	GapsSayAt []string   `json:"gap_timecodes"`
	// Strangers are packets that somebody else sent than whose the streams are, while it was made: none of them is in it.
	Strangers int64 `json:"strangers,omitempty"`
	// Broken says that the deck was killed over it, and finished it when it came back.
	Broken bool `json:"broken,omitempty"`
}
