package store

import (
	"context"
	"fmt"
	"slices"
	"time"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"
)

// Making is something that is made in the background and waited for: a delivery, a take written out as files, or a print.
type Making struct {
	ID           uuid.UUID
	Kind         string // delivery, writing or print
	State        string // waiting, held, rendering, writing, proving, laying or failed
	Name         string // of the spec, of the take, or of what is printed
	Says         string // of the reel, how the take is packed, or the tracks that are printed
	Test         bool
	Version      int
	Frames       int64
	SampleRate   int
	ErrorCode    string
	ErrorMessage string
	BeganAt      *time.Time
}

// making are the kinds of what is in the list of what is being made. Their tables have the number of the job that works on
// a row; the job's argument of that name has the row's ID.
var making = []struct{ kind, table string }{{"delivery", "deliveries"}, {"writing", "writings"}, {"print", "prints"}}

func tableOf(kind string) (string, error) {
	for _, m := range making {
		if m.kind == kind {
			return pgx.Identifier{m.table}.Sanitize(), nil
		}
	}
	return "", fmt.Errorf("%q is no kind of what is made", kind)
}

// Makings lists what a production has under way, what waits in the order in which it will be made, what is held, and takes
// and prints that failed. Deliveries that failed are in their own list.
func (q Queries) Makings(ctx context.Context, production uuid.UUID) ([]Making, error) {
	return many[Making](ctx, q, `
		WITH m AS (
			SELECT id, 'delivery' AS kind, state, plan->'order'->'spec'->>'name' AS name, plan->'order'->'titles'->>'reel' AS says, test, version,
				(plan->>'frames')::bigint AS frames, (plan->'rates'->>'files')::int AS sample_rate, error_code, error_message, began_at, job_id
			FROM deliveries WHERE production_id = $1 AND state IN ('waiting', 'held', 'rendering', 'proving')
			UNION ALL
			SELECT id, 'writing', state, take_name, body->>'packing', false, 0, (body->>'frames')::bigint, 0, error_code, error_message, NULL, job_id
			FROM writings WHERE production_id = $1 AND state IN ('waiting', 'held', 'writing', 'proving', 'failed')
			UNION ALL
			SELECT id, 'print', state, body->>'name', (SELECT string_agg(t, ', ') FROM jsonb_array_elements_text(body->'of') t), false, 0, (body->'plan'->>'frames')::bigint,
				(body->'plan'->'rates'->>'files')::int, error_code, error_message, began_at, job_id
			FROM prints WHERE production_id = $1 AND state NOT IN ('proven', 'cancelled'))
		SELECT m.id, m.kind, m.state, coalesce(m.name, '') AS name, coalesce(m.says, '') AS says, m.test, m.version, coalesce(m.frames, 0) AS frames,
			coalesce(m.sample_rate, 0) AS sample_rate, m.error_code, m.error_message, m.began_at
		FROM m LEFT JOIN river_job j ON j.id = m.job_id
		ORDER BY CASE m.state WHEN 'waiting' THEN 1 WHEN 'held' THEN 2 WHEN 'failed' THEN 3 ELSE 0 END, j.priority, j.scheduled_at, j.id, m.id`, production)
}

// Reorder has what waits made in the order of ids: they change places among each other, and nothing else moves. With first
// they come before everything of their kind that waits. What does not wait any more is left out.
func (q Queries) Reorder(ctx context.Context, kind string, ids []uuid.UUID, first bool) error {
	table, err := tableOf(kind)
	if err != nil {
		return err
	}
	// A worker that takes a job just now has its row locked: it is waited for, and then the job is no longer available.
	type slot struct {
		ID  uuid.UUID
		Job int64
	}
	slots, err := many[slot](ctx, q, `SELECT r.id, j.id AS job FROM `+table+` r JOIN river_job j ON j.id = r.job_id
		WHERE ($2 OR r.id = ANY($1)) AND r.state = 'waiting' AND j.state IN ('available', 'scheduled', 'retryable')
		ORDER BY j.priority, j.scheduled_at, j.id FOR UPDATE OF j`, ids, first)
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
	if err := q.exec(ctx, `UPDATE river_job j SET args = jsonb_build_object($3::text, v.id) FROM unnest($1::bigint[], $2::uuid[]) AS v(job, id) WHERE j.id = v.job`, jobs, rows, kind); err != nil {
		return err
	}
	return q.exec(ctx, `UPDATE `+table+` r SET job_id = v.job FROM unnest($1::bigint[], $2::uuid[]) AS v(job, id) WHERE r.id = v.id`, jobs, rows)
}
