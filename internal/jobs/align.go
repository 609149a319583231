package jobs

import (
	"context"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"
	"github.com/riverqueue/river"

	"zestyloom/core/snag"
	"zestyloom/internal/app"
)

// AlignArgs asks for a pair of takes to be lined up.
type AlignArgs struct {
	Pair uuid.UUID `json:"pair"`
}

// Kind implements river.JobArgs.
func (AlignArgs) Kind() string { return "align" }

// Align enqueues the comparison of a pair of takes.
func (q *Queue) Align(ctx context.Context, tx pgx.Tx, pair uuid.UUID) (int64, error) {
	return insert(q.client.InsertTx(ctx, tx, AlignArgs{pair}, &river.InsertOpts{Queue: alignQueue}))
}

func align(a *app.App) work[AlignArgs] {
	return work[AlignArgs]{
		do:     func(ctx context.Context, j AlignArgs) error { return a.Align(ctx, j.Pair) },
		refuse: func(ctx context.Context, j AlignArgs, why *snag.Refusal) error { return a.FailSync(ctx, j.Pair, why) },
	}
}
