package jobs

import (
	"context"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"
	"github.com/riverqueue/river"

	"zestyloom/core/snag"
	"zestyloom/internal/app"
)

// PrintArgs asks for a print to be made and laid.
type PrintArgs struct {
	Print uuid.UUID `json:"print"`
}

// Kind implements river.JobArgs.
func (PrintArgs) Kind() string { return "print" }

// Print enqueues the making of a print.
func (q *Queue) Print(ctx context.Context, tx pgx.Tx, print uuid.UUID) (int64, error) {
	return insert(q.client.InsertTx(ctx, tx, PrintArgs{print}, &river.InsertOpts{Queue: printQueue}))
}

func makePrint(a *app.App) work[PrintArgs] {
	return work[PrintArgs]{
		do:     func(ctx context.Context, j PrintArgs) error { return a.Print(ctx, j.Print) },
		refuse: func(ctx context.Context, j PrintArgs, why *snag.Refusal) error { return a.FailPrint(ctx, j.Print, why) },
	}
}
