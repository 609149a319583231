package app

import (
	"context"
	"errors"
	"time"

	"zestyloom/core/order"
	"zestyloom/internal/media"
	"zestyloom/internal/store"
)

// StrayAge is how long something must have lain untouched to count as stray: a row that is being written has its
// files first.
const StrayAge = time.Hour

// Swept counts what a sweep of the media folder did.
type Swept struct {
	TakenIn int // whole uploads that had not become files
	Kept    int // sound that no row speaks of, put into the folder "found"
	Removed int // what can be made again, parts of killed processes, uploads that were given up
}

// Sweep compares the media folder with the database: whole uploads are taken in, and what no row speaks of is put
// away. age is StrayAge.
func (a *App) Sweep(ctx context.Context, age time.Duration) (s Swept, err error) {
	if s.TakenIn, err = a.SweepUploads(ctx); store.Passing(err) {
		return s, err // then nothing is known to be stray
	}
	for place, table := range places() {
		ids, e := a.Media.Named(place, age)
		if e != nil {
			err = errors.Join(err, e)
			continue
		}
		known, e := a.Store.Known(ctx, table, ids)
		if e != nil {
			return s, e
		}
		for _, id := range ids {
			if known[id] {
				continue
			}
			kept, e := a.Media.PutAway(place, id)
			switch {
			case e != nil:
				err = errors.Join(err, e)
			case kept:
				s.Kept++
			default:
				s.Removed++
			}
		}
	}
	n, e := a.sweepAttempts(ctx, age)
	s.Removed += n
	err = errors.Join(err, e)
	n, e = a.Media.DropOld(time.Now())
	s.Removed += n
	return s, errors.Join(err, e)
}

// places are those of the media folder whose entries are named by rows, with the tables of these.
func places() map[string]string {
	p := map[string]string{media.Originals: "files", media.Summaries: "files"}
	for _, place := range order.Kinds {
		p[place] = "orders"
	}
	return p
}

// sweepAttempts removes attempts at what has ended that are not the one that counts.
func (a *App) sweepAttempts(ctx context.Context, age time.Duration) (removed int, err error) {
	for kind := range order.Kinds {
		ended, e := a.Store.Ended(ctx, kind)
		if e != nil {
			return removed, e
		}
		for id, counts := range ended {
			dir := a.Media.Order(kind, id)
			for _, attempt := range a.Media.Attempts(dir, age) {
				if attempt == counts {
					continue
				}
				err = errors.Join(err, a.Media.DropAttempt(dir, attempt))
				removed++
			}
		}
	}
	return removed, err
}
