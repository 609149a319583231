package store

import (
	"context"
	"encoding/json"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"

	"zestyloom/core/snag"
	"zestyloom/core/source"
	"zestyloom/core/stored"
	"zestyloom/core/survey"
	"zestyloom/core/take"
	"zestyloom/core/treat"
)

// Take is a row of takes.
type Take struct {
	ID           uuid.UUID      `json:"id"`
	ProductionID uuid.UUID      `json:"production_id"`
	Name         string         `json:"name"`
	Scene        string         `json:"scene"`
	Take         string         `json:"take"`
	Roll         string         `json:"roll"`
	Note         string         `json:"note"`
	Circled      bool           `json:"circled"`
	WildTrack    bool           `json:"wild_track"`
	NoGood       bool           `json:"no_good"`
	FalseStart   bool           `json:"false_start"`
	SceneWas     string         `json:"scene_was"` // as recorded
	TakeWas      string         `json:"take_was"`
	Recorder     string         `json:"recorder"`
	Day          string         `json:"day"`
	StartSamples *int64         `json:"start_samples"` // what counts: as it was lined up, else as its files say
	StartWas     *int64         `json:"start_was"`
	StartSet     *int64         `json:"start_set"`
	DriftSet     float64        `json:"drift_set"` // ppm that its clock ran fast, by how it was lined up; 0 for none
	SampleRate   int            `json:"sample_rate"`
	Frames       int64          `json:"frames"`  // of its shortest member
	Longest      int64          `json:"longest"` // of its longest
	Readings     []take.Reading `json:"readings"`
	ReadByHand   bool           `json:"read_by_hand"` // a person has said how
	Snags        []snag.Snag    `json:"snags"`        // of the grouping; see Open

	Why           string `json:"why"`
	OrderWords    string `json:"order_words"`
	Certain       bool   `json:"certain"`
	Accepted      bool   `json:"accepted"`
	MissingRemedy string `json:"missing_remedy"` // wait, without or empty
	LengthRemedy  string `json:"length_remedy"`  // pad, shortest or empty

	Relations []survey.Relation `json:"relations"` // between the members of a set of files
	Related   string            `json:"related"`   // the members that they were found between

	Sums      []take.Sum `json:"sums"`       // strands that are but a mix
	Beside    string     `json:"beside"`     // what it was compared with that was recorded at the same time
	BesideSum *take.Sum  `json:"beside_sum"` // and what came of it
}

// UnmarshalJSON reads it under the names that its fields have now, and those that they had.
func (t *Take) UnmarshalJSON(b []byte) error {
	type plain Take
	return stored.Decode(b, (*plain)(t))
}

// Final reports whether the grouping can be built on.
func (t Take) Final() bool { return t.Certain || t.Accepted }

// Length is how long the take is, by the remedy chosen for unequal members.
func (t Take) Length() int64 {
	if t.LengthRemedy == "pad" {
		return t.Longest
	}
	return t.Frames
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
	Stem          string
	Part          string
	Treat         treat.Treatment
	Detached      bool    // let go from its take
	Shift         int64   // samples it lies late against its take since
	Drift         float64 // its take's: ppm
	Shape         []byte
	FileName      string
	FileHash      string
	FilePath      string // of the media folder; empty when Linked
	Linked        string // of the shelf, when the sound is read where it lies
	FileSize      int64
	FileModified  int64 // of a linked original
	Frames        int64
	SoundHash     string // of the file that the sound is read from, which may be a working copy; empty where it is not known
}

const takeColumns = `id, production_id, name, scene, take, roll, note, circled, wild_track, no_good, false_start, scene_was, take_was, recorder, day, start_samples, sample_rate, frames, longest, readings, snags, why, order_words, certain, accepted, missing_remedy, length_remedy, relations, related, start_was, start_set, drift_set, read_by_hand`

// takeRead is a row of takes as it is read: what somebody has said is no mix is none.
const takeRead = takeColumns + `, beside, beside_sum, CASE WHEN EXISTS (SELECT FROM suggestions g WHERE g.take_id = takes.id AND g.state = 'refused' AND g.body->>'kind' = 'mix') THEN '[]' ELSE sums END AS sums`

