package store

import (
	"context"
	"time"

	"github.com/google/uuid"

	"zestyloom/core/delivery"
	"zestyloom/core/snag"
)

// Spec is a row of specs.
type Spec struct {
	ID   uuid.UUID
	Name string
	Body delivery.Spec
}

// Specs lists all by name.
func (q Queries) Specs(ctx context.Context) ([]Spec, error) {
	return many[Spec](ctx, q, `SELECT id, name, body FROM specs ORDER BY name`)
}

// Spec finds one.
func (q Queries) Spec(ctx context.Context, id uuid.UUID) (Spec, error) {
	return one[Spec](ctx, q, `SELECT id, name, body FROM specs WHERE id = $1`, id)
}

// EnsureSpec adds a spec unless one of its name is there.
func (q Queries) EnsureSpec(ctx context.Context, s delivery.Spec) error {
	_, err := q.db.Exec(ctx, `INSERT INTO specs (id, name, body) VALUES ($1, $2, $3) ON CONFLICT (name) DO NOTHING`, NewID(), s.Name, s)
	return err
}

// Delivery is a row of deliveries.
type Delivery struct {
	ID           uuid.UUID
	ProductionID uuid.UUID
	ReelID       uuid.UUID
	Plan         delivery.Plan
	State        string
	ErrorCode    string
	ErrorMessage string
	Clipped      int64
	Proof        *delivery.Proof
	JobID        *int64
	Attempt      *uuid.UUID // whose files count
	OrderedAt    time.Time
	FinishedAt   *time.Time
}

const deliveryColumns = `id, production_id, reel_id, plan, state, error_code, error_message, clipped, proof, job_id, attempt, ordered_at, finished_at`

// Delivery finds one.
func (q Queries) Delivery(ctx context.Context, id uuid.UUID) (Delivery, error) {
	return one[Delivery](ctx, q, `SELECT `+deliveryColumns+` FROM deliveries WHERE id = $1`, id)
}

// LockDelivery finds one and keeps others from changing it until the transaction ends.
func (q Queries) LockDelivery(ctx context.Context, id uuid.UUID) (Delivery, error) {
	return one[Delivery](ctx, q, `SELECT `+deliveryColumns+` FROM deliveries WHERE id = $1 FOR UPDATE`, id)
}

// Deliveries lists a production's newest, newest first.
func (q Queries) Deliveries(ctx context.Context, production uuid.UUID, limit int) ([]Delivery, error) {
	return many[Delivery](ctx, q, `SELECT `+deliveryColumns+` FROM deliveries WHERE production_id = $1 ORDER BY id DESC LIMIT $2`, production, limit)
}

// InsertDelivery adds one.
func (q Queries) InsertDelivery(ctx context.Context, d Delivery) error {
	return q.exec(ctx, `INSERT INTO deliveries (id, production_id, reel_id, plan, state) VALUES ($1, $2, $3, $4, $5)`, d.ID, d.ProductionID, d.ReelID, d.Plan, d.State)
}

// SetDeliveryJob remembers the job that makes a delivery.
func (q Queries) SetDeliveryJob(ctx context.Context, id uuid.UUID, job int64) error {
	return q.exec(ctx, `UPDATE deliveries SET job_id = $2 WHERE id = $1`, id, job)
}

// MoveDelivery puts a delivery into a state unless it is cancelled. r is why it failed, or nil.
func (q Queries) MoveDelivery(ctx context.Context, id uuid.UUID, state string, r *snag.Refusal) error {
	if r == nil {
		r = &snag.Refusal{}
	}
	return q.exec(ctx, `UPDATE deliveries SET state = $2, error_code = $3, error_message = $4, finished_at = CASE WHEN $2 IN ('failed', 'cancelled') THEN now() END
		WHERE id = $1 AND (state <> 'cancelled' OR $2 = 'waiting')`, id, state, r.Code, r.Message)
}

// BeginDelivery makes an attempt the one that counts, unless the delivery has ended.
func (q Queries) BeginDelivery(ctx context.Context, id, attempt uuid.UUID) error {
	return q.exec(ctx, `UPDATE deliveries SET state = 'rendering', attempt = $2, error_code = '', error_message = '', finished_at = NULL
		WHERE id = $1 AND state NOT IN ('proven', 'failed', 'cancelled')`, id, attempt)
}

// ProveDelivery says that an attempt has written everything and is reading it back.
func (q Queries) ProveDelivery(ctx context.Context, id, attempt uuid.UUID) error {
	return q.exec(ctx, `UPDATE deliveries SET state = 'proving' WHERE id = $1 AND attempt = $2 AND state = 'rendering'`, id, attempt)
}

// FailDelivery ends an attempt that can't be made.
func (q Queries) FailDelivery(ctx context.Context, id, attempt uuid.UUID, r *snag.Refusal) error {
	return q.exec(ctx, `UPDATE deliveries SET state = 'failed', error_code = $3, error_message = $4, finished_at = now()
		WHERE id = $1 AND attempt = $2 AND state IN ('rendering', 'proving')`, id, attempt, r.Code, r.Message)
}

// FinishDelivery records an attempt's proof. A proof that has not passed fails the delivery.
func (q Queries) FinishDelivery(ctx context.Context, id, attempt uuid.UUID, p delivery.Proof, clipped int64, r *snag.Refusal) error {
	state := "proven"
	if r != nil {
		state = "failed"
	} else {
		r = &snag.Refusal{}
	}
	return q.exec(ctx, `UPDATE deliveries SET state = $2, proof = $3, clipped = $4, error_code = $5, error_message = $6, finished_at = now()
		WHERE id = $1 AND attempt = $7 AND state = 'proving'`, id, state, p, clipped, r.Code, r.Message, attempt)
}

// DeliverySnags counts a production's deliveries that failed.
func (q Queries) DeliverySnags(ctx context.Context, production uuid.UUID) (n int, err error) {
	err = q.db.QueryRow(ctx, `SELECT count(*) FROM deliveries WHERE production_id = $1 AND state = 'failed'`, production).Scan(&n)
	return n, err
}
