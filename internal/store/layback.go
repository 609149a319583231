package store

import (
	"context"
	"time"

	"github.com/google/uuid"

	"zestyloom/core/line"
	"zestyloom/core/snag"
)

// Layback is a row of laybacks.
type Layback struct {
	ID           uuid.UUID
	ProductionID uuid.UUID
	ReelID       uuid.UUID
	FromAt, ToAt int64
	Outputs      []int
	Names        []string
	State        string
	Report       *line.Report
	ErrorCode    string
	ErrorMessage string
	BeganAt      time.Time
}

const laybackColumns = `id, production_id, reel_id, from_at, to_at, outputs, names, state, report, error_code, error_message, began_at`

// InsertLayback adds one.
func (q Queries) InsertLayback(ctx context.Context, l Layback) error {
	return q.exec(ctx, `INSERT INTO laybacks (id, production_id, reel_id, from_at, to_at, outputs, names, state) VALUES ($1, $2, $3, $4, $5, $6, $7, $8)`,
		l.ID, l.ProductionID, l.ReelID, l.FromAt, l.ToAt, l.Outputs, l.Names, l.State)
}

// MoveLayback moves one on that has not ended. why is why it failed, or nil.
func (q Queries) MoveLayback(ctx context.Context, id uuid.UUID, state string, report *line.Report, why *snag.Refusal) error {
	if why == nil {
		why = &snag.Refusal{}
	}
	return q.exec(ctx, `UPDATE laybacks SET state = $2, report = coalesce($3, report), error_code = $4, error_message = $5 WHERE id = $1 AND state IN ('playing', 'comparing')`,
		id, state, report, why.Code, why.Message)
}

// StopLaybacks ends those that a process which is gone has left under way.
func (q Queries) StopLaybacks(ctx context.Context, why *snag.Refusal) error {
	_, err := q.db.Exec(ctx, `UPDATE laybacks SET state = 'stopped', error_code = $1, error_message = $2 WHERE state IN ('playing', 'comparing')`, why.Code, why.Message)
	return err
}

// mostLaybacks is how many of a reel's are listed.
const mostLaybacks = 50

// Laybacks lists the newest of a reel.
func (q Queries) Laybacks(ctx context.Context, reel uuid.UUID) ([]Layback, error) {
	return many[Layback](ctx, q, `SELECT `+laybackColumns+` FROM laybacks WHERE reel_id = $1 ORDER BY began_at DESC LIMIT $2`, reel, mostLaybacks)
}

// Layback finds one.
func (q Queries) Layback(ctx context.Context, id uuid.UUID) (Layback, error) {
	return one[Layback](ctx, q, `SELECT `+laybackColumns+` FROM laybacks WHERE id = $1`, id)
}
