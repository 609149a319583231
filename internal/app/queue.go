package app

import (
	"context"
	"slices"

	"github.com/google/uuid"

	"zestyloom/core/snag"
	"zestyloom/internal/store"
)

// underWay reports whether a job may work on what is in a state: everything else has ended, or is held.
func underWay(state string) bool {
	return slices.Contains([]string{"waiting", "rendering", "writing", "proving", "laying"}, state)
}

// queueKind is a kind of what is in the list of what is being made: what of it differs from the others.
type queueKind struct {
	event string // of what has changed
	lock  func(ctx context.Context, tx store.Tx, id uuid.UUID) (queued, error)
	move  func(ctx context.Context, tx store.Tx, id uuid.UUID, state string) error
	work  func(id uuid.UUID) Job
	job   func(ctx context.Context, tx store.Tx, id uuid.UUID, job int64) error
	clear func(id uuid.UUID) error // what is left of one that was not begun, or nil
}

// queued is a row in the list.
type queued struct {
	name       string
	production uuid.UUID
	state      string
	job        *int64
}

// queueKinds are all of them by the names of store.Making.
func (a *App) queueKinds() map[string]queueKind {
	return map[string]queueKind{
		"delivery": {
			event: "deliveries",
			lock: func(ctx context.Context, tx store.Tx, id uuid.UUID) (queued, error) {
				d, err := tx.LockDelivery(ctx, id)
				return queued{"the delivery", d.ProductionID, d.State, d.JobID}, err
			},
			move: func(ctx context.Context, tx store.Tx, id uuid.UUID, state string) error {
				return tx.MoveDelivery(ctx, id, state, nil)
			},
			work: func(id uuid.UUID) Job { return DeliverJob{id} },
			job: func(ctx context.Context, tx store.Tx, id uuid.UUID, job int64) error {
				return tx.SetDeliveryJob(ctx, id, job)
			},
			clear: a.Media.RemoveDelivery,
		},
		"writing": {
			event: "writings",
			lock: func(ctx context.Context, tx store.Tx, id uuid.UUID) (queued, error) {
				w, err := tx.LockWriting(ctx, id)
				return queued{w.TakeName, w.ProductionID, w.State, w.JobID}, err
			},
			move: func(ctx context.Context, tx store.Tx, id uuid.UUID, state string) error {
				return tx.MoveWriting(ctx, id, state, nil, nil)
			},
			work: func(id uuid.UUID) Job { return WriteJob{id} },
			job: func(ctx context.Context, tx store.Tx, id uuid.UUID, job int64) error {
				return tx.SetWritingJob(ctx, id, job)
			},
		},
		"print": {
			event: "prints",
			lock: func(ctx context.Context, tx store.Tx, id uuid.UUID) (queued, error) {
				p, err := tx.LockPrint(ctx, id)
				return queued{"the print of " + p.Body.Name, p.ProductionID, p.State, p.JobID}, err
			},
			move: func(ctx context.Context, tx store.Tx, id uuid.UUID, state string) error {
				return tx.MovePrint(ctx, id, state, nil)
			},
			work: func(id uuid.UUID) Job { return PrintJob{id} },
			job: func(ctx context.Context, tx store.Tx, id uuid.UUID, job int64) error {
				return tx.SetPrintJob(ctx, id, job)
			},
			clear: a.Media.RemovePrint,
		},
	}
}

// enqueue makes a job of its own for a row that waits.
func (a *App) enqueue(ctx context.Context, tx store.Tx, kind string, id, production uuid.UUID) error {
	k := a.queueKinds()[kind]
	job, err := a.Queue.Add(ctx, tx.Tx, k.work(id))
	if err != nil {
		return err
	}
	if err := k.job(ctx, tx, id, job); err != nil {
		return err
	}
	return publish(ctx, tx.Queries, Event{Production: production, Kind: k.event, ID: id.String()})
}

