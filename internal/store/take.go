package store

import (
	"context"

	"github.com/google/uuid"

	"zestyloom/core/snag"
)

// Take is a row of takes.
type Take struct {
	ID           uuid.UUID
	ProductionID uuid.UUID
	SetKey       string
	Name         string
	Scene        string
	Take         string
	Roll         string
	Note         string
	Circled      bool
	WildTrack    bool
	NoGood       bool
	StartSamples *int64
	SampleRate   int
	Frames       int64
	Snags        []snag.Snag
}

// Strand is a row of strands with what it takes from its file.
type Strand struct {
	ID            uuid.UUID
	TakeID        uuid.UUID
	FileID        uuid.UUID
	Channel       int
	Position      int
	Label         string
	LabelSource   string
	RecorderTrack *int
	Peak          float64
	RMS           float64
	FileName      string
	FilePath      string
	Frames        int64
}

const takeColumns = `id, production_id, set_key, name, scene, take, roll, note, circled, wild_track, no_good, start_samples, sample_rate, frames, snags`

const strandSelect = `SELECT s.id, s.take_id, s.file_id, s.channel, s.position, s.label, s.label_source, s.recorder_track, s.peak, s.rms,
	f.name AS file_name, f.path AS file_path, (f.facts->>'frames')::bigint AS frames
	FROM strands s JOIN files f ON f.id = s.file_id `

// Take finds one.
func (q Queries) Take(ctx context.Context, id uuid.UUID) (Take, error) {
	return one[Take](ctx, q, `SELECT `+takeColumns+` FROM takes WHERE id = $1`, id)
}

// TakesAfter lists a page of a production's takes.
func (q Queries) TakesAfter(ctx context.Context, production, after uuid.UUID, limit int) ([]Take, error) {
	return many[Take](ctx, q, `SELECT `+takeColumns+` FROM takes WHERE production_id = $1 AND id > $2 ORDER BY id LIMIT $3`, production, after, limit)
}

// TakeOfSet finds the newest take of a set of mono files.
func (q Queries) TakeOfSet(ctx context.Context, production uuid.UUID, key string) (Take, error) {
	return one[Take](ctx, q, `SELECT `+takeColumns+` FROM takes WHERE production_id = $1 AND set_key = $2 ORDER BY id DESC LIMIT 1`, production, key)
}

// TakeCount counts a production's takes.
func (q Queries) TakeCount(ctx context.Context, production uuid.UUID) (n int, err error) {
	err = q.db.QueryRow(ctx, `SELECT count(*) FROM takes WHERE production_id = $1`, production).Scan(&n)
	return n, err
}

// TakeSnags counts the takes of a production that something is amiss with: snags of their own, or
// strands that sound and have no label.
func (q Queries) TakeSnags(ctx context.Context, production uuid.UUID, silence float64) (n int, err error) {
	err = q.db.QueryRow(ctx, `SELECT count(*) FROM takes t WHERE production_id = $1 AND (jsonb_array_length(snags) > 0
		OR EXISTS (SELECT FROM strands s WHERE s.take_id = t.id AND s.label = '' AND s.peak >= $2))`, production, silence).Scan(&n)
	return n, err
}

// InsertTake adds one.
func (q Queries) InsertTake(ctx context.Context, t Take) error {
	return q.exec(ctx, `INSERT INTO takes (`+takeColumns+`) VALUES ($1, $2, $3, $4, $5, $6, $7, $8, $9, $10, $11, $12, $13, $14, $15)`,
		t.ID, t.ProductionID, t.SetKey, t.Name, t.Scene, t.Take, t.Roll, t.Note, t.Circled, t.WildTrack, t.NoGood, t.StartSamples, t.SampleRate, t.Frames, t.Snags)
}

// UpdateTakeSet records how long a set is and what it lacks.
func (q Queries) UpdateTakeSet(ctx context.Context, id uuid.UUID, frames int64, snags []snag.Snag) error {
	return q.exec(ctx, `UPDATE takes SET frames = $2, snags = $3 WHERE id = $1`, id, frames, snags)
}

// Strands lists the strands of takes, in order.
func (q Queries) Strands(ctx context.Context, takes []uuid.UUID) ([]Strand, error) {
	return many[Strand](ctx, q, strandSelect+`WHERE s.take_id = ANY($1) ORDER BY s.take_id, s.position`, takes)
}

// StrandsOfFiles lists the strands that come from files.
func (q Queries) StrandsOfFiles(ctx context.Context, files []uuid.UUID) ([]Strand, error) {
	return many[Strand](ctx, q, strandSelect+`WHERE s.file_id = ANY($1) ORDER BY s.file_id, s.channel`, files)
}

// Strand finds one.
func (q Queries) Strand(ctx context.Context, id uuid.UUID) (Strand, error) {
	return one[Strand](ctx, q, strandSelect+`WHERE s.id = $1`, id)
}

// InsertStrand adds one.
func (q Queries) InsertStrand(ctx context.Context, s Strand) error {
	return q.exec(ctx, `INSERT INTO strands (id, take_id, file_id, channel, position, label, label_source, recorder_track, peak, rms)
		VALUES ($1, $2, $3, $4, $5, $6, $7, $8, $9, $10)`, s.ID, s.TakeID, s.FileID, s.Channel, s.Position, s.Label, s.LabelSource, s.RecorderTrack, s.Peak, s.RMS)
}

// PlaceStrand moves a strand within its take.
func (q Queries) PlaceStrand(ctx context.Context, id uuid.UUID, position int) error {
	return q.exec(ctx, `UPDATE strands SET position = $2 WHERE id = $1`, id, position)
}

// LabelStrand labels one.
func (q Queries) LabelStrand(ctx context.Context, id uuid.UUID, label, source string) error {
	return q.exec(ctx, `UPDATE strands SET label = $2, label_source = $3 WHERE id = $1`, id, label, source)
}
