package jobs

import (
	"context"

	"zestyloom/core/snag"
	"zestyloom/internal/app"
)

var deliver = work[app.DeliverJob]{
	queue: deliveryQueue,
	do:    func(ctx context.Context, a *app.App, j app.DeliverJob) error { return a.Deliver(ctx, j.Delivery) },
	refuse: func(ctx context.Context, a *app.App, j app.DeliverJob, why *snag.Refusal) error {
		return a.FailDelivery(ctx, j.Delivery, why)
	},
}
