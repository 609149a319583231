package jobs

import (
	"context"

	"github.com/google/uuid"

	"zestyloom/core/snag"
	"zestyloom/internal/app"
)

// Orders are made alike: what differs is done in app, by their kind.
var (
	deliver   = making(deliveryQueue, func(j app.DeliverJob) uuid.UUID { return j.Delivery })
	write     = making(writingQueue, func(j app.WriteJob) uuid.UUID { return j.Writing })
	makePrint = making(printQueue, func(j app.PrintJob) uuid.UUID { return j.Print })
)

// making is the work of the jobs that make the order that of names.
func making[T app.Job](queue string, of func(T) uuid.UUID) work[T] {
	return work[T]{
		queue: queue,
		do:    func(ctx context.Context, a *app.App, j T) error { return a.Make(ctx, of(j)) },
		refuse: func(ctx context.Context, a *app.App, j T, why *snag.Refusal) error {
			return a.FailOrder(ctx, of(j), why)
		},
	}
}
