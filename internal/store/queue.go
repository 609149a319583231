package store

import (
	"context"

	"github.com/jackc/pgx/v5/pgxpool"
)

// Workers hold an advisory lock for as long as they live: the database lets go of it the moment a
// worker's process dies, however it dies, and so knows at once whose jobs are orphaned.
const workerClass = 0x5A4C

// HoldWorker marks a worker as alive until release is called or the process ends.
func (s *Store) HoldWorker(ctx context.Context, worker string) (release func(), err error) {
	c, err := s.Pool.Acquire(ctx)
	if err != nil {
		return nil, err
	}
	if _, err := c.Exec(ctx, `SELECT pg_advisory_lock($1, hashtext($2))`, workerClass, worker); err != nil {
		c.Release()
		return nil, err
	}
	return func() { releaseHeld(c) }, nil
}

func releaseHeld(c *pgxpool.Conn) { _ = c.Hijack().Close(context.Background()) }

// FreeOrphans makes jobs of workers that are dead available again, and returns how many.
func (q Queries) FreeOrphans(ctx context.Context) (int64, error) {
	tag, err := q.db.Exec(ctx, `
		UPDATE river_job j SET state = 'available', scheduled_at = now(), max_attempts = greatest(max_attempts, attempt + 1)
		WHERE state = 'running' AND NOT EXISTS (
			SELECT FROM pg_locks l
			WHERE l.locktype = 'advisory' AND l.granted AND l.objsubid = 2 AND l.classid = $1::bigint::oid
			  AND l.database = (SELECT oid FROM pg_database WHERE datname = current_database())
			  AND l.objid = (hashtext(j.attempted_by[array_upper(j.attempted_by, 1)])::bigint & 4294967295)::oid)`, workerClass)
	return tag.RowsAffected(), err
}

// QueueUsable reports whether the job queue's tables are there and can be read.
func (q Queries) QueueUsable(ctx context.Context) error {
	_, err := q.db.Exec(ctx, `SELECT 1 FROM river_job LIMIT 1`)
	return err
}
