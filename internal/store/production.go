package store

import (
	"context"
	"time"

	"github.com/google/uuid"

	"zestyloom/core/order"
	"zestyloom/core/reel"
	"zestyloom/core/timecode"
)

// Production is a row of productions.
type Production struct {
	ID           uuid.UUID
	Name         string
	Episode      string
	SampleRate   int
	RateNum      int64
	RateDen      int64
	RateDrop     bool
	StartSamples int64
	Archived     bool       // kept, and out of the way
	Removal      *time.Time // when it goes for good; nil while nobody has removed it
}

// Rate is the production's timecode rate.
func (p Production) Rate() timecode.Rate {
	return timecode.Rate{Num: p.RateNum, Den: p.RateDen, Drop: p.RateDrop}
}

// As is the production with the timecode of one of its reels.
func (p Production) As(r reel.Reel) Production {
	rate := r.Counted(p.Rate())
	p.RateNum, p.RateDen, p.RateDrop = rate.Num, rate.Den, rate.Drop
	return p
}

const productionColumns = `id, name, episode, sample_rate, rate_num, rate_den, rate_drop, start_samples, archived, removal`

// Productions lists up to limit of them, newest first, from the one after a cursor on; the zero cursor begins.
func (q Queries) Productions(ctx context.Context, after uuid.UUID, limit int) ([]Production, error) {
	return many[Production](ctx, q, `SELECT `+productionColumns+` FROM productions WHERE $1 = '00000000-0000-0000-0000-000000000000'::uuid OR id < $1 ORDER BY id DESC LIMIT $2`, after, limit)
}

// SetArchived puts a production out of the way, or back.
func (q Queries) SetArchived(ctx context.Context, id uuid.UUID, archived bool) error {
	return q.exec(ctx, `UPDATE productions SET archived = $2 WHERE id = $1`, id, archived)
}

// SetRemoval says when a production goes for good; nil takes that back.
func (q Queries) SetRemoval(ctx context.Context, id uuid.UUID, at *time.Time) error {
	return q.exec(ctx, `UPDATE productions SET removal = $2 WHERE id = $1`, id, at)
}

// DueForRemoval lists the productions whose time has come.
func (q Queries) DueForRemoval(ctx context.Context, now time.Time) ([]Production, error) {
	return many[Production](ctx, q, `SELECT `+productionColumns+` FROM productions WHERE removal <= $1 ORDER BY id`, now)
}

// Belonging is something that a production has outside of the database.
type Belonging struct {
	ID    uuid.UUID
	Kind  order.Kind // empty for a file
	JobID *int64     // that works on it
}

// Belongings finds them.
func (q Queries) Belongings(ctx context.Context, production uuid.UUID) ([]Belonging, error) {
	return many[Belonging](ctx, q, `SELECT id, '' AS kind, job_id FROM files WHERE production_id = $1 UNION ALL SELECT id, kind, job_id FROM orders WHERE production_id = $1`, production)
}

// DeleteProduction removes a production and all that belongs to it.
func (q Queries) DeleteProduction(ctx context.Context, id uuid.UUID) error {
	for _, table := range []string{"clocks", "declined", "watches", "hash_lists", "orders", "laybacks", "edits", "reels", "label_templates", "suggestions", "syncs"} {
		if _, err := q.db.Exec(ctx, `DELETE FROM `+table+` WHERE production_id = $1`, id); err != nil {
			return err
		}
	}
	for _, sql := range []string{
		`DELETE FROM strands WHERE take_id IN (SELECT id FROM takes WHERE production_id = $1)`,
		`DELETE FROM takes WHERE production_id = $1`,
		`DELETE FROM files WHERE production_id = $1`,
	} {
		if _, err := q.db.Exec(ctx, sql, id); err != nil {
			return err
		}
	}
	return q.exec(ctx, `DELETE FROM productions WHERE id = $1`, id)
}

// Production finds one.
func (q Queries) Production(ctx context.Context, id uuid.UUID) (Production, error) {
	return one[Production](ctx, q, `SELECT `+productionColumns+` FROM productions WHERE id = $1`, id)
}

// LockProduction finds one and keeps others from changing what belongs to it until the
// transaction ends.
func (q Queries) LockProduction(ctx context.Context, id uuid.UUID) (Production, error) {
	p, err := one[Production](ctx, q, `SELECT `+productionColumns+` FROM productions WHERE id = $1 FOR UPDATE`, id)
	if q.touched != nil && q.touched.locked.IsZero() {
		q.touched.locked = time.Now()
	}
	return p, err
}

// InsertProduction adds one.
func (q Queries) InsertProduction(ctx context.Context, p Production) error {
	return q.exec(ctx, `INSERT INTO productions (`+productionColumns+`) VALUES ($1, $2, $3, $4, $5, $6, $7, $8, $9, $10)`,
		p.ID, p.Name, p.Episode, p.SampleRate, p.RateNum, p.RateDen, p.RateDrop, p.StartSamples, p.Archived, p.Removal)
}
