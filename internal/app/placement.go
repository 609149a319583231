package app

import (
	"context"

	"github.com/google/uuid"

	"zestyloom/core/align"
	"zestyloom/internal/store"
)

// AlignTake is what lining up goes by of a take. picture says that it comes with one.
func AlignTake(t store.Take, picture bool) align.Take {
	return align.Take{
		Name: t.Name, Recorder: t.Recorder, Roll: t.Roll, Day: t.Day, Camera: picture,
		Rate: t.SampleRate, Frames: t.Frames, Stated: t.StartWas, Start: t.StartSamples,
	}
}

// Clocks are those of a production that are known to have been off.
func Clocks(ctx context.Context, q store.Queries, production uuid.UUID) (align.Clocks, error) {
	rows, err := q.Clocks(ctx, production)
	var out align.Clocks
	for _, c := range rows {
		out = append(out, align.ClockError{Clock: c.Camera, Day: c.Day, Late: c.Late, Rate: c.Rate})
	}
	return out, err
}

// PlacementOf works out where a pair lies. cameras are the takes that come with a picture.
func PlacementOf(p store.Production, pair store.Sync, ref, t store.Take, cameras map[uuid.UUID]bool, clocks align.Clocks) align.Placement {
	return align.Place(AlignTake(ref, cameras[ref.ID]), AlignTake(t, cameras[t.ID]), pair.Body, pair.Nudge, clocks, p.Rate())
}

// located is a pair, its takes, and where it lies.
type located struct {
	align.Placement
	pair      store.Sync
	ref, take store.Take
}

// placementOf finds a pair and where it lies.
func (a *App) placementOf(ctx context.Context, id uuid.UUID) (l located, err error) {
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
func placementIn(ctx context.Context, q store.Queries, p store.Production, s store.Sync) (l located, err error) {
	l.pair = s
	if l.ref, err = q.Take(ctx, s.RefTake); err != nil {
		return l, err
	}
	if l.take, err = q.Take(ctx, s.Take); err != nil {
		return l, err
	}
	cameras, err := q.TakesWithPicture(ctx, []uuid.UUID{s.RefTake, s.Take})
	if err != nil {
		return l, err
	}
	clocks, err := Clocks(ctx, q, p.ID)
	if err != nil {
		return l, err
	}
	l.Placement = PlacementOf(p, s, l.ref, l.take, cameras, clocks)
	return l, nil
}

func hasPicture(f store.File) bool {
	return f.Facts != nil && f.Facts.Picture != nil
}
