package jobs

import (
	"context"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"
	"github.com/riverqueue/river"

	"zestyloom/core/snag"
	"zestyloom/internal/app"
)

// AnalyseArgs asks for the analysis of a file.
type AnalyseArgs struct {
	File uuid.UUID `json:"file"`
}

// Kind implements river.JobArgs.
func (AnalyseArgs) Kind() string { return "analyse" }

// Analyse enqueues the analysis of a file.
func (q *Queue) Analyse(ctx context.Context, tx pgx.Tx, file uuid.UUID) (int64, error) {
	return insert(q.client.InsertTx(ctx, tx, AnalyseArgs{file}, &river.InsertOpts{Queue: intakeQueue}))
}

func analyse(a *app.App) work[AnalyseArgs] {
	return work[AnalyseArgs]{
		do: func(ctx context.Context, j AnalyseArgs) error { return a.Analyse(ctx, j.File) },
		refuse: func(ctx context.Context, j AnalyseArgs, why *snag.Refusal) error {
			return a.RefuseFile(ctx, j.File, why)
		},
	}
}