const strandSelect = `SELECT s.id, s.take_id, s.file_id, s.channel, s.position, s.label, s.label_source, s.recorder_track, s.peak, s.rms,
	s.stem, s.part, s.treat, s.detached, s.shift, t.drift_set AS drift, s.shape, f.name AS file_name, f.hash AS file_hash, coalesce(nullif(f.working_path, ''), f.path) AS file_path,
	CASE WHEN f.origin = 'linked' AND f.working_path = '' THEN f.source_path ELSE '' END AS linked, f.size AS file_size, f.modified AS file_modified, coalesce(f.frames, 0) AS frames,
	CASE WHEN f.working_path = '' THEN f.hash ELSE f.working_hash END AS sound_hash
	FROM strands s JOIN files f ON f.id = s.file_id JOIN takes t ON t.id = s.take_id `

// strands collects strands. There are thousands in a page of takes: they are read by place and not by name, and a
// treatment only where there is one.
func strands(ctx context.Context, q Queries, sql string, args ...any) ([]Strand, error) {
	rows, err := q.db.Query(ctx, sql, args...)
	if err != nil {
		return nil, err
	}
	var treated []byte
	all, err := pgx.CollectRows(rows, func(row pgx.CollectableRow) (s Strand, err error) {
		err = row.Scan((*[16]byte)(&s.ID), (*[16]byte)(&s.TakeID), (*[16]byte)(&s.FileID), &s.Channel, &s.Position, &s.Label, &s.LabelSource, &s.RecorderTrack, &s.Peak, &s.RMS,
			&s.Stem, &s.Part, &treated, &s.Detached, &s.Shift, &s.Drift, &s.Shape, &s.FileName, &s.FileHash, &s.FilePath,
			&s.Linked, &s.FileSize, &s.FileModified, &s.Frames, &s.SoundHash)
		if err == nil && len(treated) > 2 { // {} is none
			err = json.Unmarshal(treated, &s.Treat)
		}
		return s, err
	})
	return all, Tag(err)
}

// Take finds one.
func (q Queries) Take(ctx context.Context, id uuid.UUID) (Take, error) {
	return one[Take](ctx, q, `SELECT `+takeRead+` FROM takes WHERE id = $1`, id)
}

// TakesAfter lists a page of a production's takes.
func (q Queries) TakesAfter(ctx context.Context, production, after uuid.UUID, limit int) ([]Take, error) {
	return many[Take](ctx, q, `SELECT `+takeRead+` FROM takes WHERE production_id = $1 AND id > $2 ORDER BY id LIMIT $3`, production, after, limit)
}

// TakeCount counts a production's takes.
func (q Queries) TakeCount(ctx context.Context, production uuid.UUID) (n int, err error) {
	err = q.db.QueryRow(ctx, `SELECT count(*) FROM takes WHERE production_id = $1`, production).Scan(&n)
	return n, err
}

// TakeSnags counts the takes of a production that something is amiss with.
func (q Queries) TakeSnags(ctx context.Context, production uuid.UUID) (n int, err error) {
	err = q.db.QueryRow(ctx, `SELECT count(*) FROM takes WHERE production_id = $1 AND amiss`, production).Scan(&n)
	return n, err
}

// SetAmiss keeps with which takes something is amiss, and with which not.
func (q Queries) SetAmiss(ctx context.Context, amiss, fine []uuid.UUID) error {
	_, err := q.db.Exec(ctx, `UPDATE takes SET amiss = (id = ANY($1::uuid[])) WHERE id = ANY($1::uuid[] || $2::uuid[]) AND amiss IS DISTINCT FROM (id = ANY($1::uuid[]))`, ids(amiss), ids(fine))
	return err
}

// ids are never NULL.
func ids(list []uuid.UUID) []uuid.UUID { return append([]uuid.UUID{}, list...) }

