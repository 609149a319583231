package store

import (
	"context"
	"encoding/json"
	"time"

	"github.com/google/uuid"

	"zestyloom/core/attest"
	"zestyloom/core/delivery"
	"zestyloom/core/order"
	"zestyloom/core/poly"
	"zestyloom/core/printing"
	"zestyloom/core/snag"
)

// Order is what a row of orders has whatever it is for.
type Order struct {
	ID           uuid.UUID
	ProductionID uuid.UUID
	Kind         order.Kind
	ReelID       uuid.UUID // uuid.Nil for what is of no reel
	Name         string    // of the spec, of the take, or of what is printed
	Says         string    // the reel's name, how the take is packed, or the tracks that are printed
	Frames       int64
	SampleRate   int    // of the files, in Hz; 0 where it is that of the recording
	Session      string // who ordered it
	State        order.State
	ErrorCode    string
	ErrorMessage string
	JobID        *int64
	Attempt      *uuid.UUID // whose files count
	OrderedAt    time.Time
	BeganAt      *time.Time // the attempt
	FinishedAt   *time.Time

	// Of deliveries.
	Version   int  // of the reel's deliveries to the spec
	Test      bool // of a span alone
	Clipped   int64
	Damaged   *snag.Snag     // why a file of it is not what was proven any more
	CheckedAt *time.Time     // when its files were last read and compared; nil for not since they were proven
	Signature *attest.Signed // of the proof, by the installation's key; nil for one of before there was one

	// Of prints.
	FileID *uuid.UUID // what it became
}

const orderColumns = `o.id, production_id, o.kind, coalesce(reel_id, '00000000-0000-0000-0000-000000000000'::uuid) AS reel_id, name, says, frames, sample_rate, session, o.state, error_code, error_message,
	job_id, o.attempt, ordered_at, began_at, finished_at, version, test, clipped, damaged, checked_at, signature, file_id`

// Ordered is an order with what was frozen when it was ordered, and what was found when it was read back.
type Ordered[Plan, Proof any] struct {
	Order
	Plan  Plan
	Proof Proof // empty before
}

// The kinds of orders, see order.Kinds.
type (
	Delivery = Ordered[delivery.Plan, *delivery.Proof]
	Writing  = Ordered[json.RawMessage, []poly.FileProof] // its plan is app.Writing
	Print    = Ordered[printing.Print, *delivery.Proof]
)

const orderedColumns = orderColumns + `, plan, proof`

// Order finds one.
func (q Queries) Order(ctx context.Context, id uuid.UUID) (Order, error) {
	return one[Order](ctx, q, `SELECT `+orderColumns+` FROM orders o WHERE id = $1`, id)
}

// LockOrder finds one and keeps others from changing it until the transaction ends.
func (q Queries) LockOrder(ctx context.Context, id uuid.UUID) (Order, error) {
	return one[Order](ctx, q, `SELECT `+orderColumns+` FROM orders o WHERE id = $1 FOR UPDATE`, id)
}

func ordered[T any](ctx context.Context, q Queries, kind order.Kind, id uuid.UUID) (T, error) {
	return one[T](ctx, q, `SELECT `+orderedColumns+` FROM orders o WHERE id = $1 AND kind = $2`, id, kind)
}

// Delivery finds one.
func (q Queries) Delivery(ctx context.Context, id uuid.UUID) (Delivery, error) {
	return ordered[Delivery](ctx, q, order.Delivery, id)
}

// Writing finds one.
func (q Queries) Writing(ctx context.Context, id uuid.UUID) (Writing, error) {
	return ordered[Writing](ctx, q, order.Writing, id)
}

// Print finds one.
func (q Queries) Print(ctx context.Context, id uuid.UUID) (Print, error) {
	return ordered[Print](ctx, q, order.Print, id)
}

// Writings lists up to limit of a production's, newest first, from the one after a cursor on; uuid.Nil begins.
func (q Queries) Writings(ctx context.Context, production, after uuid.UUID, limit int) ([]Writing, error) {
	return many[Writing](ctx, q, `SELECT `+orderedColumns+` FROM orders o WHERE production_id = $1 AND kind = $4 AND ($2 = $5::uuid OR id < $2) ORDER BY id DESC LIMIT $3`,
		production, after, limit, order.Writing, uuid.Nil)
}

// PrintOf finds the print that a file is, where it is one.
func (q Queries) PrintOf(ctx context.Context, file uuid.UUID) (Print, error) {
	return one[Print](ctx, q, `SELECT `+orderedColumns+` FROM orders o WHERE file_id = $1 LIMIT 1`, file)
}

// InsertOrder adds one with its plan.
func (q Queries) InsertOrder(ctx context.Context, o Order, plan any) error {
	return q.exec(ctx, `INSERT INTO orders (id, production_id, kind, reel_id, plan, name, says, frames, sample_rate, session, state, version, test)
		VALUES ($1, $2, $3, nullif($4::uuid, $14::uuid), $5, $6, $7, $8, $9, $10, $11, $12, $13)`,
		o.ID, o.ProductionID, o.Kind, o.ReelID, plan, o.Name, o.Says, o.Frames, o.SampleRate, o.Session, o.State, o.Version, o.Test, uuid.Nil)
}

// SetOrderJob remembers the job that works on it.
func (q Queries) SetOrderJob(ctx context.Context, id uuid.UUID, job int64) error {
	return q.exec(ctx, `UPDATE orders SET job_id = $2 WHERE id = $1`, id, job)
}

// Outcome is what a move says beside the state.
type Outcome struct {
	Attempt   uuid.UUID // whose move it is: one that does not count any more makes none; uuid.Nil for nobody's
	Why       *snag.Refusal
	Proof     any
	Signature *attest.Signed
	Clipped   int64
	File      *uuid.UUID
}

// MoveOrder makes a move with an order; ErrNotFound where it can't be made from the state in which it is, or the attempt is not the
// one that counts. With order.Begin it is from then on.
func (q Queries) MoveOrder(ctx context.Context, id uuid.UUID, by order.Move, o Outcome) error {
	why := snag.Refusal{}
	if o.Why != nil {
		why = *o.Why
	}
	return q.exec(ctx, `UPDATE orders SET state = $3, error_code = $5, error_message = $6, finished_at = CASE WHEN $7::boolean THEN now() END,
			attempt = CASE WHEN $8::boolean THEN $4::uuid ELSE attempt END, began_at = CASE WHEN $8 THEN now() ELSE began_at END,
			proof = CASE WHEN $8 THEN NULL ELSE coalesce($9, proof) END, signature = coalesce($10, signature), clipped = clipped + $11, file_id = coalesce($12, file_id)
		WHERE id = $1 AND state = ANY($2) AND ($8 OR $4 = $13::uuid OR attempt = $4)`,
		id, by.From(), by.To(), o.Attempt, why.Code, why.Message, by.To().Ended(), by == order.Begin, o.Proof, o.Signature, o.Clipped, o.File, uuid.Nil)
}

// Ended gives the attempt that counts of every order of a kind that has ended.
func (q Queries) Ended(ctx context.Context, kind order.Kind) (map[uuid.UUID]uuid.UUID, error) {
	type row struct{ ID, Attempt uuid.UUID }
	rows, err := many[row](ctx, q, `SELECT id, coalesce(attempt, id) AS attempt FROM orders WHERE kind = $1 AND state = ANY($2)`, kind, order.In(order.State.Ended))
	out := make(map[uuid.UUID]uuid.UUID, len(rows))
	for _, r := range rows {
		out[r.ID] = r.Attempt
	}
	return out, err
}
