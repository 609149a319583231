package jobs

import (
	"context"
	"time"

	"zestyloom/internal/app"
)

// relateAfter is how long the comparison of a set waits: its files mostly arrive together.
const relateAfter = 2 * time.Second

var relate = work[app.RelateJob]{
	queue: intakeQueue,
	after: relateAfter,
	do:    func(ctx context.Context, a *app.App, j app.RelateJob) error { return a.Relate(ctx, j.Take) },
}
