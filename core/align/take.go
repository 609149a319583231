package align

import (
	"math"

	"zestyloom/core/take"
	"zestyloom/core/timecode"
)

// Take is what lining up goes by of a take.
type Take struct {
	Name, Recorder, Roll string
	Day                  string // it was recorded on, as its file writes it; empty when not known
	Camera               bool   // it comes with a picture
	Rate                 int    // Hz
	Frames               int64
	Stated               *int64 // where it begins by its files: samples since midnight
	Start                *int64 // where it begins by what is known now
}

// Clock names the clock that a take's timecode is of: its camera's, or its recorder's.
func (t Take) Clock() string {
	switch {
	case t.Recorder != "" && t.Roll != "" && !t.Camera:
		return t.Recorder + " " + t.Roll
	case t.Recorder != "":
		return t.Recorder
	case t.Roll != "" && !t.Camera:
		return t.Roll
	}
	return take.Camera(t.Name)
}

// Seconds is how long it lasts.
func (t Take) Seconds() float64 { return float64(t.Frames) / float64(t.Rate) }

// ClockError says that a clock was behind on a day.
type ClockError struct {
	Clock, Day string
	Late       int64 // samples
	Rate       int   // of this rate in Hz
}

// Clocks are those that are known to have been off. None need be.
type Clocks []ClockError

// Late is by how many samples of a take its clock is known to have been behind.
func (c Clocks) Late(t Take) int64 {
	for _, e := range c {
		if e.Clock == t.Clock() && e.Day == t.Day {
			return int64(math.Round(float64(e.Late) * float64(t.Rate) / float64(e.Rate)))
		}
	}
	return 0
}

// Stamp is a take as its timecode has it, with its clock set right where it is known to have been off.
func (c Clocks) Stamp(t Take) Stamp {
	s := Stamp{Start: -1, Rate: t.Rate, Frames: t.Frames}
	if t.Stated != nil {
		s.Start = *t.Stated + c.Late(t)
	}
	return s
}

// Common is how many seconds two takes have in common by their clocks.
func (c Clocks) Common(a, b Take, day timecode.Rate) float64 {
	return Common(c.Stamp(a), c.Stamp(b), day)
}
