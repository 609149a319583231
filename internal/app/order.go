package app

import (
	"context"
	"errors"
	"slices"

	"github.com/google/uuid"

	"zestyloom/core/order"
	"zestyloom/core/snag"
	"zestyloom/internal/store"
)

// orderKind is what differs between the kinds of orders.
type orderKind struct {
	job func(id uuid.UUID) Job
	// attempt makes what is ordered in a folder of its own, once the attempt has begun, up to where its last move is made.
	attempt func(a *App, ctx context.Context, id, attempt uuid.UUID, dir string) error
	// then is what is left to do of one that has become a recording; nil where nothing does.
	then func(a *App, ctx context.Context, id uuid.UUID) error
}

// orderKinds are all of them.
var orderKinds = map[order.Kind]orderKind{
	order.Delivery: {job: func(id uuid.UUID) Job { return DeliverJob{id} }, attempt: (*App).deliver},
	order.Writing:  {job: func(id uuid.UUID) Job { return WriteJob{id} }, attempt: (*App).write},
	order.Print:    {job: func(id uuid.UUID) Job { return PrintJob{id} }, attempt: (*App).render, then: (*App).layPrint},
}

// orderChanged is the event of it.
func orderChanged(o store.Order) Event {
	return Event{Production: o.ProductionID, Kind: order.Kinds[o.Kind], ID: o.ID.String()}
}

// moveOrder makes a move with an order and tells of it.
func (a *App) moveOrder(ctx context.Context, o store.Order, by order.Move, out store.Outcome) error {
	if err := a.Store.MoveOrder(ctx, o.ID, by, out); err != nil {
		return err
	}
	return publish(ctx, a.Store.Queries, orderChanged(o))
}

// placeOrder keeps an order with its plan, and a job that makes it.
func (a *App) placeOrder(ctx context.Context, tx store.Tx, o store.Order, plan any) error {
	if err := tx.InsertOrder(ctx, o, plan); err != nil {
		return err
	}
	return a.enqueue(ctx, tx, o)
}

// enqueue makes a job of its own for an order that waits.
func (a *App) enqueue(ctx context.Context, tx store.Tx, o store.Order) error {
	job, err := a.Queue.Add(ctx, tx.Tx, orderKinds[o.Kind].job(o.ID))
	if err != nil {
		return err
	}
	if err := tx.SetOrderJob(ctx, o.ID, job); err != nil {
		return err
	}
	return publish(ctx, tx.Queries, orderChanged(o))
}

// Make is the work of an order's job: make it, then read it back and compare. What can't be made fails with the reason; the error is
// for what is worth another try.
func (a *App) Make(ctx context.Context, id uuid.UUID) error {
	o, err := a.Store.Order(ctx, id)
	if errors.Is(err, ErrNotFound) {
		return nil
	}
	if err != nil || !o.State.UnderWay() {
		return err
	}
	if o.FileID == nil {
		err = a.try(ctx, attempts{
			dir: a.Media.Order(o.Kind, id),
			do: func(ctx context.Context, attempt uuid.UUID, dir string) error {
				if err := a.moveOrder(ctx, o, order.Begin, store.Outcome{Attempt: attempt}); err != nil {
					return err
				}
				return orderKinds[o.Kind].attempt(a, ctx, id, attempt, dir)
			},
			fail: func(ctx context.Context, attempt uuid.UUID, why error) error {
				return a.moveOrder(ctx, o, order.Fail, store.Outcome{Attempt: attempt, Why: a.Media.Refusal(why)})
			},
			row: func(ctx context.Context) (store.Order, error) { return a.Store.Order(ctx, id) },
		})
	}
	if then := orderKinds[o.Kind].then; err == nil && then != nil {
		err = then(a, ctx, id)
	}
	return err
}

// FailOrder says that what a job works on can't be made, and why.
func (a *App) FailOrder(ctx context.Context, id uuid.UUID, why *snag.Refusal) error {
	o, err := a.Store.Order(ctx, id)
	if err == nil && o.State.UnderWay() {
		err = a.moveOrder(ctx, o, order.Fail, store.Outcome{Why: why})
	}
	if errors.Is(err, ErrNotFound) { // removed, or moved on meanwhile
		return nil
	}
	return err
}

// called is what an order is called in words to a person.
func called(o store.Order) string {
	switch o.Kind {
	case order.Writing:
		return o.Name
	case order.Print:
		return "the print of " + o.Name
	}
	return "the " + string(o.Kind)
}

// TakeStep makes a move with an order that a person asks for (order.State.Steps), and gives it as it is then.
func (a *App) TakeStep(ctx context.Context, id uuid.UUID, step order.Move) (now store.Order, err error) {
	var was store.Order
	err = a.Store.InTx(ctx, func(tx store.Tx) (err error) {
		if err := tx.LockQueue(ctx); err != nil {
			return err
		}
		if was, err = tx.LockOrder(ctx, id); err != nil {
			return err
		}
		if err := was.State.Check(step, called(was)); err != nil {
			return err
		}
		if was.State != step.To() {
			if err := tx.MoveOrder(ctx, id, step, store.Outcome{}); err != nil {
				return err
			}
			if step.To() == order.Waiting {
				if err := a.enqueue(ctx, tx, was); err != nil {
					return err
				}
			}
		}
		if step == order.Next {
			if err := tx.Reorder(ctx, was.Kind, []uuid.UUID{id}, true); err != nil {
				return err
			}
		}
		return publish(ctx, tx.Queries, orderChanged(was))
	})
	if err != nil {
		return was, err
	}
	if step.To() != order.Waiting && was.JobID != nil && was.State.UnderWay() {
		if err := a.Queue.Cancel(ctx, *was.JobID); err != nil {
			return was, err
		}
	}
	if step == order.Cancel && (was.State == order.Waiting || was.State == order.Held) {
		// Otherwise the worker, once stopped, clears up what it has written.
		if err := a.Media.RemoveOrder(was.Kind, id); err != nil {
			return was, err
		}
	}
	return a.Store.Order(ctx, id)
}

// ReorderQueue has what waits made in the order of ids. Each kind is made by a worker of its own: what is of one changes
// places among itself. What does not wait any more is left out.
func (a *App) ReorderQueue(ctx context.Context, production uuid.UUID, ids []uuid.UUID) error {
	return a.Store.InTx(ctx, func(tx store.Tx) error {
		if err := tx.LockQueue(ctx); err != nil {
			return err
		}
		list, err := tx.Unfinished(ctx, production)
		if err != nil {
			return err
		}
		of := map[order.Kind][]uuid.UUID{}
		for _, id := range ids {
			if i := slices.IndexFunc(list, func(o store.Order) bool { return o.ID == id }); i >= 0 {
				of[list[i].Kind] = append(of[list[i].Kind], id)
			}
		}
		for kind, ids := range of {
			if err := tx.Reorder(ctx, kind, ids, false); err != nil {
				return err
			}
			if err := publish(ctx, tx.Queries, Event{Production: production, Kind: order.Kinds[kind]}); err != nil {
				return err
			}
		}
		return nil
	})
}