// StrandsOfProduction says which of some strands are a production's.
func (q Queries) StrandsOfProduction(ctx context.Context, production uuid.UUID, ids []uuid.UUID) (map[uuid.UUID]bool, error) {
	type row struct{ ID uuid.UUID }
	rows, err := many[row](ctx, q, `SELECT s.id FROM strands s JOIN takes t ON t.id = s.take_id WHERE t.production_id = $1 AND s.id = ANY ($2)`, production, ids)
	out := map[uuid.UUID]bool{}
	for _, r := range rows {
		out[r.ID] = true
	}
	return out, err
}

// ProductionTakes lists all takes of a production, in the order of their starts.
func (q Queries) ProductionTakes(ctx context.Context, production uuid.UUID) ([]Take, error) {
	return many[Take](ctx, q, `SELECT `+takeRead+` FROM takes WHERE production_id = $1 ORDER BY start_samples, id`, production)
}

// TakesOfScene lists the takes of a scene but one, in the order in which they were made.
func (q Queries) TakesOfScene(ctx context.Context, production uuid.UUID, scene string, but uuid.UUID) ([]Take, error) {
	return many[Take](ctx, q, `SELECT `+takeRead+` FROM takes WHERE production_id = $1 AND scene = $2 AND scene <> '' AND id <> $3 ORDER BY start_samples, id LIMIT 200`, production, scene, but)
}

// TakesUnweighed lists takes of which it is not known whether something is amiss.
func (q Queries) TakesUnweighed(ctx context.Context, limit int) ([]uuid.UUID, error) {
	rows, err := many[struct{ ID uuid.UUID }](ctx, q, `SELECT id FROM takes WHERE amiss IS NULL LIMIT $1`, limit)
	out := make([]uuid.UUID, len(rows))
	for i, r := range rows {
		out[i] = r.ID
	}
	return out, err
}

// TakesByID finds some.
func (q Queries) TakesByID(ctx context.Context, ids []uuid.UUID) ([]Take, error) {
	return many[Take](ctx, q, `SELECT `+takeRead+` FROM takes WHERE id = ANY($1)`, ids)
}

// SaveTake adds a take, or stores it anew.
func (q Queries) SaveTake(ctx context.Context, t Take) error {
	if t.Readings == nil {
		t.Readings = []take.Reading{}
	}
	if t.Snags == nil {
		t.Snags = []snag.Snag{}
	}
	if t.Relations == nil {
		t.Relations = []survey.Relation{}
	}
	q.touch(t.ID)
	return q.exec(ctx, `INSERT INTO takes (`+takeColumns+`) VALUES ($1, $2, $3, $4, $5, $6, $7, $8, $9, $10, $11, $12, $13, $14, $15, $16, $17, $18, $19, $20, $21, $22, $23, $24, $25, $26, $27, $28, $29, $30, $31, $32, $33)
		ON CONFLICT (id) DO UPDATE SET name = $3, scene = $4, take = $5, roll = $6, note = $7, circled = $8, wild_track = $9, no_good = $10, false_start = $11, scene_was = $12, take_was = $13, recorder = $14, day = $15, start_samples = $16, sample_rate = $17, frames = $18, longest = $19, readings = $20, snags = $21, why = $22, order_words = $23, certain = $24, accepted = $25, missing_remedy = $26, length_remedy = $27, relations = $28, related = $29, start_was = $30, start_set = $31, drift_set = $32, read_by_hand = $33`,
		t.ID, t.ProductionID, t.Name, t.Scene, t.Take, t.Roll, t.Note, t.Circled, t.WildTrack, t.NoGood, t.FalseStart, t.SceneWas, t.TakeWas, t.Recorder, t.Day, t.StartSamples, t.SampleRate, t.Frames, t.Longest, t.Readings, t.Snags, t.Why, t.OrderWords, t.Certain, t.Accepted, t.MissingRemedy, t.LengthRemedy, t.Relations, t.Related, t.StartWas, t.StartSet, t.DriftSet, t.ReadByHand)
}

