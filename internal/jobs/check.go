package jobs

import (
	"context"

	"zestyloom/internal/app"
)

var check = work[app.CheckJob]{
	queue: intakeQueue,
	do:    func(ctx context.Context, a *app.App, j app.CheckJob) error { return a.Check(ctx, j.File) },
}
