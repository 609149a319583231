package store

import (
	"context"
	"strings"
	"time"

	"github.com/google/uuid"

	"zestyloom/core/attest"
	"zestyloom/core/delivery"
	"zestyloom/core/snag"
)

// Spec is a row of specs.
type Spec struct {
	ID      uuid.UUID
	Name    string
	Body    delivery.Spec
	Shipped bool
}

const specColumns = `id, name, body, shipped`

// Specs lists all: those that come with the program in their order, and then the others by name.
func (q Queries) Specs(ctx context.Context) ([]Spec, error) {
	return many[Spec](ctx, q, `SELECT `+specColumns+` FROM specs ORDER BY shipped DESC, CASE WHEN shipped THEN id END, name`)
}

// Spec finds one.
func (q Queries) Spec(ctx context.Context, id uuid.UUID) (Spec, error) {
	return one[Spec](ctx, q, `SELECT `+specColumns+` FROM specs WHERE id = $1`, id)
}

// SpecNamed finds one by its name.
func (q Queries) SpecNamed(ctx context.Context, name string) (Spec, error) {
	return one[Spec](ctx, q, `SELECT `+specColumns+` FROM specs WHERE name = $1`, name)
}

// EnsureSpec keeps a spec that comes with the program as it comes with this version of it.
func (q Queries) EnsureSpec(ctx context.Context, s delivery.Spec) error {
	return q.exec(ctx, `INSERT INTO specs (id, name, body, shipped) VALUES ($1, $2, $3, true)
		ON CONFLICT (name) DO UPDATE SET body = $3, shipped = true`, NewID(), s.Name, s)
}

// SaveSpec adds one, or stores the one of that name anew.
func (q Queries) SaveSpec(ctx context.Context, s Spec) (Spec, error) {
	return one[Spec](ctx, q, `INSERT INTO specs (id, name, body) VALUES ($1, $2, $3)
		ON CONFLICT (name) DO UPDATE SET body = $3 RETURNING `+specColumns, s.ID, s.Name, s.Body)
}

// DeleteSpec removes one that was made here, and reports whether it was there.
func (q Queries) DeleteSpec(ctx context.Context, id uuid.UUID) (bool, error) {
	gone, err := many[struct{ ID uuid.UUID }](ctx, q, `DELETE FROM specs WHERE id = $1 AND NOT shipped RETURNING id`, id)
	return len(gone) > 0, err
}

// ChooseSpec says which spec a reel is held against.
func (q Queries) ChooseSpec(ctx context.Context, reel, spec uuid.UUID) error {
	return q.exec(ctx, `UPDATE reels SET spec_id = $2 WHERE id = $1`, reel, spec)
}

// ReelsOfSpec lists the reels that are held against a spec.
func (q Queries) ReelsOfSpec(ctx context.Context, spec uuid.UUID) ([]Reel, error) {
	return q.reels(ctx, `spec_id = $1 ORDER BY id`, spec)
}

// Delivery is a row of deliveries.
type Delivery struct {
	ID           uuid.UUID
	ProductionID uuid.UUID
	ReelID       uuid.UUID
	Version      int  // of the reel's deliveries to the spec
	Test         bool // of a span alone
	Plan         delivery.Plan
	State        string
	ErrorCode    string
	ErrorMessage string
	Clipped      int64
	Proof        *delivery.Proof
	JobID        *int64
	Attempt      *uuid.UUID // whose files count
	OrderedAt    time.Time
	BeganAt      *time.Time
	FinishedAt   *time.Time
	Damaged      *snag.Snag     // why a file of it is not what was proven any more
	CheckedAt    *time.Time     // when its files were last read and compared; nil for not since they were proven
	Signature    *attest.Signed // of the proof, by the installation's key; nil for one of before there was one
}

const deliveryColumns = `id, production_id, reel_id, version, test, began_at, plan, state, error_code, error_message, clipped, proof, job_id, attempt, ordered_at, finished_at, damaged, checked_at, signature`

// Delivery finds one.
func (q Queries) Delivery(ctx context.Context, id uuid.UUID) (Delivery, error) {
	return one[Delivery](ctx, q, `SELECT `+deliveryColumns+` FROM deliveries WHERE id = $1`, id)
}

// LockDelivery finds one and keeps others from changing it until the transaction ends.
func (q Queries) LockDelivery(ctx context.Context, id uuid.UUID) (Delivery, error) {
	return one[Delivery](ctx, q, `SELECT `+deliveryColumns+` FROM deliveries WHERE id = $1 FOR UPDATE`, id)
}

