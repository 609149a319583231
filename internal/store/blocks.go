package store

import (
	"context"
	"time"

	"github.com/google/uuid"

	"zestyloom/core/blockhash"
	"zestyloom/core/order"
)

// SaveBlocks keeps the hashes of a file's blocks, by the hash of the whole file.
func (q Queries) SaveBlocks(ctx context.Context, s blockhash.Sums) error {
	_, err := q.db.Exec(ctx, `INSERT INTO blocks (hash, sums) VALUES ($1, $2) ON CONFLICT (hash) DO NOTHING`, s.Hash(), s.Encode())
	return Tag(err)
}

// Blocks finds the hashes of the blocks of a file by its hash; ErrNotFound where none were kept.
func (q Queries) Blocks(ctx context.Context, hash string) (blockhash.Sums, error) {
	row, err := one[struct{ Sums []byte }](ctx, q, `SELECT sums FROM blocks WHERE hash = $1`, hash)
	if err != nil {
		return blockhash.Sums{}, err
	}
	return blockhash.Decode(row.Sums)
}

// KeptFiles lists a page of the ready files of all productions that are copies of our own, without what was found in them.
func (q Queries) KeptFiles(ctx context.Context, after uuid.UUID, limit int) ([]File, error) {
	return part[File](ctx, q, `SELECT id, production_id, name, path, size, origin, lost, checked_at FROM files WHERE state = 'ready' AND origin <> 'linked' AND id > $1 ORDER BY id LIMIT $2`, after, limit)
}

// FileDue finds the ready file that was last read and compared before a time, the one that has waited longest; ErrNotFound
// where there is none. Without shelf those that stay on the shelf are passed over: they can't be looked at.
func (q Queries) FileDue(ctx context.Context, before time.Time, shelf bool) (File, error) {
	return one[File](ctx, q, `SELECT `+fileColumns+` FROM files WHERE state = 'ready' AND coalesce(checked_at, '-infinity') < $1 AND (origin <> 'linked' OR $2)
		ORDER BY checked_at NULLS FIRST, id LIMIT 1`, before, shelf)
}

// DeliveryDue finds the proven delivery that was last read and compared before a time, the one that has waited longest;
// ErrNotFound where there is none.
func (q Queries) DeliveryDue(ctx context.Context, before time.Time) (Delivery, error) {
	return one[Delivery](ctx, q, `SELECT `+orderedColumns+` FROM orders o WHERE kind = $2 AND o.state = $3 AND coalesce(checked_at, finished_at) < $1 ORDER BY coalesce(checked_at, finished_at), id LIMIT 1`,
		before, order.Delivery, order.Proven)
}

// FileChecked keeps that all of a file was read and compared just now.
func (q Queries) FileChecked(ctx context.Context, id uuid.UUID) error {
	return q.exec(ctx, `UPDATE files SET checked_at = clock_timestamp() WHERE id = $1`, id)
}

// SetWorkingHash keeps the hash of a working copy of before it was.
func (q Queries) SetWorkingHash(ctx context.Context, id uuid.UUID, hash string) error {
	return q.exec(ctx, `UPDATE files SET working_hash = $2 WHERE id = $1`, id, hash)
}

// DeliveryChecked keeps that all of a delivery was read and compared just now.
func (q Queries) DeliveryChecked(ctx context.Context, id uuid.UUID) error {
	return q.exec(ctx, `UPDATE orders SET checked_at = clock_timestamp() WHERE id = $1`, id)
}

// Scrubbed is how far everything that is kept has been read and compared since a time.
type Scrubbed struct {
	Files, FilesDone           int
	Bytes, BytesDone           int64 // of the files
	Deliveries, DeliveriesDone int
	Amiss                      int        // files and deliveries that are not what they were
	Oldest                     *time.Time // when what has waited longest was read last; nil for never, or for nothing there
}

// Scrubbed counts.
func (q Queries) Scrubbed(ctx context.Context, since time.Time) (s Scrubbed, err error) {
	err = q.db.QueryRow(ctx, `SELECT f.n, f.done, f.bytes, f.bytes_done, d.n, d.done, f.amiss + d.amiss, CASE WHEN f.never = 0 THEN least(f.oldest, d.oldest) END FROM
		(SELECT count(*) AS n, count(*) FILTER (WHERE checked_at >= $1) AS done, coalesce(sum(size), 0)::bigint AS bytes, coalesce(sum(size) FILTER (WHERE checked_at >= $1), 0)::bigint AS bytes_done,
			count(*) FILTER (WHERE lost IS NOT NULL) AS amiss, min(checked_at) AS oldest, count(*) FILTER (WHERE checked_at IS NULL) AS never FROM files WHERE state = 'ready') f,
		(SELECT count(*) AS n, count(*) FILTER (WHERE coalesce(checked_at, finished_at) >= $1) AS done, count(*) FILTER (WHERE damaged IS NOT NULL) AS amiss, min(coalesce(checked_at, finished_at)) AS oldest
			FROM orders WHERE kind = $2 AND state = $3) d`, since, order.Delivery, order.Proven).
		Scan(&s.Files, &s.FilesDone, &s.Bytes, &s.BytesDone, &s.Deliveries, &s.DeliveriesDone, &s.Amiss, &s.Oldest)
	return s, Tag(err)
}

// SetPlace says that a file's original lies elsewhere: path is of the media folder, source of the shelf, modified that of one that
// stays there, in Unix nanoseconds.
func (q Queries) SetPlace(ctx context.Context, id uuid.UUID, origin, path, source string, modified int64) error {
	return q.exec(ctx, `UPDATE files SET origin = $2, path = $3, source_path = $4, modified = $5 WHERE id = $1`, id, origin, path, source, modified)
}

// FilesOfStrands lists the files that strands are of, each once, in the order of their IDs.
func (q Queries) FilesOfStrands(ctx context.Context, strands []uuid.UUID) ([]File, error) {
	return part[File](ctx, q, `SELECT id, production_id, name, path, source_path, size, origin, modified, lost FROM files
		WHERE id IN (SELECT file_id FROM strands WHERE id = ANY($1)) ORDER BY id`, strands)
}

// CheckSoon has files read and compared before all others.
func (q Queries) CheckSoon(ctx context.Context, files []string) error {
	_, err := q.db.Exec(ctx, `UPDATE files SET checked_at = NULL WHERE id::text = ANY($1)`, files)
	return Tag(err)
}
