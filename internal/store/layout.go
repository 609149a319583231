package store

import (
	"context"

	"github.com/google/uuid"

	"zestyloom/core/audio"
)

// KeptLayout is a row of layouts.
type KeptLayout struct {
	ID   uuid.UUID
	Name string
	Doc  audio.OwnLayout
}

// Layouts lists those that are kept, by name.
func (q Queries) Layouts(ctx context.Context) ([]KeptLayout, error) {
	return many[KeptLayout](ctx, q, `SELECT id, name, doc FROM layouts ORDER BY name`)
}

// SaveLayout adds one, or stores the one of that name anew, and gives its ID.
func (q Queries) SaveLayout(ctx context.Context, l KeptLayout) (uuid.UUID, error) {
	row, err := one[struct{ ID uuid.UUID }](ctx, q, `INSERT INTO layouts (id, name, doc) VALUES ($1, $2, $3)
		ON CONFLICT (name) DO UPDATE SET doc = $3 RETURNING id`, l.ID, l.Name, l.Doc)
	return row.ID, err
}

// DeleteLayout removes one, and reports whether it was there.
func (q Queries) DeleteLayout(ctx context.Context, id uuid.UUID) (bool, error) {
	gone, err := many[struct{ ID uuid.UUID }](ctx, q, `DELETE FROM layouts WHERE id = $1 RETURNING id`, id)
	return len(gone) > 0, err
}
