package app

import (
	"context"
	"math"

	"github.com/google/uuid"

	"zestyloom/core/align"
	"zestyloom/core/snag"
	"zestyloom/core/take"
	"zestyloom/internal/store"
)

// ClockOf names the clock that a take's timecode is of: its camera's, or its recorder's.
func ClockOf(t store.Take, camera bool) string {
	switch {
	case t.Recorder != "" && t.Roll != "" && !camera:
		return t.Recorder + " " + t.Roll
	case t.Recorder != "":
		return t.Recorder
	case t.Roll != "" && !camera:
		return t.Roll
	}
	return take.Camera(t.Name)
}

// lateBy is by how many samples of a take's rate its clock is known to have been behind.
func lateBy(t store.Take, clock string, clocks []store.Clock) int64 {
	for _, c := range clocks {
		if c.Camera == clock && c.Day == t.Day {
			return int64(math.Round(float64(c.Late) * float64(t.SampleRate) / float64(c.Rate)))
		}
	}
	return 0
}

// stampOf is a take as its timecode has it, with its clock set right where it is known to have been off.
func stampOf(t store.Take, clock string, clocks []store.Clock) align.Stamp {
	s := align.Stamp{Start: -1, Rate: t.SampleRate, Frames: t.Frames}
	if t.StartWas != nil {
		s.Start = *t.StartWas + lateBy(t, clock, clocks)
	}
	return s
}

// Placement is where a pair's recording lies on the reference's clock, by the best that is known.
type Placement struct {
	By       string  // sound, timecode where that says nothing, or empty without either
	Offset   float64 // samples of the reference, moved by hand as it was
	Drift    float64 // ppm; 0 where it is not known
	Timecode *int64  // samples of the reference, by timecode alone
	Late     float64 // seconds by which its clock is known to have been behind

	ref, take store.Take
	pair      store.Sync
	clock     string // of the take
}

// PlacementOf works out where a pair lies. cameras are the takes that come with a picture.
func PlacementOf(p store.Production, pair store.Sync, ref, t store.Take, cameras map[uuid.UUID]bool, clocks []store.Clock) Placement {
	l := Placement{ref: ref, take: t, pair: pair, clock: ClockOf(t, cameras[t.ID])}
	l.Late = float64(lateBy(t, l.clock, clocks)) / float64(t.SampleRate)
	if at, ok := align.ByTimecode(stampOf(ref, ClockOf(ref, cameras[ref.ID]), clocks), stampOf(t, l.clock, clocks), p.Rate()); ok {
		l.Timecode = &at
	}
	switch c := pair.Body.Certainty; {
	case c == align.Certain || c == align.Doubtful:
		l.By, l.Offset, l.Drift = "sound", pair.Body.Offset, pair.Body.Drift
		if !pair.Body.DriftKnown { // what can't be corrected is halved: right in the middle
			l.Offset = (pair.Body.Start + pair.Body.End) / 2
		}
	case l.Timecode != nil:
		l.By, l.Offset = "timecode", float64(*l.Timecode)
	}
	l.Offset += float64(pair.Nudge)
	return l
}

// placementOf finds a pair and where it lies.
func (a *App) placementOf(ctx context.Context, id uuid.UUID) (l Placement, err error) {
	s, err := a.Store.Sync(ctx, id)
	if err != nil {
		return l, err
	}
	p, err := a.Store.Production(ctx, s.ProductionID)
	if err != nil {
		return l, err
	}
	return placementIn(ctx, a.Store.Queries, p, s)
}

// placementIn finds what a pair's place depends on.
func placementIn(ctx context.Context, q store.Queries, p store.Production, s store.Sync) (l Placement, err error) {
	ref, err := q.Take(ctx, s.RefTake)
	if err != nil {
		return l, err
	}
	t, err := q.Take(ctx, s.Take)
	if err != nil {
		return l, err
	}
	cameras, err := Pictured(ctx, q, []uuid.UUID{ref.ID, t.ID})
	if err != nil {
		return l, err
	}
	clocks, err := q.Clocks(ctx, p.ID)
	if err != nil {
		return l, err
	}
	with := map[uuid.UUID]bool{}
	for id := range cameras {
		with[id] = true
	}
	return PlacementOf(p, s, ref, t, with, clocks), nil
}

// Pictured finds which of some takes come with a picture, and the file that has it.
func Pictured(ctx context.Context, q store.Queries, takes []uuid.UUID) (map[uuid.UUID]store.File, error) {
	strands, err := q.Strands(ctx, takes)
	if err != nil {
		return nil, err
	}
	files, err := q.FilesOfTakes(ctx, takes)
	if err != nil {
		return nil, err
	}
	out := map[uuid.UUID]store.File{}
	for _, f := range files {
		for _, s := range strands {
			if s.FileID == f.ID && hasPicture(f) {
				out[s.TakeID] = f
			}
		}
	}
	return out, nil
}

func hasPicture(f store.File) bool {
	return f.Facts != nil && f.Facts.Picture != nil
}

// start is where a take begins when it lies so, in its own samples since midnight.
func (l Placement) start(p store.Production, offset float64) (int64, error) {
	if l.ref.StartSamples == nil {
		return 0, snag.Refuse("no_start", "%s has no start timecode to line %s up with", l.ref.Name, l.take.Name)
	}
	// Whole samples of the reference go over exactly, what is left of the offset by rounding.
	at, from, to := *l.ref.StartSamples, int64(l.ref.SampleRate), int64(l.take.SampleRate)
	start := at/from*to + int64(math.Round((float64(at%from)+offset)*float64(to)/float64(from)))
	day := p.Rate().SampleAt(p.Rate().DayFrames(), to)
	return (start%day + day) % day, nil
}

// Apart is how many milliseconds later than where its take lies now a pair would have it begin. ok is
// false while that has not been lined up, or can't be.
func (l Placement) Apart(p store.Production) (ms float64, ok bool) {
	if l.take.StartSet == nil || l.By == "" {
		return 0, false
	}
	start, err := l.start(p, l.Offset)
	if err != nil {
		return 0, false
	}
	day := p.Rate().SampleAt(p.Rate().DayFrames(), int64(l.take.SampleRate))
	apart := shorter(start-*l.take.StartSet, day)
	return float64(apart) / float64(l.take.SampleRate) * 1000, true
}

// shorter is the shorter way round a day.
func shorter(d, day int64) int64 {
	switch d %= day; {
	case d > day/2:
		return d - day
	case d < -day/2:
		return d + day
	}
	return d
}
