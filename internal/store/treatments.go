package store

import (
	"context"

	"github.com/google/uuid"

	"zestyloom/core/treat"
)

// Treatment is a row of treatments.
type Treatment struct {
	ID  uuid.UUID
	Doc treat.Setting
}

// Treatments lists all that are kept, by name.
func (q Queries) Treatments(ctx context.Context) ([]Treatment, error) {
	return many[Treatment](ctx, q, `SELECT id, doc FROM treatments ORDER BY name`)
}

// SaveTreatment adds one, or stores the one of that name anew, and gives its ID.
func (q Queries) SaveTreatment(ctx context.Context, id uuid.UUID, s treat.Setting) (uuid.UUID, error) {
	row, err := one[struct{ ID uuid.UUID }](ctx, q, `INSERT INTO treatments (id, name, doc) VALUES ($1, $2, $3)
		ON CONFLICT (name) DO UPDATE SET doc = $3 RETURNING id`, id, s.Name, s)
	return row.ID, err
}

// DeleteTreatment removes one, and reports whether it was there.
func (q Queries) DeleteTreatment(ctx context.Context, id uuid.UUID) (bool, error) {
	gone, err := many[struct{ ID uuid.UUID }](ctx, q, `DELETE FROM treatments WHERE id = $1 RETURNING id`, id)
	return len(gone) > 0, err
}
