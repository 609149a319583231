package jobs

import (
	"context"

	"zestyloom/core/snag"
	"zestyloom/internal/app"
)

var align = work[app.AlignJob]{
	queue: alignQueue,
	do:    func(ctx context.Context, a *app.App, j app.AlignJob) error { return a.Align(ctx, j.Pair) },
	refuse: func(ctx context.Context, a *app.App, j app.AlignJob, why *snag.Refusal) error {
		return a.FailSync(ctx, j.Pair, why)
	},
}
