package store

import (
	"context"

	"github.com/google/uuid"

	"zestyloom/core/weave"
)

// WeaveTemplate is a row of weave_templates.
type WeaveTemplate struct {
	ID   uuid.UUID
	Name string
	Doc  weave.Template
}

// WeaveTemplates lists all that are kept, by name.
func (q Queries) WeaveTemplates(ctx context.Context) ([]WeaveTemplate, error) {
	return many[WeaveTemplate](ctx, q, `SELECT id, name, doc FROM weave_templates ORDER BY name`)
}

// SaveWeaveTemplate adds one, or stores the one of that name anew, and gives its ID.
func (q Queries) SaveWeaveTemplate(ctx context.Context, t WeaveTemplate) (uuid.UUID, error) {
	row, err := one[struct{ ID uuid.UUID }](ctx, q, `INSERT INTO weave_templates (id, name, doc) VALUES ($1, $2, $3)
		ON CONFLICT (name) DO UPDATE SET doc = $3 RETURNING id`, t.ID, t.Name, t.Doc)
	return row.ID, err
}

// DeleteWeaveTemplate removes one, and reports whether it was there.
func (q Queries) DeleteWeaveTemplate(ctx context.Context, id uuid.UUID) (bool, error) {
	gone, err := many[struct{ ID uuid.UUID }](ctx, q, `DELETE FROM weave_templates WHERE id = $1 RETURNING id`, id)
	return len(gone) > 0, err
}
