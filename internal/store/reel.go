package store

import (
	"context"
	"encoding/json"
	"time"

	"github.com/google/uuid"

	"zestyloom/core/reel"
)

// Reel is a row of reels.
type Reel struct {
	ID           uuid.UUID
	ProductionID uuid.UUID
	Name         string
	Version      int64
	Removed      bool
	SpecID       *uuid.UUID // the spec that it is held against; nil for the one that is used where none is chosen
	Family       *uuid.UUID // the first of the reels that it came from by deliveries that were taken back in; nil for itself
	Doc          reel.Reel  // shared: never to be changed in place

	head, snapshot int64
}

// reelRow is a row of reels, without the document.
type reelRow struct {
	ID           uuid.UUID
	ProductionID uuid.UUID
	Name         string
	Version      int64
	Removed      bool
	SpecID       *uuid.UUID
	Family       *uuid.UUID
	Head         int64
	Snapshot     int64
}

const reelColumns = `id, production_id, name, version, removed, spec_id, family, head, snapshot`

// reel finds one by a condition.
func (q Queries) reel(ctx context.Context, where string, args ...any) (Reel, error) {
	row, err := one[reelRow](ctx, q, `SELECT `+reelColumns+` FROM reels WHERE `+where, args...)
	if err != nil {
		return Reel{}, err
	}
	return q.open(ctx, row)
}

// Reel finds one.
func (q Queries) Reel(ctx context.Context, id uuid.UUID) (Reel, error) {
	return q.reel(ctx, `id = $1`, id)
}

// ProductionOfReel is the production that a reel is of.
func (q Queries) ProductionOfReel(ctx context.Context, id uuid.UUID) (uuid.UUID, error) {
	r, err := one[struct{ ProductionID uuid.UUID }](ctx, q, `SELECT production_id FROM reels WHERE id = $1`, id)
	return r.ProductionID, err
}

// LockReel finds one and keeps others from changing it until the transaction ends.
func (q Queries) LockReel(ctx context.Context, id uuid.UUID) (Reel, error) {
	return q.reel(ctx, `id = $1 FOR UPDATE`, id)
}

// ReelOf finds a production's first reel.
func (q Queries) ReelOf(ctx context.Context, production uuid.UUID) (Reel, error) {
	return q.reel(ctx, `production_id = $1 AND NOT removed ORDER BY id LIMIT 1`, production)
}

// Reels lists a production's reels that were not removed, in the order in which they were made.
func (q Queries) Reels(ctx context.Context, production uuid.UUID) ([]Reel, error) {
	return q.reels(ctx, `production_id = $1 AND NOT removed ORDER BY id`, production)
}

// ReelListed is what a list says of a reel.
type ReelListed struct {
	ID      uuid.UUID
	Name    string
	Version int64
	Tracks  *int // these are nil where a reel was written before they were kept
	Starts  *int64
	Ends    *int64
}

// ListReels lists a production's, without their documents.
func (q Queries) ListReels(ctx context.Context, production uuid.UUID) ([]ReelListed, error) {
	return many[ReelListed](ctx, q, `SELECT id, name, version, tracks, starts, ends FROM reels WHERE production_id = $1 AND NOT removed ORDER BY id`, production)
}

// SetReelExtent keeps what a list says of a reel.
func (q Queries) SetReelExtent(ctx context.Context, id uuid.UUID, tracks int, start, end int64) error {
	return q.exec(ctx, `UPDATE reels SET tracks = $2, starts = $3, ends = $4 WHERE id = $1`, id, tracks, start, end)
}

// reels lists those of a condition.
func (q Queries) reels(ctx context.Context, where string, args ...any) ([]Reel, error) {
	rows, err := many[reelRow](ctx, q, `SELECT `+reelColumns+` FROM reels WHERE `+where, args...)
	if err != nil {
		return nil, err
	}
	var out []Reel
	for _, row := range rows {
		r, err := q.open(ctx, row)
		if err != nil {
			return nil, err
		}
		out = append(out, r)
	}
	return out, nil
}

// NameReel gives a reel a name, and says whether it is removed.
func (q Queries) NameReel(ctx context.Context, id uuid.UUID, name string, removed bool) error {
	q.touchAll() // what it plays is in a reel no more, or again
	return q.exec(ctx, `UPDATE reels SET name = $2, removed = $3 WHERE id = $1`, id, name, removed)
}

