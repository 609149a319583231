package store

import (
	"context"
	"time"

	"github.com/google/uuid"

	"zestyloom/core/picture"
	"zestyloom/core/snag"
	"zestyloom/core/source"
	"zestyloom/core/survey"
)

// File is a row of files.
type File struct {
	ID           uuid.UUID
	ProductionID uuid.UUID
	Name         string
	Path         string
	SourcePath   string
	Size         int64
	Origin       string
	State        string
	Hash         string
	Facts        *Analysis
	ErrorCode    string
	ErrorMessage string
	DuplicateOf  *uuid.UUID
	JobID        *int64
	WorkingPath  string
	SetKeys      []string
	Pinned       bool
	Alone        bool
	Modified     int64      // of a linked original, at intake: Unix nanoseconds
	Lost         *snag.Snag // why the original can't be used now
	WorkingHash  string     // of the working copy of its sound; empty where there is none, or of before it was kept
	CheckedAt    *time.Time // when all that is kept of it was last read and compared
}

// Analysis is what one pass over a file found.
type Analysis struct {
	Container  string       `json:"container"`
	Coding     string       `json:"coding"`
	SampleRate int          `json:"sample_rate"`
	Channels   int          `json:"channels"`
	Mask       uint32       `json:"mask,omitempty"` // WAVEFORMATEXTENSIBLE
	Frames     int64        `json:"frames"`
	Facts      source.Facts `json:"facts"`
	Levels     []Level      `json:"levels"` // by channel

	Survey  survey.Findings  `json:"survey"`
	Picture *picture.Picture `json:"picture,omitempty"`
	Streams []picture.Stream `json:"streams,omitempty"` // sound streams of a file with pictures
	Strip   *picture.Strip   `json:"strip,omitempty"`

	// Listed says what hash lists make of the file: matches, differs, or nothing when none names it.
	Listed string `json:"listed,omitempty"`
}

// Level is a channel's level, full scale 1.
type Level struct {
	Peak float64 `json:"peak"`
	RMS  float64 `json:"rms"`
	// Shape is the tiny waveform: peaks in equal steps of its length, 255 = full scale.
	Shape []byte `json:"shape,omitempty"`
}

const fileColumns = `id, production_id, name, path, source_path, size, origin, state, hash, facts, error_code, error_message, duplicate_of, job_id, working_path, set_keys, pinned, alone, modified, lost, working_hash, checked_at`

// File finds one.
func (q Queries) File(ctx context.Context, id uuid.UUID) (File, error) {
	return one[File](ctx, q, `SELECT `+fileColumns+` FROM files WHERE id = $1`, id)
}

// FilesAfter lists a page of a production's files in the order they arrived.
func (q Queries) FilesAfter(ctx context.Context, production uuid.UUID, after uuid.UUID, limit int) ([]File, error) {
	return many[File](ctx, q, `SELECT `+fileColumns+` FROM files WHERE production_id = $1 AND id > $2 ORDER BY id LIMIT $3`, production, after, limit)
}

// PicturedFile is a file with a picture, and the take that its sound is of.
type PicturedFile struct {
	ID    uuid.UUID
	Name  string
	Facts *Analysis
	Take  uuid.UUID
}

// FilesWithPicture lists the files of a production that have pictures, in the order they arrived.
func (q Queries) FilesWithPicture(ctx context.Context, production uuid.UUID) ([]PicturedFile, error) {
	return many[PicturedFile](ctx, q, `SELECT f.id, f.name, f.facts - 'survey' AS facts, s.take_id AS take
		FROM files f JOIN LATERAL (SELECT take_id FROM strands WHERE file_id = f.id ORDER BY position LIMIT 1) s ON true
		WHERE f.production_id = $1 AND f.has_picture AND f.state = 'ready' ORDER BY f.id`, production)
}

// FilesOfTakes finds the files that takes are made of.
func (q Queries) FilesOfTakes(ctx context.Context, takes []uuid.UUID) ([]File, error) {
	return many[File](ctx, q, `SELECT `+fileColumns+` FROM files WHERE id IN (SELECT file_id FROM strands WHERE take_id = ANY($1)) ORDER BY id`, takes)
}

// FilesOfSets finds the ready files that share any of the given keys.
func (q Queries) FilesOfSets(ctx context.Context, production uuid.UUID, keys []string) ([]File, error) {
	return many[File](ctx, q, `SELECT `+fileColumns+` FROM files WHERE production_id = $1 AND state = 'ready' AND set_keys && $2 ORDER BY id`, production, keys)
}

// PinFile says whether a person has placed a file.
func (q Queries) PinFile(ctx context.Context, id uuid.UUID, pinned, alone bool) error {
	return q.exec(ctx, `UPDATE files SET pinned = $2, alone = $3 WHERE id = $1`, id, pinned, alone)
}

// FileWithHash finds a ready file of the same content.
func (q Queries) FileWithHash(ctx context.Context, production uuid.UUID, hash string) (File, error) {
	return one[File](ctx, q, `SELECT `+fileColumns+` FROM files WHERE production_id = $1 AND hash = $2 AND state = 'ready'`, production, hash)
}

