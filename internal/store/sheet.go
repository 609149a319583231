package store

import (
	"context"
	"encoding/json"
	"time"

	"github.com/google/uuid"

	"zestyloom/core/poly"
	"zestyloom/core/snag"
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

// Writing is a row of writings.
type Writing struct {
	ID           uuid.UUID
	ProductionID uuid.UUID
	TakeName     string
	Body         json.RawMessage
	State        string
	ErrorCode    string
	ErrorMessage string
	Proof        []poly.FileProof
	JobID        *int64
	Attempt      *uuid.UUID // whose files count
	FinishedAt   *time.Time // when they were proven
}

const writingColumns = `id, production_id, take_name, body, state, error_code, error_message, proof, job_id, attempt, finished_at`

// Writing finds one.
func (q Queries) Writing(ctx context.Context, id uuid.UUID) (Writing, error) {
	return one[Writing](ctx, q, `SELECT `+writingColumns+` FROM writings WHERE id = $1`, id)
}

// LockWriting finds one and keeps others from changing it until the transaction ends.
func (q Queries) LockWriting(ctx context.Context, id uuid.UUID) (Writing, error) {
	return one[Writing](ctx, q, `SELECT `+writingColumns+` FROM writings WHERE id = $1 FOR UPDATE`, id)
}

// Writings lists up to limit of a production's, newest first, from the one after a cursor on; the zero cursor
// begins.
func (q Queries) Writings(ctx context.Context, production, after uuid.UUID, limit int) ([]Writing, error) {
	return many[Writing](ctx, q, `SELECT `+writingColumns+` FROM writings WHERE production_id = $1 AND ($2 = '00000000-0000-0000-0000-000000000000'::uuid OR id < $2) ORDER BY id DESC LIMIT $3`, production, after, limit)
}

// InsertWriting adds one.
func (q Queries) InsertWriting(ctx context.Context, w Writing) error {
	return q.exec(ctx, `INSERT INTO writings (id, production_id, take_name, body, state) VALUES ($1, $2, $3, $4, $5)`, w.ID, w.ProductionID, w.TakeName, w.Body, w.State)
}

// SetWritingJob remembers the job that works on it.
func (q Queries) SetWritingJob(ctx context.Context, id uuid.UUID, job int64) error {
	return q.exec(ctx, `UPDATE writings SET job_id = $2 WHERE id = $1`, id, job)
}

// BeginWriting makes an attempt the one that counts, unless the writing has ended.
func (q Queries) BeginWriting(ctx context.Context, id, attempt uuid.UUID) error {
	return q.exec(ctx, `UPDATE writings SET state = 'writing', attempt = $2, proof = NULL, error_code = '', error_message = ''
		WHERE id = $1 AND state IN ('waiting', 'writing', 'proving')`, id, attempt)
}

// EndWriting moves an attempt on, while it is the one that counts. r is the reason it failed, or nil.
func (q Queries) EndWriting(ctx context.Context, id, attempt uuid.UUID, state string, proof []poly.FileProof, r *snag.Refusal) error {
	if r == nil {
		r = &snag.Refusal{}
	}
	return q.exec(ctx, `UPDATE writings SET state = $3, proof = $4, error_code = $5, error_message = $6, finished_at = CASE WHEN $3 = 'proven' THEN now() END
		WHERE id = $1 AND attempt = $2 AND state IN ('writing', 'proving')`, id, attempt, state, proof, r.Code, r.Message)
}

// MoveWriting moves one on. r is the reason it failed, or nil.
func (q Queries) MoveWriting(ctx context.Context, id uuid.UUID, state string, proof []poly.FileProof, r *snag.Refusal) error {
	if r == nil {
		r = &snag.Refusal{}
	}
	return q.exec(ctx, `UPDATE writings SET state = $2, proof = $3, error_code = $4, error_message = $5 WHERE id = $1`, id, state, proof, r.Code, r.Message)
}