// InsertReel adds one.
func (q Queries) InsertReel(ctx context.Context, r Reel) error {
	start, end := r.Doc.Span()
	if err := q.exec(ctx, `INSERT INTO reels (id, production_id, name, version, snapshot, doc, spec_id, family, tracks, starts, ends) VALUES ($1, $2, $3, $4, $4, $5, $6, $7, $8, $9, $10)`,
		r.ID, r.ProductionID, r.Name, r.Version, r.Doc, r.SpecID, r.Family, len(r.Doc.Tracks), start, end); err != nil {
		return err
	}
	return q.setReelStrands(ctx, r.ID, nil, r.Doc.Strands())
}

// ReelSnags is how much of a reel and its weave has to be mended.
type ReelSnags struct {
	Reel, Weave int
	Measure     int // limits that are not kept, of reels that are measured as they are now
}

// ReelSnags finds what is kept of a production's reels together: nothing where it has not been worked out.
func (q Queries) ReelSnags(ctx context.Context, production uuid.UUID) (ReelSnags, error) {
	return one[ReelSnags](ctx, q, `SELECT coalesce(sum(snags_reel), 0)::int AS reel, coalesce(sum(snags_weave), 0)::int AS weave,
		coalesce(sum(snags_measure) FILTER (WHERE measured_version = version), 0)::int AS measure FROM reels WHERE production_id = $1 AND NOT removed`, production)
}

// SetLoudnessSnags keeps how many limits a version of a reel would not keep, and reports whether that is news.
func (q Queries) SetLoudnessSnags(ctx context.Context, id uuid.UUID, version int64, n int) (news bool, err error) {
	tag, err := q.db.Exec(ctx, `UPDATE reels SET snags_measure = $3, measured_version = $2 WHERE id = $1 AND version = $2 AND (snags_measure, measured_version) IS DISTINCT FROM ($3, $2)`, id, version, n)
	return tag.RowsAffected() > 0, err
}

// SetReelSnags keeps it, but for what is measured.
func (q Queries) SetReelSnags(ctx context.Context, id uuid.UUID, s ReelSnags) error {
	return q.exec(ctx, `UPDATE reels SET snags_reel = $2, snags_weave = $3, snags_measure = NULL WHERE id = $1`, id, s.Reel, s.Weave)
}

// ReelsUnweighed lists reels of which it has not been worked out.
func (q Queries) ReelsUnweighed(ctx context.Context) ([]Reel, error) {
	return q.reels(ctx, `snags_reel IS NULL OR tracks IS NULL`)
}

// ReelStep is an edit of a reel as it is logged.
type ReelStep struct {
	Session string
	Ops     []reel.Op
	Touched []string
}

// SaveReel stores the next version of a reel, which was locked as it is given: what was done, and now and then all that it
// comes to.
func (q Queries) SaveReel(ctx context.Context, was Reel, doc reel.Reel, step ReelStep, snags ReelSnags) (Reel, error) {
	if step.Touched == nil {
		step.Touched = []string{}
	}
	now := was
	now.Doc, now.Version = doc, was.Version+1
	err := q.db.QueryRow(ctx, `INSERT INTO reel_log (reel_id, version, session, ops, touched) VALUES ($1, $2, $3, $4, $5) RETURNING id`,
		was.ID, now.Version, step.Session, step.Ops, step.Touched).Scan(&now.head)
	if err != nil {
		return was, Tag(err)
	}
	var whole *reel.Reel
	if now.Version-was.snapshot >= snapshotEvery {
		now.snapshot, whole = now.Version, &doc
	}
	start, end := doc.Span()
	err = q.exec(ctx, `UPDATE reels SET version = $2, head = $3, snapshot = $4, doc = coalesce($5, doc), snags_reel = $6, snags_weave = $7, tracks = $8, starts = $9, ends = $10 WHERE id = $1`,
		was.ID, now.Version, now.head, now.snapshot, whole, snags.Reel, snags.Weave, len(doc.Tracks), start, end)
	if err != nil {
		return was, err
	}
	q.docs.put(docKey{was.ID, now.head}, doc)
	return now, q.setReelStrands(ctx, was.ID, was.Doc.Strands(), doc.Strands())
}