// FileFrom finds one by where it came from.
func (q Queries) FileFrom(ctx context.Context, production uuid.UUID, from string) (File, error) {
	return one[File](ctx, q, `SELECT `+fileColumns+` FROM files WHERE production_id = $1 AND source_path = $2 ORDER BY id DESC LIMIT 1`, production, from)
}

// InsertFile adds one.
func (q Queries) InsertFile(ctx context.Context, f File) error {
	return q.exec(ctx, `INSERT INTO files (id, production_id, name, path, source_path, size, origin, state) VALUES ($1, $2, $3, $4, $5, $6, $7, $8)`,
		f.ID, f.ProductionID, f.Name, f.Path, f.SourcePath, f.Size, f.Origin, f.State)
}

// SetFileJob remembers the job that analyses a file.
func (q Queries) SetFileJob(ctx context.Context, id uuid.UUID, job int64) error {
	return q.exec(ctx, `UPDATE files SET job_id = $2 WHERE id = $1`, id, job)
}

// SetFileState moves a file on. r is the reason it is refused, or nil.
func (q Queries) SetFileState(ctx context.Context, id uuid.UUID, state string, r *snag.Refusal) error {
	if r == nil {
		r = &snag.Refusal{}
	}
	return q.exec(ctx, `UPDATE files SET state = $2, error_code = $3, error_message = $4 WHERE id = $1`, id, state, r.Code, r.Message)
}

// SetFileSize corrects a size that was only announced. modified is of a linked original, else 0.
func (q Queries) SetFileSize(ctx context.Context, id uuid.UUID, size, modified int64) error {
	return q.exec(ctx, `UPDATE files SET size = $2, modified = $3 WHERE id = $1`, id, size, modified)
}

// SetFacts stores what is known of a file anew.
func (q Queries) SetFacts(ctx context.Context, id uuid.UUID, a Analysis) error {
	return q.exec(ctx, `UPDATE files SET facts = $2 WHERE id = $1`, id, a)
}

// LinkedFile is what says whether an original that stays where it is is still the one that was read.
type LinkedFile struct {
	ID           uuid.UUID
	ProductionID uuid.UUID
	SourcePath   string // of the shelf
	Size         int64
	Modified     int64
	Lost         *snag.Snag // why it can't be used, when it was looked at last
}

// LinkedFiles lists the ready files of all productions whose originals stay where they are. It is asked for every two
// seconds: what was found in them is not read.
func (q Queries) LinkedFiles(ctx context.Context) ([]LinkedFile, error) {
	return many[LinkedFile](ctx, q, `SELECT id, production_id, source_path, size, modified, lost FROM files WHERE origin = 'linked' AND state = 'ready' ORDER BY id`)
}

// SetLost records why a linked original can't be used now; nil when it can.
func (q Queries) SetLost(ctx context.Context, id uuid.UUID, lost *snag.Snag) error {
	return q.exec(ctx, `UPDATE files SET lost = $2 WHERE id = $1`, id, lost)
}

// Working is the working copy of the sound of a file with pictures; none where Path is empty.
type Working struct{ Path, Hash string }

// FinishFile records what analysis found, as ready, or as a duplicate of another file.
func (q Queries) FinishFile(ctx context.Context, id uuid.UUID, hash string, working Working, keys []string, a Analysis, duplicateOf *uuid.UUID) error {
	state := "ready"
	if duplicateOf != nil {
		state = "duplicate"
	}
	if keys == nil {
		keys = []string{}
	}
	return q.exec(ctx, `UPDATE files SET state = $2, hash = $3, facts = $4, duplicate_of = $5, working_path = $6, working_hash = $7, set_keys = $8, lost = NULL, checked_at = now(),
		error_code = '', error_message = '' WHERE id = $1`,
		id, state, hash, a, duplicateOf, working.Path, working.Hash, keys)
}

// DeleteFile removes a file and its strands, and takes that are left without any.
func (q Queries) DeleteFile(ctx context.Context, id uuid.UUID) error {
	q.touchAll()
	if _, err := q.db.Exec(ctx, `DELETE FROM strands WHERE file_id = $1`, id); err != nil {
		return err
	}
	if _, err := q.db.Exec(ctx, `DELETE FROM takes t WHERE production_id = (SELECT production_id FROM files WHERE id = $1)
		AND NOT EXISTS (SELECT FROM strands s WHERE s.take_id = t.id)`, id); err != nil {
		return err
	}
	return q.exec(ctx, `DELETE FROM files WHERE id = $1`, id)
}

// FileCount counts a production's files.
func (q Queries) FileCount(ctx context.Context, production uuid.UUID) (n int, err error) {
	err = q.db.QueryRow(ctx, `SELECT count(*) FROM files WHERE production_id = $1`, production).Scan(&n)
	return n, err
}

// FileSnags counts the files of a production that something is amiss with.
func (q Queries) FileSnags(ctx context.Context, production uuid.UUID) (n int, err error) {
	err = q.db.QueryRow(ctx, `SELECT count(*) FROM files WHERE production_id = $1
		AND (state IN ('refused', 'duplicate') OR lost IS NOT NULL OR snag_count > 0
			OR id IN (SELECT s.file_id FROM suggestions g JOIN strands s ON s.take_id = g.take_id WHERE g.production_id = $1 AND g.state = 'open' AND g.body->>'asks' = 'true'))`, production).Scan(&n)
	return n, err
}
