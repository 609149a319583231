package jobs

import (
	"context"

	"zestyloom/core/snag"
	"zestyloom/internal/app"
)

var makePrint = work[app.PrintJob]{
	queue: printQueue,
	do:    func(ctx context.Context, a *app.App, j app.PrintJob) error { return a.Make(ctx, j.Print) },
	refuse: func(ctx context.Context, a *app.App, j app.PrintJob, why *snag.Refusal) error {
		return a.FailOrder(ctx, j.Print, why)
	},
}