// setReelStrands keeps which strands a reel plays.
func (q Queries) setReelStrands(ctx context.Context, id uuid.UUID, was, now map[string]bool) error {
	missing := func(from, in map[string]bool) (out []string) {
		for s := range from {
			if !in[s] {
				out = append(out, s)
			}
		}
		return out
	}
	gone, come := missing(was, now), missing(now, was)
	for _, name := range append(gone, come...) {
		if strand, err := uuid.Parse(name); err == nil {
			q.touch(strand)
		}
	}
	if gone != nil {
		if _, err := q.db.Exec(ctx, `DELETE FROM reel_strands WHERE reel_id = $1 AND strand_id = ANY ($2::uuid[])`, id, gone); err != nil {
			return err
		}
	}
	if come != nil {
		_, err := q.db.Exec(ctx, `INSERT INTO reel_strands SELECT $1, unnest($2::uuid[]) ON CONFLICT DO NOTHING`, id, come)
		return err
	}
	return nil
}

// StrandsInReels says which strands of a production lie in a reel.
func (q Queries) StrandsInReels(ctx context.Context, production uuid.UUID) (map[string]bool, error) {
	rows, err := q.db.Query(ctx, `SELECT DISTINCT s.strand_id::text FROM reel_strands s JOIN reels r ON r.id = s.reel_id WHERE r.production_id = $1 AND NOT r.removed`, production)
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	out := map[string]bool{}
	for rows.Next() {
		var id string
		if err := rows.Scan(&id); err != nil {
			return nil, err
		}
		out[id] = true
	}
	return out, rows.Err()
}

// Edit is a row of edits.
type Edit struct {
	ID      int64
	What    string
	Forward json.RawMessage
	Inverse json.RawMessage
	Touched []string
}

// LogEdit records what was done by a session in some areas (see EditsSheet), and forgets what that one had undone there before.
func (q Queries) LogEdit(ctx context.Context, production uuid.UUID, session string, areas []string, what string, touched []string, forward, inverse any) error {
	if _, err := q.db.Exec(ctx, `DELETE FROM edits WHERE production_id = $1 AND undone AND session IN ($2, '') AND areas && $3`, production, session, areas); err != nil {
		return err
	}
	if touched == nil {
		touched = []string{}
	}
	return q.exec(ctx, `INSERT INTO edits (production_id, session, what, touched, forward, inverse, areas) VALUES ($1, $2, $3, $4, $5, $6, $7)`, production, session, what, touched, forward, inverse, areas)
}

const editColumns = `id, what, forward, inverse, touched`

// Areas that edits are made in, beside the IDs of reels.
const (
	EditsSheet = "sheet" // takes, labels, sync
	EditsReels = "reels" // which reels there are, and what they are called
)

// LastEdit finds the edit that a session's undo takes back, or, with undone, the one that its redo brings back: its own, or
// one of no session. With areas it is one that was made in any of them.
func (q Queries) LastEdit(ctx context.Context, production uuid.UUID, session string, areas []string, undone bool) (Edit, error) {
	order := "DESC"
	if undone {
		order = "ASC"
	}
	return one[Edit](ctx, q, `SELECT `+editColumns+` FROM edits WHERE production_id = $1 AND undone = $2 AND session IN ($3, '') AND ($4::text[] IS NULL OR areas && $4) ORDER BY id `+order+` LIMIT 1`, production, undone, session, areas)
}

// LoggedEdit is an edit in the list of what was done.
type LoggedEdit struct {
	ID     int64
	What   string
	At     time.Time
	Mine   bool // a session's own, or everybody's
	Undone bool
}

// EditsLogged lists what was done in a production, the last first, with what a session has undone.
func (q Queries) EditsLogged(ctx context.Context, production uuid.UUID, session string, areas []string, limit int) ([]LoggedEdit, error) {
	return many[LoggedEdit](ctx, q, `SELECT id, what, at, session IN ($2, '') AS mine, undone FROM edits WHERE production_id = $1 AND (NOT undone OR session IN ($2, '')) AND ($4::text[] IS NULL OR areas && $4) ORDER BY id DESC LIMIT $3`, production, session, limit, areas)
}

// EditsElsewhere lists what other sessions have done after an edit, and, with areas, what was done in none of them.
func (q Queries) EditsElsewhere(ctx context.Context, production uuid.UUID, after int64, session string, areas []string) ([]Edit, error) {
	return many[Edit](ctx, q, `SELECT `+editColumns+` FROM edits WHERE production_id = $1 AND NOT undone AND id > $2
		AND (session NOT IN ($3, '') OR $4::text[] IS NOT NULL AND NOT areas && $4) ORDER BY id`, production, after, session, areas)
}

// MarkEdit says whether an edit is undone.
func (q Queries) MarkEdit(ctx context.Context, id int64, undone bool) error {
	return q.exec(ctx, `UPDATE edits SET undone = $2 WHERE id = $1`, id, undone)
}
