package jobs

import (
	"context"
	"time"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"
	"github.com/riverqueue/river"

	"zestyloom/internal/app"
)

// RelateArgs asks for the members of a take to be compared.
type RelateArgs struct {
	Take uuid.UUID `json:"take"`
}

// Kind implements river.JobArgs.
func (RelateArgs) Kind() string { return "relate" }

// relateAfter is how long the comparison of a set waits: its files mostly arrive together.
const relateAfter = 2 * time.Second

// Relate enqueues the comparison of the members of a take.
func (q *Queue) Relate(ctx context.Context, tx pgx.Tx, take uuid.UUID) (int64, error) {
	return insert(q.client.InsertTx(ctx, tx, RelateArgs{take}, &river.InsertOpts{Queue: intakeQueue, ScheduledAt: time.Now().Add(relateAfter)}))
}

func relate(a *app.App) work[RelateArgs] {
	return work[RelateArgs]{
		do: func(ctx context.Context, j RelateArgs) error { return a.Relate(ctx, j.Take) },
	}
}
