package app

import (
	"context"
	"errors"
	"time"

	"github.com/google/uuid"

	"zestyloom/core/snag"
	"zestyloom/internal/store"
)

// RemovalPause is how long a removed production is kept, so that removing it can be taken back.
const RemovalPause = 24 * time.Hour

// ArchiveProduction puts a production out of the way, or back. Nothing of it changes.
func (a *App) ArchiveProduction(ctx context.Context, id uuid.UUID, archived bool) (store.Production, error) {
	return a.changeProduction(ctx, id, func(tx store.Tx, p store.Production) error { return tx.SetArchived(ctx, id, archived) })
}

// RemoveProduction marks a production for removal after RemovalPause. Until then it is as it was.
func (a *App) RemoveProduction(ctx context.Context, id uuid.UUID) (store.Production, error) {
	return a.changeProduction(ctx, id, func(tx store.Tx, p store.Production) error {
		if p.Removal != nil {
			return nil
		}
		at := a.Now().Add(RemovalPause)
		return tx.SetRemoval(ctx, id, &at)
	})
}

// KeepProduction takes a removal back.
func (a *App) KeepProduction(ctx context.Context, id uuid.UUID) (store.Production, error) {
	return a.changeProduction(ctx, id, func(tx store.Tx, p store.Production) error {
		if p.Removal != nil && !p.Removal.After(a.Now()) {
			return snag.Refuse("gone", "its time is over: it is being removed")
		}
		return tx.SetRemoval(ctx, id, nil)
	})
}

func (a *App) changeProduction(ctx context.Context, id uuid.UUID, fn func(store.Tx, store.Production) error) (p store.Production, err error) {
	err = a.Store.InTx(ctx, func(tx store.Tx) error {
		if p, err = tx.LockProduction(ctx, id); err != nil {
			return err
		}
		if err := fn(tx, p); err != nil {
			return err
		}
		p, err = tx.Production(ctx, id)
		return err
	})
	return p, err
}

// RemoveDue removes the productions whose time has come, and says how many: first the jobs, then the files, then
// the rows. What is broken off in between is done by the next call.
func (a *App) RemoveDue(ctx context.Context) (removed int, err error) {
	due, err := a.Store.DueForRemoval(ctx, a.Now())
	if err != nil {
		return 0, err
	}
	for _, p := range due {
		if e := a.removeForGood(ctx, p.ID); e != nil {
			err = errors.Join(err, e)
			continue
		}
		removed++
	}
	return removed, err
}

func (a *App) removeForGood(ctx context.Context, id uuid.UUID) error {
	b, err := a.Store.Belongings(ctx, id)
	if err != nil {
		return err
	}
	for _, v := range b {
		if v.JobID == nil {
			continue
		}
		if err := a.Queue.Cancel(ctx, *v.JobID); err != nil {
			return err
		}
	}
	for _, v := range b { // what was taken in in place lies elsewhere and stays
		remove := a.Media.RemoveOriginal
		if v.Kind != "" {
			remove = func(id uuid.UUID) error { return a.Media.RemoveOrder(v.Kind, id) }
		}
		if err := remove(v.ID); err != nil {
			return err
		}
	}
	return a.Store.InTx(ctx, func(tx store.Tx) error {
		if _, err := tx.LockProduction(ctx, id); err != nil {
			return err
		}
		return tx.DeleteProduction(ctx, id)
	})
}
