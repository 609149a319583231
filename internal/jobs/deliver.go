package jobs

import (
	"context"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"
	"github.com/riverqueue/river"

	"zestyloom/core/snag"
	"zestyloom/internal/app"
)

// DeliverArgs asks for the making of a delivery.
type DeliverArgs struct {
	Delivery uuid.UUID `json:"delivery"`
}

// Kind implements river.JobArgs.
func (DeliverArgs) Kind() string { return "deliver" }

// Deliver enqueues the making of a delivery.
func (q *Queue) Deliver(ctx context.Context, tx pgx.Tx, delivery uuid.UUID) (int64, error) {
	return insert(q.client.InsertTx(ctx, tx, DeliverArgs{delivery}, &river.InsertOpts{Queue: deliveryQueue}))
}

func deliver(a *app.App) work[DeliverArgs] {
	return work[DeliverArgs]{
		do: func(ctx context.Context, j DeliverArgs) error { return a.Deliver(ctx, j.Delivery) },
		refuse: func(ctx context.Context, j DeliverArgs, why *snag.Refusal) error {
			return a.FailDelivery(ctx, j.Delivery, why)
		},
	}
}
