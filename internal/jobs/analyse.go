package jobs

import (
	"context"

	"zestyloom/core/snag"
	"zestyloom/internal/app"
)

var analyse = work[app.AnalyseJob]{
	queue: intakeQueue,
	do:    func(ctx context.Context, a *app.App, j app.AnalyseJob) error { return a.Analyse(ctx, j.File) },
	refuse: func(ctx context.Context, a *app.App, j app.AnalyseJob, why *snag.Refusal) error {
		return a.RefuseFile(ctx, j.File, why)
	},
}