// Steps that can be taken with what is in the list of what is being made.
const (
	StepHold   = "hold"   // keep it from being made; of what is under way nothing is left, and it begins anew
	StepNext   = "next"   // make it before everything of its kind that waits
	StepCancel = "cancel" // end it; nothing of it is left
	StepRetry  = "retry"  // make what failed or was cancelled again, and let go what is held
)

// TakeStep takes a step with a delivery, a writing or a print.
func (a *App) TakeStep(ctx context.Context, kind string, id uuid.UUID, step string) error {
	k := a.queueKinds()[kind]
	var was queued
	err := a.Store.InTx(ctx, func(tx store.Tx) (err error) {
		if err := tx.LockQueue(ctx); err != nil {
			return err
		}
		if was, err = k.lock(ctx, tx, id); err != nil {
			return err
		}
		move := func(to string) { err = k.move(ctx, tx, id, to) }
		again := func() {
			if move("waiting"); err == nil {
				err = a.enqueue(ctx, tx, kind, id, was.production)
			}
		}
		switch step {
		case StepHold:
			if !underWay(was.state) || was.state == "laying" {
				return snag.Refuse("under_way", "%s is %s: only what waits or is being made can be held", was.name, was.state)
			}
			move("held")
		case StepCancel:
			if was.state == "proven" || was.state == "cancelled" || was.state == "failed" && kind == "delivery" {
				return snag.Refuse("ended", "%s is %s already", was.name, was.state)
			}
			move("cancelled")
		case StepNext:
			if was.state != "waiting" && was.state != "held" {
				return snag.Refuse("under_way", "%s is %s: only what waits can be put elsewhere", was.name, was.state)
			}
			if was.state == "held" {
				again()
			}
			if err == nil {
				err = tx.Reorder(ctx, kind, []uuid.UUID{id}, true)
			}
		case StepRetry:
			if was.state != "failed" && was.state != "cancelled" && was.state != "held" {
				return snag.Refuse("not_ended", "%s is %s: only what failed, was cancelled or is held can be made again", was.name, was.state)
			}
			again()
		}
		if err != nil {
			return err
		}
		return publish(ctx, tx.Queries, Event{Production: was.production, Kind: k.event, ID: id.String()})
	})
	if err != nil || step == StepNext || step == StepRetry {
		return err
	}
	if was.job != nil && underWay(was.state) {
		if err := a.Queue.Cancel(ctx, *was.job); err != nil {
			return err
		}
	}
	if step == StepCancel && k.clear != nil && (was.state == "waiting" || was.state == "held") {
		return k.clear(id) // otherwise the worker, once stopped, clears up what it has written
	}
	return nil
}

// DeliveryStep takes a step with a delivery, and gives it as it is then.
func (a *App) DeliveryStep(ctx context.Context, id uuid.UUID, step string) (store.Delivery, error) {
	if err := a.TakeStep(ctx, "delivery", id, step); err != nil {
		return store.Delivery{}, err
	}
	return a.Store.Delivery(ctx, id)
}

// ReorderQueue has what waits made in the order of ids. Each kind is made by a worker of its own: what is of one changes
// places among itself. What does not wait any more is left out.
func (a *App) ReorderQueue(ctx context.Context, production uuid.UUID, ids []uuid.UUID) error {
	return a.Store.InTx(ctx, func(tx store.Tx) error {
		if err := tx.LockQueue(ctx); err != nil {
			return err
		}
		list, err := tx.Makings(ctx, production)
		if err != nil {
			return err
		}
		of := map[string][]uuid.UUID{}
		for _, id := range ids {
			if i := slices.IndexFunc(list, func(m store.Making) bool { return m.ID == id }); i >= 0 {
				of[list[i].Kind] = append(of[list[i].Kind], id)
			}
		}
		for kind, k := range a.queueKinds() {
			if len(of[kind]) == 0 {
				continue
			}
			if err := tx.Reorder(ctx, kind, of[kind], false); err != nil {
				return err
			}
			if err := publish(ctx, tx.Queries, Event{Production: production, Kind: k.event}); err != nil {
				return err
			}
		}
		return nil
	})
}
