package jobs

import (
	"context"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"
	"github.com/riverqueue/river"

	"zestyloom/core/snag"
	"zestyloom/internal/app"
)

// WriteArgs asks for a take to be written out.
type WriteArgs struct {
	Writing uuid.UUID `json:"writing"`
}

// Kind implements river.JobArgs.
func (WriteArgs) Kind() string { return "write" }

// Write enqueues the writing of a take.
func (q *Queue) Write(ctx context.Context, tx pgx.Tx, writing uuid.UUID) (int64, error) {
	return insert(q.client.InsertTx(ctx, tx, WriteArgs{writing}, &river.InsertOpts{Queue: writingQueue}))
}

func write(a *app.App) work[WriteArgs] {
	return work[WriteArgs]{
		do: func(ctx context.Context, j WriteArgs) error { return a.Write(ctx, j.Writing) },
		refuse: func(ctx context.Context, j WriteArgs, why *snag.Refusal) error {
			return a.FailWriting(ctx, j.Writing, why)
		},
	}
}
