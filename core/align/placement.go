package align

import (
	"math"

	"zestyloom/core/resample"
	"zestyloom/core/snag"
	"zestyloom/core/timecode"
)

// Basis is what a placement goes by.
type Basis string

// Bases. ByNothing stands where neither says anything.
const (
	BySound   Basis = "sound"
	ByClocks  Basis = "timecode"
	ByNothing Basis = ""
)

// Placement is where a recording lies on a reference's clock, by the best that is known.
type Placement struct {
	By       Basis   // what Offset goes by: timecodes only where the sound says nothing
	Offset   float64 // samples of the reference, moved by hand as it was
	Drift    float64 // ppm; 0 where it is not known
	Timecode *int64  // samples of the reference, by timecode alone
	Late     float64 // seconds by which its clock is known to have been behind

	Ref, Take Take
	nudge     int64
	day       timecode.Rate
}

// Place works out where a take lies. found is what comparing them by ear came to, nudge by how many samples of the
// reference it was then moved by hand, day the rate of the timecode whose day wraps.
func Place(ref, t Take, found Alignment, nudge int64, clocks Clocks, day timecode.Rate) Placement {
	p := Placement{Ref: ref, Take: t, Late: float64(clocks.Late(t)) / float64(t.Rate), nudge: nudge, day: day}
	if at, ok := ByTimecode(clocks.Stamp(ref), clocks.Stamp(t), day); ok {
		p.Timecode = &at
	}
	switch {
	case found.Certainty == Certain || found.Certainty == Doubtful:
		p.By, p.Offset, p.Drift = BySound, found.Offset, found.Drift
		if !found.DriftKnown { // what can't be corrected is halved: right in the middle
			p.Offset = (found.Start + found.End) / 2
		}
	case p.Timecode != nil:
		p.By, p.Offset = ByClocks, float64(*p.Timecode)
	}
	p.Offset += float64(nudge)
	return p
}

// Accepted is where the take begins once its placement is accepted, in its own samples since midnight, and the drift to
// correct it by. byTimecode asks for what the timecodes say, whatever was heard.
//
// Errors: no_start where a timecode that is needed is not there; not_aligned where there is no offset by ear.
func (p Placement) Accepted(byTimecode bool) (start int64, drift float64, err error) {
	offset, drift := p.Offset, p.Drift
	switch {
	case byTimecode && p.Timecode == nil:
		return 0, 0, snag.Refuse("no_start", "%s or %s has no timecode to line them up by", p.Take.Name, p.Ref.Name)
	case byTimecode:
		offset, drift = float64(*p.Timecode+p.nudge), 0
	case p.By != BySound:
		return 0, 0, snag.Refuse("not_aligned", "%s and %s have no offset to accept by what they hear", p.Take.Name, p.Ref.Name)
	}
	start, err = p.start(offset)
	return start, resample.RoundDrift(drift), err
}

// start is where the take begins when it lies at an offset, in its own samples since midnight.
func (p Placement) start(offset float64) (int64, error) {
	if p.Ref.Start == nil {
		return 0, snag.Refuse("no_start", "%s has no start timecode to line %s up with", p.Ref.Name, p.Take.Name)
	}
	// Whole samples of the reference go over exactly, what is left of the offset by rounding.
	at, from, to := *p.Ref.Start, int64(p.Ref.Rate), int64(p.Take.Rate)
	start := at/from*to + int64(math.Round((float64(at%from)+offset)*float64(to)/float64(from)))
	day := p.day.DaySamples(p.Take.Rate)
	return (start%day + day) % day, nil
}

// Apart is how many milliseconds later than at start, in its own samples since midnight, the placement would have the
// take begin. ok is false where the placement says nothing.
func (p Placement) Apart(start int64) (ms float64, ok bool) {
	if p.By == ByNothing {
		return 0, false
	}
	at, err := p.start(p.Offset)
	if err != nil {
		return 0, false
	}
	return float64(p.fromTo(start, at)) / float64(p.Take.Rate) * 1000, true
}

// fromTo is how many samples of the take one moment is after another, the shorter way round a day.
func (p Placement) fromTo(from, to int64) int64 {
	return timecode.ShorterWay(to-from, p.day.DaySamples(p.Take.Rate))
}

// By how many milliseconds placements of one take may differ to be accepted together, and by how many parts in a million
// of the time between their references besides: clocks drift.
const agreeing, agreeingDrift = 1.0, 100e-6

// Agrees reports whether another placement of the same take says, within what clocks drift by, that it begins at start as
// this one does.
func (p Placement) Agrees(other Placement, start int64) bool {
	if other.Ref.Start == nil || p.Ref.Start == nil {
		return false
	}
	apart, ok := other.Apart(start)
	between := math.Abs(float64(*other.Ref.Start)/float64(other.Ref.Rate)-float64(*p.Ref.Start)/float64(p.Ref.Rate)) * 1000
	return ok && math.Abs(apart) <= agreeing+agreeingDrift*between
}

// ClockError is how far off the take's clock was by this placement.
//
// Errors: no_start where the take has no timecode, or nothing was heard.
func (p Placement) ClockError() (ClockError, error) {
	e := ClockError{Clock: p.Take.Clock(), Day: p.Take.Day, Rate: p.Take.Rate}
	if p.Take.Stated == nil || p.By != BySound {
		return e, snag.Refuse("no_start", "%s has no timecode, or the pair no offset by what it hears: it says nothing of its clock", p.Take.Name)
	}
	start, err := p.start(p.Offset)
	e.Late = p.fromTo(*p.Take.Stated, start)
	return e, err
}