// Deliveries lists a production's before one (uuid.Nil for the newest), newest first. Their plans are without the reel and
// its sources, their proofs without what was measured over time.
func (q Queries) Deliveries(ctx context.Context, production, before uuid.UUID, limit int) ([]Delivery, error) {
	columns := strings.Replace(deliveryColumns, " plan,", ` (plan - 'sources') #- '{reel,tracks}' AS plan,`, 1)
	return many[Delivery](ctx, q, `SELECT `+columns+` FROM deliveries WHERE production_id = $1 AND ($2 = '00000000-0000-0000-0000-000000000000'::uuid OR id < $2) ORDER BY id DESC LIMIT $3`, production, before, limit)
}

// family are the reels whose deliveries are versions of one with those of reel $1.
const family = `(SELECT o.id FROM reels o, reels r WHERE r.id = $1 AND coalesce(o.family, o.id) = coalesce(r.family, r.id))`

// DeliveryBefore finds the last one of the same reel and spec that was proven before one: what it is compared with. A cut-down is
// compared with one of the same span, everything else with none.
func (q Queries) DeliveryBefore(ctx context.Context, d Delivery) (Delivery, error) {
	return one[Delivery](ctx, q, `SELECT `+deliveryColumns+` FROM deliveries WHERE reel_id IN `+family+` AND id < $2 AND state = 'proven' AND NOT test
		AND plan->'order'->'spec'->>'name' = $3 AND coalesce((plan->'order'->>'cut')::boolean, false) = $4
		AND (NOT $4 OR plan->'order'->'span' = $5::jsonb) ORDER BY id DESC LIMIT 1`, d.ReelID, d.ID, d.Plan.Order.Spec.Name, d.Plan.CutDown(), d.Plan.Order.Span)
}

// NextVersion is which delivery of a reel to a spec a further one is, tests aside.
func (q Queries) NextVersion(ctx context.Context, reel uuid.UUID, spec string) (n int, err error) {
	err = q.db.QueryRow(ctx, `SELECT coalesce(max(version), 0) + 1 FROM deliveries WHERE reel_id IN `+family+` AND NOT test AND plan->'order'->'spec'->>'name' = $2`, reel, spec).Scan(&n)
	return n, err
}

// InsertDelivery adds one.
func (q Queries) InsertDelivery(ctx context.Context, d Delivery) error {
	return q.exec(ctx, `INSERT INTO deliveries (id, production_id, reel_id, version, test, plan, state) VALUES ($1, $2, $3, $4, $5, $6, $7)`, d.ID, d.ProductionID, d.ReelID, d.Version, d.Test, d.Plan, d.State)
}

// OwnVersion says that a delivery is the only one of its version, of its family of reels and its spec.
func (q Queries) OwnVersion(ctx context.Context, d Delivery) error {
	return q.exec(ctx, `UPDATE deliveries SET spec_name = $2, family = (SELECT coalesce(r.family, r.id) FROM reels r WHERE r.id = reel_id) WHERE id = $1`, d.ID, d.Plan.Order.Spec.Name)
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
	return q.exec(ctx, `UPDATE deliveries SET state = 'rendering', attempt = $2, began_at = now(), error_code = '', error_message = '', finished_at = NULL
		WHERE id = $1 AND state IN ('waiting', 'rendering', 'proving')`, id, attempt)
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
func (q Queries) FinishDelivery(ctx context.Context, id, attempt uuid.UUID, p delivery.Proof, s *attest.Signed, clipped int64, r *snag.Refusal) error {
	state := "proven"
	if r != nil {
		state = "failed"
	} else {
		r = &snag.Refusal{}
	}
	return q.exec(ctx, `UPDATE deliveries SET state = $2, proof = $3, clipped = $4, error_code = $5, error_message = $6, finished_at = now(), signature = $8, damaged = NULL, checked_at = NULL
		WHERE id = $1 AND attempt = $7 AND state = 'proving'`, id, state, p, clipped, r.Code, r.Message, attempt, s)
}

// SetDamaged keeps why a file of a proven delivery is not what was proven any more; nil for one that is.
func (q Queries) SetDamaged(ctx context.Context, id uuid.UUID, why *snag.Snag) error {
	return q.exec(ctx, `UPDATE deliveries SET damaged = $2 WHERE id = $1`, id, why)
}

// DeliverySnags counts a production's deliveries that failed, but for those that a later one of the same reel to the same spec,
// which was proven, has taken the place of.
func (q Queries) DeliverySnags(ctx context.Context, production uuid.UUID) (n int, err error) {
	err = q.db.QueryRow(ctx, `SELECT count(*) FROM deliveries d WHERE production_id = $1 AND (state = 'failed' OR damaged IS NOT NULL) AND NOT EXISTS (
		SELECT FROM deliveries l WHERE l.reel_id = d.reel_id AND l.id > d.id AND l.state = 'proven' AND l.test = d.test
		AND l.plan->'order'->'spec'->>'name' = d.plan->'order'->'spec'->>'name')`, production).Scan(&n)
	return n, err
}
