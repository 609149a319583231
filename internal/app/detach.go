package app

import (
	"context"
	"fmt"
	"slices"

	"github.com/google/uuid"

	"zestyloom/core/reel"
	"zestyloom/core/snag"
	"zestyloom/internal/store"
)

// mostShift bounds how far a strand may lie from home, in seconds.
const mostShift = 3600

// SetDetached lets a strand go from its take and moves it to so many samples from home, or brings it home.
// Its clips move with it. was is the shift that the person saw.
func (a *App) SetDetached(ctx context.Context, id uuid.UUID, detached bool, shift, was int64) error {
	return a.Store.InTx(ctx, func(tx store.Tx) error {
		s, err := tx.Strand(ctx, id)
		if err != nil {
			return err
		}
		t, err := tx.Take(ctx, s.TakeID)
		if err != nil {
			return err
		}
		if _, err := tx.LockProduction(ctx, t.ProductionID); err != nil {
			return err
		}
		if s, err = tx.Strand(ctx, id); err != nil {
			return err
		}
		p, err := tx.Production(ctx, t.ProductionID)
		if err != nil {
			return err
		}
		if limit := int64(mostShift * t.SampleRate); shift < -limit || shift > limit {
			return snag.Refuse("too_far", "%s can lie up to an hour from home, not %d samples", s.Label, shift)
		}
		if s.Shift != was {
			return &Stale{fmt.Sprintf("strand %d of %s lies %d samples from home by now: somebody else has moved it", s.Position, t.Name, s.Shift), map[string]int64{"shift": s.Shift}}
		}
		if name, err := laidTogether(ctx, tx, p.ID, id); err != nil || name != "" && shift != s.Shift {
			if err == nil {
				err = snag.Refuse("laid_together", "strand %d of %s is a channel of %s in the reel: take that apart there first", s.Position, t.Name, name)
			}
			return err
		}
		what := fmt.Sprintf("move strand %d of %s", s.Position, t.Name)
		switch {
		case !detached:
			shift = 0
			what = fmt.Sprintf("bring strand %d of %s home", s.Position, t.Name)
		case !s.Detached:
			what = fmt.Sprintf("let strand %d of %s go", s.Position, t.Name)
		}
		c := change{}
		if c.Cells, err = cellsOf(id, value{"detached", detached}, value{"shift", shift}); err != nil {
			return err
		}
		k, err := clockOf(t, p)
		if err != nil {
			return err
		}
		by := k.Moment(shift) - k.Moment(s.Shift)
		if c.Reels, err = a.moveClips(ctx, tx, p.ID, reel.Shift{Of: oneOf([]store.Strand{s}), By: by, NewID: uuid.NewString}); err != nil {
			return err
		}
		return a.edit(ctx, tx, p.ID, what, c)
	})
}

// DetachedInReel finds how far strands that lie in a reel are from home, in samples of the production: by their IDs, and only
// what is let go.
func (a *App) DetachedInReel(ctx context.Context, p store.Production, reel uuid.UUID) (map[string]int64, error) {
	rows, err := a.Store.DetachedInReel(ctx, reel)
	out := map[string]int64{}
	for _, s := range rows {
		k, err := newClock(s.Rate, p.SampleRate, 0)
		if err != nil {
			return nil, err
		}
		out[s.ID.String()] = k.Moment(s.Shift)
	}
	return out, err
}

// laidTogether finds the clip of several channels that a strand is one of; empty for none.
func laidTogether(ctx context.Context, tx store.Tx, production, strand uuid.UUID) (string, error) {
	all, err := tx.Reels(ctx, production)
	for _, r := range all {
		for _, t := range r.Doc.Tracks {
			for _, c := range t.Clips {
				if t.Channels().Count > 1 && slices.Contains(c.Strands, strand.String()) {
					return c.Name, nil
				}
			}
		}
	}
	return "", err
}