// TakesBeside lists the takes of a production that are of one rate and, within a tolerance, of one length.
func (q Queries) TakesBeside(ctx context.Context, t Take, tolerance int64) ([]Take, error) {
	return many[Take](ctx, q, `SELECT `+takeRead+` FROM takes WHERE production_id = $1 AND sample_rate = $2 AND longest BETWEEN $3 AND $4
		AND (start_was IS NULL) = ($5::bigint IS NULL) AND ($5::bigint IS NULL OR start_was BETWEEN $5 - $6::bigint AND $5 + $6::bigint) ORDER BY id`,
		t.ProductionID, t.SampleRate, t.Longest-tolerance, t.Longest+tolerance, t.StartWas, tolerance)
}

// Summed lists the takes of a production that are but a mix of others.
func (q Queries) Summed(ctx context.Context, production uuid.UUID) ([]Take, error) {
	return many[Take](ctx, q, `SELECT `+takeRead+` FROM takes WHERE production_id = $1 AND beside_sum IS NOT NULL ORDER BY id`, production)
}

// SetSums stores which strands of a take are but a mix.
func (q Queries) SetSums(ctx context.Context, id uuid.UUID, sums []take.Sum) error {
	q.touch(id)
	return q.exec(ctx, `UPDATE takes SET sums = $2 WHERE id = $1`, id, append([]take.Sum{}, sums...))
}

// SetBeside stores what a take has to do with what was recorded at the same time.
func (q Queries) SetBeside(ctx context.Context, id uuid.UUID, beside string, sum *take.Sum) error {
	q.touch(id)
	return q.exec(ctx, `UPDATE takes SET beside = $2, beside_sum = $3 WHERE id = $1`, id, beside, sum)
}

// SetRelations stores what the members of a set of files have to do with each other.
func (q Queries) SetRelations(ctx context.Context, id uuid.UUID, rs []survey.Relation, members string) error {
	q.touch(id)
	return q.exec(ctx, `UPDATE takes SET relations = $2, related = $3 WHERE id = $1`, id, rs, members)
}

// DeleteEmptyTakes removes those of the given takes that have no strands.
func (q Queries) DeleteEmptyTakes(ctx context.Context, takes []uuid.UUID) error {
	q.touch(takes...)
	_, err := q.db.Exec(ctx, `DELETE FROM takes t WHERE id = ANY($1) AND NOT EXISTS (SELECT FROM strands s WHERE s.take_id = t.id)`, takes)
	return err
}

// Strands lists the strands of takes, in order.
func (q Queries) Strands(ctx context.Context, takes []uuid.UUID) ([]Strand, error) {
	return strands(ctx, q, strandSelect+`WHERE s.take_id = ANY($1) ORDER BY s.take_id, s.position`, takes)
}

// StrandsOfFiles lists the strands that come from files.
func (q Queries) StrandsOfFiles(ctx context.Context, files []uuid.UUID) ([]Strand, error) {
	return strands(ctx, q, strandSelect+`WHERE s.file_id = ANY($1) ORDER BY s.file_id, s.channel`, files)
}

// Standing finds, of some takes, the strands that stand by themselves somewhere, as their files say.
func (q Queries) Standing(ctx context.Context, takes []uuid.UUID) (map[uuid.UUID]source.GroupFact, error) {
	type row struct {
		ID    uuid.UUID
		Group source.GroupFact
	}
	rows, err := many[row](ctx, q, `SELECT s.id, g AS "group" FROM strands s JOIN files f ON f.id = s.file_id,
		jsonb_array_elements(coalesce(nullif(f.facts->'facts'->'groups', 'null'), '[]')) g
		WHERE s.take_id = ANY($1) AND g ? 'at' AND g->'channels' = jsonb_build_array(s.channel)`, takes)
	out := map[uuid.UUID]source.GroupFact{}
	for _, r := range rows {
		out[r.ID] = r.Group
	}
	return out, err
}

// TakesWithPicture tells which of some takes come with a picture.
func (q Queries) TakesWithPicture(ctx context.Context, takes []uuid.UUID) (map[uuid.UUID]bool, error) {
	type row struct{ TakeID uuid.UUID }
	rows, err := many[row](ctx, q, `SELECT DISTINCT s.take_id FROM strands s JOIN files f ON f.id = s.file_id WHERE s.take_id = ANY($1) AND f.has_picture`, takes)
	out := map[uuid.UUID]bool{}
	for _, r := range rows {
		out[r.TakeID] = true
	}
	return out, err
}

