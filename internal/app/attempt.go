package app

import (
	"context"
	"errors"

	"github.com/google/uuid"

	"zestyloom/core/order"
	"zestyloom/core/snag"
	"zestyloom/internal/store"
)

// attempts is what an attempt at an order is told of its row.
type attempts struct {
	dir  string // of all of them
	do   func(ctx context.Context, attempt uuid.UUID, dir string) error
	fail func(ctx context.Context, attempt uuid.UUID, why error) error // ErrNotFound when another counts by now
	row  func(ctx context.Context) (store.Order, error)
}

// try makes an attempt, in a folder of its own: one that was taken for dead and goes on is in nobody's way. What can't
// be made fails, with the reason; an error is worth another try. The files stay when they are proven, and when nobody
// can tell because the database is away: it may have kept what it did not get to say.
func (a *App) try(ctx context.Context, t attempts) error {
	attempt := store.NewID()
	guarded, free := a.Media.Guard(ctx)
	defer free()
	dir, err := a.Media.Attempt(t.dir, attempt)
	if err == nil {
		err = t.do(guarded, attempt, dir)
	}
	after := context.WithoutCancel(ctx)
	if err != nil {
		why := context.Cause(guarded)
		switch full := errors.As(why, new(*snag.Refusal)); {
		case errors.Is(err, ErrNotFound): // see below
		case full:
			err = t.fail(after, attempt, why)
		case ctx.Err() != nil || store.Passing(err): // the process is being stopped, or the database is: taken up again
		default:
			err = t.fail(after, attempt, err)
		}
		if errors.Is(err, ErrNotFound) { // cancelled, removed, or another attempt counts by now
			err = nil
		}
	}
	o, e := t.row(after)
	switch {
	case e == nil && o.State == order.Proven && o.Attempt != nil && *o.Attempt == attempt:
		return a.Media.KeepAttempt(t.dir, attempt)
	case e != nil && !errors.Is(e, ErrNotFound):
		return errors.Join(err, e)
	}
	return errors.Join(err, a.Media.DropAttempt(t.dir, attempt))
}
