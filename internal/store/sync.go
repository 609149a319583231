package store

import (
	"context"

	"github.com/google/uuid"

	"zestyloom/core/align"
)

// Sync is a row of syncs: a take that is lined up with another, which stays where it is.
type Sync struct {
	ID           uuid.UUID
	ProductionID uuid.UUID
	RefTake      uuid.UUID
	Take         uuid.UUID
	Why          string
	State        string // proposed, aligning, aligned, doubtful, none, failed, accepted or refused
	Body         align.Alignment
	Nudge        int64      // samples of the reference, by hand, on top of Body's offset
	RefStrand    *uuid.UUID // that agree best: to be looked at and listened to
	TakeStrand   *uuid.UUID
	ErrorMessage string
}

const syncColumns = `id, production_id, ref_take, take, why, state, body, nudge, ref_strand, take_strand, error_message`

// Syncs lists a production's.
func (q Queries) Syncs(ctx context.Context, production uuid.UUID) ([]Sync, error) {
	return many[Sync](ctx, q, `SELECT `+syncColumns+` FROM syncs WHERE production_id = $1 ORDER BY id`, production)
}

// SyncPage lists up to limit of them, from the one after a cursor on; the zero cursor begins.
func (q Queries) SyncPage(ctx context.Context, production, after uuid.UUID, limit int) ([]Sync, error) {
	return many[Sync](ctx, q, `SELECT `+syncColumns+` FROM syncs WHERE production_id = $1 AND id > $2 ORDER BY id LIMIT $3`, production, after, limit)
}

// SyncsOf finds some of a production's.
func (q Queries) SyncsOf(ctx context.Context, production uuid.UUID, ids []uuid.UUID) ([]Sync, error) {
	return many[Sync](ctx, q, `SELECT `+syncColumns+` FROM syncs WHERE production_id = $1 AND id = ANY($2) ORDER BY id`, production, ids)
}

// Sync finds one.
func (q Queries) Sync(ctx context.Context, id uuid.UUID) (Sync, error) {
	return one[Sync](ctx, q, `SELECT `+syncColumns+` FROM syncs WHERE id = $1`, id)
}

// ProposeSync adds a pair, unless it is there. added says which.
func (q Queries) ProposeSync(ctx context.Context, s Sync) (added bool, err error) {
	q.touch(s.Take)
	tag, err := q.db.Exec(ctx, `INSERT INTO syncs (id, production_id, ref_take, take, why, state) VALUES ($1, $2, $3, $4, $5, 'proposed') ON CONFLICT DO NOTHING`,
		s.ID, s.ProductionID, s.RefTake, s.Take, s.Why)
	return err == nil && tag.RowsAffected() == 1, err
}

// SaveSync stores how far a pair is.
func (q Queries) SaveSync(ctx context.Context, s Sync) error {
	q.touch(s.Take)
	return q.exec(ctx, `UPDATE syncs SET state = $2, body = $3, nudge = $4, ref_strand = $5, take_strand = $6, error_message = $7 WHERE id = $1`,
		s.ID, s.State, s.Body, s.Nudge, s.RefStrand, s.TakeStrand, s.ErrorMessage)
}

// NudgeSync moves a pair by hand.
func (q Queries) NudgeSync(ctx context.Context, id uuid.UUID, samples int64) error {
	return q.exec(ctx, `UPDATE syncs SET nudge = $2 WHERE id = $1`, id, samples)
}

// MoveSync changes what was decided about a pair.
func (q Queries) MoveSync(ctx context.Context, id uuid.UUID, state string) error {
	return q.touching(ctx, `UPDATE syncs SET state = $2 WHERE id = $1 RETURNING take`, id, state)
}

// Clock is a row of clocks: a camera's on a day, and by how much it was behind.
type Clock struct {
	ProductionID uuid.UUID
	Camera       string
	Day          string
	Late         int64 // samples
	Rate         int   // of this rate in Hz
}

// Clocks lists those of a production that are known to have been off.
func (q Queries) Clocks(ctx context.Context, production uuid.UUID) ([]Clock, error) {
	return many[Clock](ctx, q, `SELECT production_id, camera, day, late, rate FROM clocks WHERE production_id = $1 ORDER BY day, camera`, production)
}

// SetClock stores by how much a camera's clock was behind on a day; 0 forgets it.
func (q Queries) SetClock(ctx context.Context, c Clock) error {
	if c.Late == 0 {
		_, err := q.db.Exec(ctx, `DELETE FROM clocks WHERE production_id = $1 AND camera = $2 AND day = $3`, c.ProductionID, c.Camera, c.Day)
		return err
	}
	_, err := q.db.Exec(ctx, `INSERT INTO clocks (production_id, camera, day, late, rate) VALUES ($1, $2, $3, $4, $5)
		ON CONFLICT (production_id, camera, day) DO UPDATE SET late = $4, rate = $5`, c.ProductionID, c.Camera, c.Day, c.Late, c.Rate)
	return err
}
