package jobs

import (
	"context"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"
	"github.com/riverqueue/river"

	"zestyloom/internal/app"
)

// CheckArgs asks for a file to be compared with hash lists.
type CheckArgs struct {
	File uuid.UUID `json:"file"`
}

// Kind implements river.JobArgs.
func (CheckArgs) Kind() string { return "check" }

// Check enqueues the comparison of a file with hash lists.
func (q *Queue) Check(ctx context.Context, tx pgx.Tx, file uuid.UUID) (int64, error) {
	return insert(q.client.InsertTx(ctx, tx, CheckArgs{file}, &river.InsertOpts{Queue: intakeQueue}))
}

func check(a *app.App) work[CheckArgs] {
	return work[CheckArgs]{
		do: func(ctx context.Context, j CheckArgs) error { return a.Check(ctx, j.File) },
	}
}
