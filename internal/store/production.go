package store

import (
	"context"

	"github.com/google/uuid"

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
}

// Rate is the production's timecode rate.
func (p Production) Rate() timecode.Rate {
	return timecode.Rate{Num: p.RateNum, Den: p.RateDen, Drop: p.RateDrop}
}

const productionColumns = `id, name, episode, sample_rate, rate_num, rate_den, rate_drop, start_samples`

// Productions lists all, newest first.
func (q Queries) Productions(ctx context.Context) ([]Production, error) {
	return many[Production](ctx, q, `SELECT `+productionColumns+` FROM productions ORDER BY id DESC`)
}

// Production finds one.
func (q Queries) Production(ctx context.Context, id uuid.UUID) (Production, error) {
	return one[Production](ctx, q, `SELECT `+productionColumns+` FROM productions WHERE id = $1`, id)
}

// LockProduction finds one and keeps others from changing what belongs to it until the
// transaction ends.
func (q Queries) LockProduction(ctx context.Context, id uuid.UUID) (Production, error) {
	return one[Production](ctx, q, `SELECT `+productionColumns+` FROM productions WHERE id = $1 FOR UPDATE`, id)
}

// InsertProduction adds one.
func (q Queries) InsertProduction(ctx context.Context, p Production) error {
	return q.exec(ctx, `INSERT INTO productions (`+productionColumns+`) VALUES ($1, $2, $3, $4, $5, $6, $7, $8)`,
		p.ID, p.Name, p.Episode, p.SampleRate, p.RateNum, p.RateDen, p.RateDrop, p.StartSamples)
}
