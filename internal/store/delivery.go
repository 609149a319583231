package store

import (
	"context"

	"github.com/google/uuid"

	"zestyloom/core/delivery"
	"zestyloom/core/order"
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

// Deliveries lists a production's before one (uuid.Nil for the newest), newest first. Their plans are without the reel and
// its sources, their proofs without what was measured over time.
func (q Queries) Deliveries(ctx context.Context, production, before uuid.UUID, limit int) ([]Delivery, error) {
	return many[Delivery](ctx, q, `SELECT `+orderColumns+`, (plan - 'sources') #- '{reel,tracks}' AS plan, proof FROM orders o
		WHERE production_id = $1 AND kind = $4 AND ($2 = $5::uuid OR id < $2) ORDER BY id DESC LIMIT $3`, production, before, limit, order.Delivery, uuid.Nil)
}

// family are the reels whose deliveries are versions of one with those of reel $1.
const family = `(SELECT f.id FROM reels f, reels r WHERE r.id = $1 AND coalesce(f.family, f.id) = coalesce(r.family, r.id))`

// DeliveryBefore finds the last one of the same reel and spec that was proven before one: what it is compared with. A cut-down is
// compared with one of the same span, everything else with none.
func (q Queries) DeliveryBefore(ctx context.Context, d Delivery) (Delivery, error) {
	return one[Delivery](ctx, q, `SELECT `+orderedColumns+` FROM orders o WHERE reel_id IN `+family+` AND kind = $6 AND id < $2 AND o.state = $7 AND NOT test
		AND name = $3 AND coalesce((plan->'order'->>'cut')::boolean, false) = $4
		AND (NOT $4 OR plan->'order'->'span' = $5::jsonb) ORDER BY id DESC LIMIT 1`, d.ReelID, d.ID, d.Name, d.Plan.CutDown(), d.Plan.Order.Span, order.Delivery, order.Proven)
}

// NextVersion is which delivery of a reel to a spec a further one is, tests aside.
func (q Queries) NextVersion(ctx context.Context, reel uuid.UUID, spec string) (n int, err error) {
	err = q.db.QueryRow(ctx, `SELECT coalesce(max(version), 0) + 1 FROM orders WHERE reel_id IN `+family+` AND kind = $3 AND NOT test AND name = $2`, reel, spec, order.Delivery).Scan(&n)
	return n, err
}

// OwnVersion says that a delivery is the only one of its version, of its family of reels and its spec.
func (q Queries) OwnVersion(ctx context.Context, id uuid.UUID) error {
	return q.exec(ctx, `UPDATE orders SET family = (SELECT coalesce(r.family, r.id) FROM reels r WHERE r.id = reel_id) WHERE id = $1`, id)
}

// SetDamaged keeps why a file of a proven delivery is not what was proven any more; nil for one that is.
func (q Queries) SetDamaged(ctx context.Context, id uuid.UUID, why *snag.Snag) error {
	return q.exec(ctx, `UPDATE orders SET damaged = $2 WHERE id = $1`, id, why)
}

// DeliverySnags counts a production's deliveries that failed, but for those that a later one of the same reel to the same spec,
// which was proven, has taken the place of.
func (q Queries) DeliverySnags(ctx context.Context, production uuid.UUID) (n int, err error) {
	err = q.db.QueryRow(ctx, `SELECT count(*) FROM orders d WHERE production_id = $1 AND kind = $2 AND (state = $3 OR damaged IS NOT NULL) AND NOT EXISTS (
		SELECT FROM orders l WHERE l.reel_id = d.reel_id AND l.kind = d.kind AND l.id > d.id AND l.state = $4 AND l.test = d.test AND l.name = d.name)`,
		production, order.Delivery, order.Failed, order.Proven).Scan(&n)
	return n, err
}
