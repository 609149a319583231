package store

import (
	"context"
	"time"

	"github.com/google/uuid"

	"zestyloom/core/printing"
	"zestyloom/core/snag"
)

// Print is a row of prints.
type Print struct {
	ID           uuid.UUID
	ProductionID uuid.UUID
	ReelID       uuid.UUID
	Body         printing.Print
	Session      string
	State        string
	ErrorCode    string
	ErrorMessage string
	FileID       *uuid.UUID // what it became
	JobID        *int64
	Attempt      *uuid.UUID
	BeganAt      *time.Time
}

const printColumns = `id, production_id, reel_id, body, session, state, error_code, error_message, file_id, job_id, attempt, began_at`

// Print finds one.
func (q Queries) Print(ctx context.Context, id uuid.UUID) (Print, error) {
	return one[Print](ctx, q, `SELECT `+printColumns+` FROM prints WHERE id = $1`, id)
}

// LockPrint finds one and keeps others from changing it until the transaction ends.
func (q Queries) LockPrint(ctx context.Context, id uuid.UUID) (Print, error) {
	return one[Print](ctx, q, `SELECT `+printColumns+` FROM prints WHERE id = $1 FOR UPDATE`, id)
}

// InsertPrint adds one.
func (q Queries) InsertPrint(ctx context.Context, p Print) error {
	return q.exec(ctx, `INSERT INTO prints (id, production_id, reel_id, body, session, state) VALUES ($1, $2, $3, $4, $5, $6)`, p.ID, p.ProductionID, p.ReelID, p.Body, p.Session, p.State)
}

// SetPrintJob remembers the job that makes it.
func (q Queries) SetPrintJob(ctx context.Context, id uuid.UUID, job int64) error {
	return q.exec(ctx, `UPDATE prints SET job_id = $2 WHERE id = $1`, id, job)
}

// BeginPrint makes an attempt the one that counts, unless it has ended.
func (q Queries) BeginPrint(ctx context.Context, id, attempt uuid.UUID) error {
	return q.exec(ctx, `UPDATE prints SET state = 'rendering', attempt = $2, began_at = now(), error_code = '', error_message = '' WHERE id = $1 AND state IN ('waiting', 'rendering', 'proving')`, id, attempt)
}

// StepPrint moves an attempt on, while it is the one that counts. file is what it became, or nil; r is why it failed, or nil.
func (q Queries) StepPrint(ctx context.Context, id, attempt uuid.UUID, state string, file *uuid.UUID, r *snag.Refusal) error {
	if r == nil {
		r = &snag.Refusal{}
	}
	return q.exec(ctx, `UPDATE prints SET state = $3, file_id = coalesce($4, file_id), error_code = $5, error_message = $6
		WHERE id = $1 AND attempt = $2 AND state IN ('rendering', 'proving')`, id, attempt, state, file, r.Code, r.Message)
}

// MovePrint moves one on unless it is cancelled. r is why it failed, or nil.
func (q Queries) MovePrint(ctx context.Context, id uuid.UUID, state string, r *snag.Refusal) error {
	if r == nil {
		r = &snag.Refusal{}
	}
	return q.exec(ctx, `UPDATE prints SET state = $2, error_code = $3, error_message = $4 WHERE id = $1 AND (state <> 'cancelled' OR $2 = 'waiting')`, id, state, r.Code, r.Message)
}

// PrintOf finds the print that a file is, where it is one.
func (q Queries) PrintOf(ctx context.Context, file uuid.UUID) (Print, error) {
	return one[Print](ctx, q, `SELECT `+printColumns+` FROM prints WHERE file_id = $1 LIMIT 1`, file)
}
