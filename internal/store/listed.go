package store

import (
	"context"
	"encoding/json"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"

	"zestyloom/core/take"
)

// ListedTake is a take with what a list shows of it.
type ListedTake struct {
	Take
	Camera bool     // it comes with a picture
	Syncs  []string // states of the pairs in which it is lined up
	Open   []OpenSuggestion
}

// OpenSuggestion is one that nobody has decided about.
type OpenSuggestion struct {
	ID   uuid.UUID       `json:"id"`
	Body take.Suggestion `json:"body"`
}

const listedSelect = `SELECT ` + takeRead + `,
	EXISTS (SELECT FROM strands s JOIN files f ON f.id = s.file_id WHERE s.take_id = takes.id AND f.has_picture) AS camera,
	ARRAY(SELECT y.state FROM syncs y WHERE y.take = takes.id) AS syncs,
	coalesce((SELECT jsonb_agg(jsonb_build_object('id', g.id, 'body', g.body) ORDER BY g.id) FROM suggestions g WHERE g.take_id = takes.id AND g.state = 'open'), '[]') AS open
	FROM takes WHERE production_id = $1 `

// ListTakes lists a page of a production's takes, from the one after a cursor on; the zero cursor begins.
func (q Queries) ListTakes(ctx context.Context, production, after uuid.UUID, limit int) ([]ListedTake, error) {
	return many[ListedTake](ctx, q, listedSelect+`AND id > $2 ORDER BY id LIMIT $3`, production, after, limit)
}

// ListTakesOf lists the takes of a production that ids of takes or strands stand for.
func (q Queries) ListTakesOf(ctx context.Context, production uuid.UUID, rows []uuid.UUID) ([]ListedTake, error) {
	return many[ListedTake](ctx, q, listedSelect+`AND id IN (SELECT unnest($2::uuid[]) UNION SELECT take_id FROM strands WHERE id = ANY($2)) ORDER BY id`, production, rows)
}

// SyncTake is a take with what lining up shows of it.
type SyncTake struct {
	Take
	Picture *uuid.UUID // the file that it comes with a picture in
	Stills  bool       // of which a small picture could be made
	Strands int
	Loudest *uuid.UUID // of its strands; nil for one without any
}

// SyncTakes lists takes of a production as lining up shows them.
func (q Queries) SyncTakes(ctx context.Context, production uuid.UUID, takes []uuid.UUID) ([]SyncTake, error) {
	return many[SyncTake](ctx, q, `SELECT `+takeRead+`, picture, coalesce(stills, false) AS stills,
		(SELECT count(*) FROM strands s WHERE s.take_id = takes.id)::int AS strands,
		(SELECT s.id FROM strands s WHERE s.take_id = takes.id ORDER BY s.rms DESC, s.position LIMIT 1) AS loudest
		FROM takes LEFT JOIN LATERAL (SELECT f.id AS picture, coalesce(jsonb_typeof(f.facts->'strip') = 'object', false) AS stills FROM strands s JOIN files f ON f.id = s.file_id
			WHERE s.take_id = takes.id AND f.has_picture ORDER BY s.position LIMIT 1) p ON true
		WHERE production_id = $1 AND id = ANY($2) ORDER BY id`, production, takes)
}

// ListedFile is a file with what a list shows of it.
type ListedFile struct {
	File
	SameAs string   // the name of the file that it is the same as; empty for none
	Asked  []string // what has to be decided of its channels, in words
}

const listedFile = `SELECT ` + fileColumns + `, coalesce((SELECT d.name FROM files d WHERE d.id = files.duplicate_of), '') AS same_as,
	ARRAY(SELECT DISTINCT g.body->>'says' FROM suggestions g JOIN strands s ON s.take_id = g.take_id WHERE s.file_id = files.id AND g.state = 'open' AND g.body->>'asks' = 'true') AS asked
	FROM files WHERE production_id = $1 `

// ListFiles lists a page of a production's files in the order they arrived, from the one after a cursor on.
func (q Queries) ListFiles(ctx context.Context, production, after uuid.UUID, limit int) ([]ListedFile, error) {
	return many[ListedFile](ctx, q, listedFile+`AND id > $2 ORDER BY id LIMIT $3`, production, after, limit)
}

// ListFilesOf lists some of a production's files.
func (q Queries) ListFilesOf(ctx context.Context, production uuid.UUID, ids []uuid.UUID) ([]ListedFile, error) {
	return many[ListedFile](ctx, q, listedFile+`AND id = ANY($2) ORDER BY id`, production, ids)
}

// ListedStrand is a strand as far as a list shows it: what says where its sound lies is not read.
type ListedStrand struct {
	Strand
	Reels []uuid.UUID // that it is laid in
}

// ListStrands lists the strands of takes, in order.
func (q Queries) ListStrands(ctx context.Context, takes []uuid.UUID) ([]ListedStrand, error) {
	rows, err := q.db.Query(ctx, `SELECT s.id, s.take_id, s.file_id, s.channel, s.position, s.label, s.label_source, s.recorder_track, s.peak, s.rms,
		s.stem, s.part, s.treat, s.detached, s.shift, s.shape, f.name, coalesce(f.frames, 0),
		ARRAY(SELECT r.id FROM reel_strands l JOIN reels r ON r.id = l.reel_id WHERE l.strand_id = s.id AND NOT r.removed ORDER BY r.id)
		FROM strands s JOIN files f ON f.id = s.file_id WHERE s.take_id = ANY($1) ORDER BY s.take_id, s.position`, takes)
	if err != nil {
		return nil, err
	}
	var treated []byte
	all, err := pgx.CollectRows(rows, func(row pgx.CollectableRow) (s ListedStrand, err error) {
		err = row.Scan((*[16]byte)(&s.ID), (*[16]byte)(&s.TakeID), (*[16]byte)(&s.FileID), &s.Channel, &s.Position, &s.Label, &s.LabelSource, &s.RecorderTrack, &s.Peak, &s.RMS,
			&s.Stem, &s.Part, &treated, &s.Detached, &s.Shift, &s.Shape, &s.FileName, &s.Frames, &s.Reels)
		if err == nil && len(treated) > 2 { // {} is none
			err = json.Unmarshal(treated, &s.Treat)
		}
		return s, err
	})
	return all, Tag(err)
}
