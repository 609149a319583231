package store

import (
	"context"
	"errors"

	"github.com/google/uuid"
)

// Beginning is the name of the template that new reels of a production begin with, or of all productions where it is nil; empty for none.
func (q Queries) Beginning(ctx context.Context, production *uuid.UUID) (string, error) {
	row, err := one[struct{ Template string }](ctx, q, `SELECT template FROM beginnings WHERE production_id IS NOT DISTINCT FROM $1`, production)
	if errors.Is(err, ErrNotFound) {
		return "", nil
	}
	return row.Template, err
}

// SetBeginning stores it; empty for none.
func (q Queries) SetBeginning(ctx context.Context, production *uuid.UUID, template string) error {
	if template == "" {
		_, err := q.db.Exec(ctx, `DELETE FROM beginnings WHERE production_id IS NOT DISTINCT FROM $1`, production)
		return err
	}
	return q.exec(ctx, `INSERT INTO beginnings (production_id, template) VALUES ($1, $2) ON CONFLICT (production_id) DO UPDATE SET template = $2`, production, template)
}
