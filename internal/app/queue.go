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
	return slices.Contains([]string{"waiting", "rendering", "writing", "proving"}, state)
}

// queued is a row of deliveries or writings, as far as the list of what is being made is concerned.
type queued struct {
	kind, table string // of store.Making, and of the events
	name        string
	production  uuid.UUID
	id          uuid.UUID
	state       string
	job         *int64
}

// lockQueued finds what is in the list of what is being made, of any kind, and keeps others from changing it.
func lockQueued(ctx context.Context, tx store.Tx, kind string, id uuid.UUID) (queued, error) {
	if kind == "writing" {
		w, err := tx.LockWriting(ctx, id)
		return queued{kind, "writings", w.TakeName, w.ProductionID, id, w.State, w.JobID}, err
	}
	d, err := tx.LockDelivery(ctx, id)
	return queued{kind, "deliveries", "the delivery", d.ProductionID, id, d.State, d.JobID}, err
}

func (q queued) move(ctx context.Context, tx store.Tx, state string) error {
	if q.kind == "writing" {
		return tx.MoveWriting(ctx, q.id, state, nil, nil)
	}
	return tx.MoveDelivery(ctx, q.id, state, nil)
}

// enqueue makes a job of its own for a row that waits.
func (a *App) enqueue(ctx context.Context, tx store.Tx, q queued) error {
	var job int64
	var err error
	if q.kind == "writing" {
		if job, err = a.Queue.Write(ctx, tx.Tx, q.id); err == nil {
			err = tx.SetWritingJob(ctx, q.id, job)
		}
	} else {
		if job, err = a.Queue.Deliver(ctx, tx.Tx, q.id); err == nil {
			err = tx.SetDeliveryJob(ctx, q.id, job)
		}
	}
	if err != nil {
		return err
	}
	return q.changed(ctx, tx)
}

func (q queued) changed(ctx context.Context, tx store.Tx) error {
	return publish(ctx, tx.Queries, Event{Production: q.production, Kind: q.table, ID: q.id.String()})
}

func (a *App) queueDelivery(ctx context.Context, tx store.Tx, d store.Delivery) error {
	return a.enqueue(ctx, tx, queued{kind: "delivery", table: "deliveries", production: d.ProductionID, id: d.ID})
}

func (a *App) queueWriting(ctx context.Context, tx store.Tx, w store.Writing) error {
	return a.enqueue(ctx, tx, queued{kind: "writing", table: "writings", production: w.ProductionID, id: w.ID})
}

// Steps that can be taken with what is in the list of what is being made.
const (
	StepHold   = "hold"   // keep it from being made; of what is under way nothing is left, and it begins anew
	StepNext   = "next"   // make it before everything of its kind that waits
	StepCancel = "cancel" // end it; nothing of it is left
	StepRetry  = "retry"  // make what failed or was cancelled again, and let go what is held
)

// TakeStep takes a step with a delivery or a writing.
func (a *App) TakeStep(ctx context.Context, kind string, id uuid.UUID, step string) error {
	var was queued
	err := a.Store.InTx(ctx, func(tx store.Tx) (err error) {
		if was, err = lockQueued(ctx, tx, kind, id); err != nil {
			return err
		}
		switch step {
		case StepHold:
			if !underWay(was.state) {
				return snag.Refuse("under_way", "%s is %s: only what waits or is being made can be held", was.name, was.state)
			}
			err = was.move(ctx, tx, "held")
		case StepCancel:
			if was.state == "proven" || was.state == "cancelled" || was.state == "failed" && kind == "delivery" {
				return snag.Refuse("ended", "%s is %s already", was.name, was.state)
			}
			err = was.move(ctx, tx, "cancelled")
		case StepNext:
			if was.state != "waiting" && was.state != "held" {
				return snag.Refuse("under_way", "%s is %s: only what waits can be put elsewhere", was.name, was.state)
			}
			if was.state == "held" {
				if err = was.move(ctx, tx, "waiting"); err == nil {
					err = a.enqueue(ctx, tx, was)
				}
			}
			if err == nil {
				err = tx.Reorder(ctx, kind, []uuid.UUID{id}, true)
			}
		case StepRetry:
			if was.state != "failed" && was.state != "cancelled" && was.state != "held" {
				return snag.Refuse("not_ended", "%s is %s: only what failed, was cancelled or is held can be made again", was.name, was.state)
			}
			if err = was.move(ctx, tx, "waiting"); err == nil {
				err = a.enqueue(ctx, tx, was)
			}
		}
		if err != nil {
			return err
		}
		return was.changed(ctx, tx)
	})
	if err != nil || step == StepNext || step == StepRetry {
		return err
	}
	if was.job != nil && underWay(was.state) {
		if err := a.Queue.Cancel(ctx, *was.job); err != nil {
			return err
		}
	}
	if step == StepCancel && kind == "delivery" && (was.state == "waiting" || was.state == "held") {
		return a.Media.RemoveDelivery(id) // otherwise the worker, once stopped, clears up what it has written
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
		for kind, table := range map[string]string{"delivery": "deliveries", "writing": "writings"} {
			if len(of[kind]) == 0 {
				continue
			}
			if err := tx.Reorder(ctx, kind, of[kind], false); err != nil {
				return err
			}
			if err := publish(ctx, tx.Queries, Event{Production: production, Kind: table}); err != nil {
				return err
			}
		}
		return nil
	})
}
