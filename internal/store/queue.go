package store

import (
	"context"
	"errors"
	"time"

	"github.com/jackc/pgx/v5"
)

// Workers hold an advisory lock for as long as they live: the database lets go of it the moment a
// worker's process dies, however it dies, and so knows at once whose jobs are orphaned.
const workerClass = 0x5A4C

// How a held lock is watched. A session that does not answer is given up: the database may have let go of it.
const (
	watchEvery  = time.Second
	watchAnswer = 5 * time.Second
)

// ErrLost says that a worker's session ended, and with it its lock.
var ErrLost = errors.New("the session that held the worker's lock has ended")

// HoldWorker marks a worker as alive until release is called or the process ends. The context it gives ends with the
// cause ErrLost when the database no longer holds the lock: others count the worker as dead from then on.
func (s *Store) HoldWorker(ctx context.Context, worker string) (held context.Context, release func(), err error) {
	c, err := s.own(ctx)
	if err != nil {
		return nil, nil, Tag(err)
	}
	if _, err := c.Exec(ctx, `SELECT pg_advisory_lock($1, hashtext($2))`, workerClass, worker); err != nil {
		releaseHeld(c)
		return nil, nil, Tag(err)
	}
	held, lose := context.WithCancelCause(ctx)
	over := make(chan struct{})
	go func() {
		defer close(over)
		for {
			select {
			case <-held.Done():
				return
			case <-time.After(watchEvery):
			}
			ask, cancel := context.WithTimeout(held, watchAnswer)
			_, err := c.Exec(ask, `SELECT 1`)
			cancel()
			if err != nil && held.Err() == nil {
				lose(ErrLost)
				return
			}
		}
	}()
	return held, func() {
		lose(context.Canceled)
		<-over
		releaseHeld(c)
	}, nil
}

func releaseHeld(c *pgx.Conn) {
	ctx, cancel := context.WithTimeout(context.Background(), watchAnswer)
	defer cancel()
	_ = c.Close(ctx)
}

// FreeOrphans makes jobs of workers that are dead available again, and returns how many. It is counted in a job how
// many of its workers have died over it, but for those named as alive: they have lost their lock only.
func (q Queries) FreeOrphans(ctx context.Context, alive []string) (int64, error) {
	if alive == nil {
		alive = []string{}
	}
	tag, err := q.db.Exec(ctx, `
		UPDATE river_job j SET state = 'available', scheduled_at = now(), max_attempts = greatest(max_attempts, attempt + 1),
			metadata = CASE WHEN j.attempted_by[array_upper(j.attempted_by, 1)] = ANY($2::text[]) THEN metadata
				ELSE jsonb_set(metadata, '{deaths}', to_jsonb(coalesce((metadata->>'deaths')::int, 0) + 1)) END
		WHERE id IN (SELECT o.id FROM river_job o WHERE o.state = 'running' AND NOT EXISTS (
			SELECT FROM pg_locks l
			WHERE l.locktype = 'advisory' AND l.granted AND l.objsubid = 2 AND l.classid = $1::bigint::oid
			  AND l.database = (SELECT oid FROM pg_database WHERE datname = current_database())
			  AND l.objid = (hashtext(o.attempted_by[array_upper(o.attempted_by, 1)])::bigint & 4294967295)::oid)
			ORDER BY o.id FOR UPDATE SKIP LOCKED)`, workerClass, alive)
	return tag.RowsAffected(), err
}

// mostDelay is more than any job is ever put off.
const mostDelay = 2 * time.Minute

// HurryJobs makes jobs due that are put off further than anything is: the clock stood otherwise when that was done.
func (q Queries) HurryJobs(ctx context.Context) (int64, error) {
	done, err := q.db.Exec(ctx, `UPDATE river_job SET scheduled_at = now() WHERE id IN (SELECT id FROM river_job
		WHERE state IN ('available', 'scheduled', 'retryable') AND scheduled_at > now() + $1::interval ORDER BY id FOR UPDATE SKIP LOCKED)`, mostDelay)
	return done.RowsAffected(), err
}

// LockQueue keeps others from changing what waits, and its order, until the transaction ends. Whoever does both, rows of what
// is made and of their jobs, takes it first: there is no order of rows that all of them could keep to.
func (t Tx) LockQueue(ctx context.Context) error {
	_, err := t.Tx.Exec(ctx, `SELECT pg_advisory_xact_lock($1, 1)`, workerClass)
	return Tag(err)
}

// QueueUsable reports whether the job queue's tables are there and can be read.
func (q Queries) QueueUsable(ctx context.Context) error {
	_, err := q.db.Exec(ctx, `SELECT 1 FROM river_job LIMIT 1`)
	return err
}
