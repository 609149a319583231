package store

import (
	"context"
	"slices"
	"time"

	"github.com/google/uuid"

	"zestyloom/core/order"
)

// This file has all statements on the tables of River, the job queue: what its client has no method for. They are written for
// riverVersion, and a test holds them to the one that is used.
const riverVersion = "v0.51.1"

// unfinished are the orders that the queue shows: what is under way, waits or is held, and takes and prints that failed. Deliveries
// that failed are in their own list.
const unfinished = `FROM orders o LEFT JOIN river_job j ON j.id = o.job_id WHERE o.production_id = $1 AND o.state <> ALL($2) AND NOT (o.kind = $3 AND o.state = $4)`

// Unfinished lists a production's: what is under way, what waits in the order in which it will be made, what is held, and what failed.
func (q Queries) Unfinished(ctx context.Context, production uuid.UUID) ([]Order, error) {
	list, err := many[Order](ctx, q, `SELECT `+orderColumns+` `+unfinished+` ORDER BY j.priority, j.scheduled_at, j.id, o.id`,
		production, []order.State{order.Proven, order.Cancelled}, order.Delivery, order.Failed)
	last := []order.State{order.Waiting, order.Held, order.Failed}
	slices.SortStableFunc(list, func(a, b Order) int { return slices.Index(last, a.State) - slices.Index(last, b.State) })
	return list, err
}

// Reorder has what waits made in the order of ids: they change places among each other, and nothing else moves. With first
// they come before everything of their kind that waits. What does not wait any more is left out.
func (q Queries) Reorder(ctx context.Context, kind order.Kind, ids []uuid.UUID, first bool) error {
	// A worker that takes a job just now has its row locked: it is waited for, and then the job is no longer available.
	type slot struct {
		ID  uuid.UUID
		Job int64
	}
	slots, err := many[slot](ctx, q, `SELECT o.id, j.id AS job FROM orders o JOIN river_job j ON j.id = o.job_id
		WHERE o.kind = $3 AND ($2 OR o.id = ANY($1)) AND o.state = $4 AND j.state IN ('available', 'scheduled', 'retryable')
		ORDER BY j.priority, j.scheduled_at, j.id FOR UPDATE OF j`, ids, first, kind, order.Waiting)
	if err != nil {
		return err
	}
	place := func(id uuid.UUID) int {
		if i := slices.Index(ids, id); i >= 0 {
			return i
		}
		return len(ids)
	}
	wanted := slices.Clone(slots)
	slices.SortStableFunc(wanted, func(a, b slot) int { return place(a.ID) - place(b.ID) })
	var jobs []int64
	var rows []uuid.UUID
	for i, s := range slots {
		if wanted[i].ID != s.ID {
			jobs, rows = append(jobs, s.Job), append(rows, wanted[i].ID)
		}
	}
	if len(jobs) == 0 {
		return nil
	}
	// A job's argument has the name of the kind.
	if err := q.exec(ctx, `UPDATE river_job j SET args = jsonb_build_object($3::text, v.id) FROM unnest($1::bigint[], $2::uuid[]) AS v(job, id) WHERE j.id = v.job`, jobs, rows, kind); err != nil {
		return err
	}
	return q.exec(ctx, `UPDATE orders o SET job_id = v.job FROM unnest($1::bigint[], $2::uuid[]) AS v(job, id) WHERE o.id = v.id`, jobs, rows)
}

// LockQueue keeps others from changing what waits, and its order, until the transaction ends. Whoever does both, rows of what
// is made and of their jobs, takes it first: there is no order of rows that all of them could keep to.
func (t Tx) LockQueue(ctx context.Context) error {
	_, err := t.Tx.Exec(ctx, `SELECT pg_advisory_xact_lock($1, 1)`, workerClass)
	return Tag(err)
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

// QueueUsable reports whether the job queue's tables are there and can be read.
func (q Queries) QueueUsable(ctx context.Context) error {
	_, err := q.db.Exec(ctx, `SELECT 1 FROM river_job LIMIT 1`)
	return err
}
