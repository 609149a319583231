package store

import (
	"context"

	"github.com/google/uuid"

	"zestyloom/core/sync"
)

// Sync is a row of syncs: a take that is lined up with another, which stays where it is.
type Sync struct {
	ID           uuid.UUID
	ProductionID uuid.UUID
	RefTake      uuid.UUID
	Take         uuid.UUID
	Why          string
	State        string // proposed, aligning, aligned, doubtful, none, failed, accepted or refused
	Body         sync.Alignment
	ErrorMessage string
}

const syncColumns = `id, production_id, ref_take, take, why, state, body, error_message`

// Syncs lists a production's.
func (q Queries) Syncs(ctx context.Context, production uuid.UUID) ([]Sync, error) {
	return many[Sync](ctx, q, `SELECT `+syncColumns+` FROM syncs WHERE production_id = $1 ORDER BY id`, production)
}

// Sync finds one.
func (q Queries) Sync(ctx context.Context, id uuid.UUID) (Sync, error) {
	return one[Sync](ctx, q, `SELECT `+syncColumns+` FROM syncs WHERE id = $1`, id)
}

// ProposeSync adds a pair, unless it is there. added says which.
func (q Queries) ProposeSync(ctx context.Context, s Sync) (added bool, err error) {
	tag, err := q.db.Exec(ctx, `INSERT INTO syncs (id, production_id, ref_take, take, why, state) VALUES ($1, $2, $3, $4, $5, 'proposed') ON CONFLICT DO NOTHING`,
		s.ID, s.ProductionID, s.RefTake, s.Take, s.Why)
	return err == nil && tag.RowsAffected() == 1, err
}

// SaveSync stores how far a pair is.
func (q Queries) SaveSync(ctx context.Context, s Sync) error {
	return q.exec(ctx, `UPDATE syncs SET state = $2, body = $3, error_message = $4 WHERE id = $1`, s.ID, s.State, s.Body, s.ErrorMessage)
}

// MoveSync changes what was decided about a pair.
func (q Queries) MoveSync(ctx context.Context, id uuid.UUID, state string) error {
	return q.exec(ctx, `UPDATE syncs SET state = $2 WHERE id = $1`, id, state)
}
