package jobs

import (
	"context"

	"zestyloom/core/snag"
	"zestyloom/internal/app"
)

var deliver = work[app.DeliverJob]{
	queue: deliveryQueue,
	do:    func(ctx context.Context, a *app.App, j app.DeliverJob) error { return a.Make(ctx, j.Delivery) },
	refuse: func(ctx context.Context, a *app.App, j app.DeliverJob, why *snag.Refusal) error {
		return a.FailOrder(ctx, j.Delivery, why)
	},
}
