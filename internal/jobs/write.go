package jobs

import (
	"context"

	"zestyloom/core/snag"
	"zestyloom/internal/app"
)

var write = work[app.WriteJob]{
	queue: writingQueue,
	do:    func(ctx context.Context, a *app.App, j app.WriteJob) error { return a.Make(ctx, j.Writing) },
	refuse: func(ctx context.Context, a *app.App, j app.WriteJob, why *snag.Refusal) error {
		return a.FailOrder(ctx, j.Writing, why)
	},
}