// StrandsByID lists some.
func (q Queries) StrandsByID(ctx context.Context, ids []uuid.UUID) ([]Strand, error) {
	return strands(ctx, q, strandSelect+`WHERE s.id = ANY($1) ORDER BY s.file_id, s.channel`, ids)
}

// Strand finds one.
func (q Queries) Strand(ctx context.Context, id uuid.UUID) (Strand, error) {
	return one[Strand](ctx, q, strandSelect+`WHERE s.id = $1`, id)
}

// InsertStrand adds one.
func (q Queries) InsertStrand(ctx context.Context, s Strand) error {
	q.touch(s.TakeID)
	return q.exec(ctx, `INSERT INTO strands (id, take_id, file_id, channel, position, label, label_source, recorder_track, peak, rms, stem, part, treat, shape)
		VALUES ($1, $2, $3, $4, $5, $6, $7, $8, $9, $10, $11, $12, $13, $14)`, s.ID, s.TakeID, s.FileID, s.Channel, s.Position, s.Label, s.LabelSource, s.RecorderTrack, s.Peak, s.RMS, s.Stem, s.Part, s.Treat, s.Shape)
}

// PlaceStrand puts a strand into a take.
func (q Queries) PlaceStrand(ctx context.Context, id, take uuid.UUID, position int) error {
	q.touch(take)
	return q.exec(ctx, `UPDATE strands SET take_id = $2, position = $3 WHERE id = $1`, id, take, position)
}

// SaveStrand stores what people say of a strand.
func (q Queries) SaveStrand(ctx context.Context, s Strand) error {
	q.touch(s.ID)
	return q.exec(ctx, `UPDATE strands SET label = $2, label_source = $3, stem = $4, part = $5, treat = $6, detached = $7, shift = $8 WHERE id = $1`, s.ID, s.Label, s.LabelSource, s.Stem, s.Part, s.Treat, s.Detached, s.Shift)
}

// Detached is a strand that was let go from its take.
type Detached struct {
	ID    uuid.UUID
	Shift int64 // samples
	Rate  int   // of this rate in Hz
}

// DetachedInReel finds those of the strands that a reel plays that were let go.
func (q Queries) DetachedInReel(ctx context.Context, reel uuid.UUID) ([]Detached, error) {
	return many[Detached](ctx, q, `SELECT s.id, s.shift, t.sample_rate AS rate FROM reel_strands r JOIN strands s ON s.id = r.strand_id JOIN takes t ON t.id = s.take_id WHERE s.detached AND r.reel_id = $1`, reel)
}

// StrandLength is how long a strand is, in samples of its own.
type StrandLength struct {
	ID     uuid.UUID
	Frames int64
	Rate   int     // Hz
	Drift  float64 // ppm that its clock ran fast
}

// StrandsOf are those of some strands that are a production's.
func (q Queries) StrandsOf(ctx context.Context, production uuid.UUID, ids []uuid.UUID) (map[uuid.UUID]bool, error) {
	rows, err := many[struct{ ID uuid.UUID }](ctx, q, `SELECT s.id FROM strands s JOIN takes t ON t.id = s.take_id WHERE s.id = ANY ($1) AND t.production_id = $2`, ids, production)
	out := map[uuid.UUID]bool{}
	for _, r := range rows {
		out[r.ID] = true
	}
	return out, err
}

// StrandLengths finds those of some strands.
func (q Queries) StrandLengths(ctx context.Context, ids []uuid.UUID) ([]StrandLength, error) {
	return many[StrandLength](ctx, q, `SELECT s.id, coalesce(f.frames, 0) AS frames, t.sample_rate AS rate, t.drift_set AS drift FROM strands s JOIN files f ON f.id = s.file_id JOIN takes t ON t.id = s.take_id WHERE s.id = ANY ($1)`, ids)
}
