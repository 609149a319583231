package store

import (
	"context"

	"github.com/google/uuid"

	"zestyloom/core/take"
)

// Suggestion is a row of suggestions.
type Suggestion struct {
	ID           uuid.UUID
	ProductionID uuid.UUID
	TakeID       uuid.UUID
	Body         take.Suggestion
	State        string // open, accepted or refused
}

const suggestionColumns = `id, production_id, take_id, body, state`

// Suggestions lists those of takes.
func (q Queries) Suggestions(ctx context.Context, takes []uuid.UUID) ([]Suggestion, error) {
	return many[Suggestion](ctx, q, `SELECT `+suggestionColumns+` FROM suggestions WHERE take_id = ANY($1) ORDER BY take_id, id`, takes)
}

// SuggestionsByID finds some of a production's.
func (q Queries) SuggestionsByID(ctx context.Context, production uuid.UUID, ids []uuid.UUID) ([]Suggestion, error) {
	return many[Suggestion](ctx, q, `SELECT `+suggestionColumns+` FROM suggestions WHERE production_id = $1 AND id = ANY($2) ORDER BY take_id, id`, production, ids)
}

// Asking lists the open suggestions of takes that have to be decided before these are laid.
func (q Queries) Asking(ctx context.Context, takes []uuid.UUID) ([]Suggestion, error) {
	return many[Suggestion](ctx, q, `SELECT `+suggestionColumns+` FROM suggestions WHERE take_id = ANY($1) AND state = 'open' AND body->>'asks' = 'true' ORDER BY take_id, id`, takes)
}

// InsertSuggestion adds one.
func (q Queries) InsertSuggestion(ctx context.Context, s Suggestion) error {
	q.touch(s.TakeID)
	return q.exec(ctx, `INSERT INTO suggestions (`+suggestionColumns+`) VALUES ($1, $2, $3, $4, $5)`, s.ID, s.ProductionID, s.TakeID, s.Body, s.State)
}

// DeleteOpenSuggestions forgets what nobody has decided about a take.
func (q Queries) DeleteOpenSuggestions(ctx context.Context, take uuid.UUID) error {
	q.touch(take)
	_, err := q.db.Exec(ctx, `DELETE FROM suggestions WHERE take_id = $1 AND state = 'open'`, take)
	return err
}

// MoveSuggestion records what was decided.
func (q Queries) MoveSuggestion(ctx context.Context, id uuid.UUID, state string) error {
	return q.touching(ctx, `UPDATE suggestions SET state = $2 WHERE id = $1 RETURNING take_id`, id, state)
}

// TemplateLabel is what a template gives one channel.
type TemplateLabel struct {
	Label string `json:"label"`
	Stem  string `json:"stem"`
	Part  string `json:"part"`
}

// Template is a row of label_templates.
type Template struct {
	ID           uuid.UUID
	ProductionID uuid.UUID
	Name         string
	Recorder     string
	Labels       []TemplateLabel
}

// Templates lists a production's.
func (q Queries) Templates(ctx context.Context, production uuid.UUID) ([]Template, error) {
	return many[Template](ctx, q, `SELECT id, production_id, name, recorder, labels FROM label_templates WHERE production_id = $1 ORDER BY name`, production)
}

// SaveTemplate adds one, or stores the one of that name anew.
func (q Queries) SaveTemplate(ctx context.Context, t Template) error {
	return q.exec(ctx, `INSERT INTO label_templates (id, production_id, name, recorder, labels) VALUES ($1, $2, $3, $4, $5)
		ON CONFLICT (production_id, name) DO UPDATE SET recorder = $4, labels = $5`, t.ID, t.ProductionID, t.Name, t.Recorder, t.Labels)
}

// DeleteTemplate removes one.
func (q Queries) DeleteTemplate(ctx context.Context, id uuid.UUID) error {
	return q.exec(ctx, `DELETE FROM label_templates WHERE id = $1`, id)
}
