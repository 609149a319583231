package app

import (
	"context"
	"errors"
	"strings"

	"github.com/google/uuid"

	"zestyloom/core/delivery"
	"zestyloom/core/snag"
	"zestyloom/internal/store"
)

// EnsureSpecs makes the specs that ship with the application available.
func (a *App) EnsureSpecs(ctx context.Context) error {
	for _, s := range delivery.Shipped() {
		if err := a.Store.EnsureSpec(ctx, s); err != nil {
			return err
		}
	}
	return nil
}

// SaveSpec keeps a spec. One of that name that was made here becomes its next version, whatever version it says it is;
// those that come with the program stay as they are.
func (a *App) SaveSpec(ctx context.Context, s delivery.Spec) (store.Spec, error) {
	s.Name = strings.TrimSpace(s.Name)
	if s.Version == 0 {
		s.Version = 1
	}
	if err := s.Check(); err != nil {
		return store.Spec{}, err
	}
	var kept store.Spec
	err := a.Store.InTx(ctx, func(tx store.Tx) error {
		was, err := tx.SpecNamed(ctx, s.Name)
		switch {
		case errors.Is(err, ErrNotFound):
		case err != nil:
			return err
		case was.Shipped:
			return snag.Refuse("bad_spec", "%s is the name of a specification that comes with the program: choose another", s.Name)
		default:
			s.Version = was.Body.Version + 1
		}
		if kept, err = tx.SaveSpec(ctx, store.Spec{ID: store.NewID(), Name: s.Name, Body: s}); err != nil {
			return err
		}
		return a.weighAgain(ctx, tx, kept.ID)
	})
	return kept, err
}

// RemoveSpec forgets a spec that was made here. Reels that were held against it are held against the one that is used where
// none is chosen.
func (a *App) RemoveSpec(ctx context.Context, id uuid.UUID) error {
	return a.Store.InTx(ctx, func(tx store.Tx) error {
		reels, err := tx.ReelsOfSpec(ctx, id)
		if err != nil {
			return err
		}
		there, err := tx.DeleteSpec(ctx, id)
		if err != nil {
			return err
		}
		if !there {
			return ErrNotFound
		}
		for _, r := range reels {
			r.SpecID = nil
			if err := weighReel(ctx, tx, r); err != nil {
				return err
			}
		}
		return nil
	})
}

// ChooseSpec says which spec a reel is held against at every stage.
func (a *App) ChooseSpec(ctx context.Context, reel, spec uuid.UUID) error {
	return a.Store.InTx(ctx, func(tx store.Tx) error {
		if _, err := tx.Spec(ctx, spec); err != nil {
			return err
		}
		r, err := tx.LockReel(ctx, reel)
		if err != nil {
			return err
		}
		if err := tx.ChooseSpec(ctx, reel, spec); err != nil {
			return err
		}
		r.SpecID = &spec
		return weighReel(ctx, tx, r)
	})
}

// weighAgain works out the snags of all reels that are held against a spec.
func (a *App) weighAgain(ctx context.Context, tx store.Tx, spec uuid.UUID) error {
	reels, err := tx.ReelsOfSpec(ctx, spec)
	if err != nil {
		return err
	}
	for _, r := range reels {
		if err := weighReel(ctx, tx, r); err != nil {
			return err
		}
	}
	return nil
}

func weighReel(ctx context.Context, tx store.Tx, r store.Reel) error {
	snags, err := reelSnags(ctx, tx.Queries, r, r.Doc)
	if err != nil {
		return err
	}
	if err := tx.SetReelSnags(ctx, r.ID, snags); err != nil {
		return err
	}
	return publish(ctx, tx.Queries, Event{Production: r.ProductionID, Kind: "reel"})
}
