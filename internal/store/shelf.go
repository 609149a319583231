package store

import (
	"context"

	"github.com/google/uuid"

	"zestyloom/core/mhl"
)

// Watch is a row of watches: a folder of the shelf that is looked at for new files.
type Watch struct {
	ProductionID uuid.UUID
	Path         string
}

// Watches lists those of all productions.
func (q Queries) Watches(ctx context.Context) ([]Watch, error) {
	return many[Watch](ctx, q, `SELECT production_id, path FROM watches ORDER BY production_id, path`)
}

// SetWatches replaces a production's.
func (q Queries) SetWatches(ctx context.Context, production uuid.UUID, paths []string) error {
	if _, err := q.db.Exec(ctx, `DELETE FROM watches WHERE production_id = $1`, production); err != nil {
		return err
	}
	for _, p := range paths {
		if err := q.exec(ctx, `INSERT INTO watches (production_id, path) VALUES ($1, $2)`, production, p); err != nil {
			return err
		}
	}
	return nil
}

// Decline remembers files of the shelf that are not wanted.
func (q Queries) Decline(ctx context.Context, production uuid.UUID, paths []string) error {
	_, err := q.db.Exec(ctx, `INSERT INTO declined (production_id, path) SELECT $1, unnest($2::text[]) ON CONFLICT DO NOTHING`, production, paths)
	return err
}

// KnownPaths are the files of the shelf that a production has, or does not want.
func (q Queries) KnownPaths(ctx context.Context, production uuid.UUID) (map[string]bool, error) {
	rows, err := q.db.Query(ctx, `SELECT source_path FROM files WHERE production_id = $1 AND source_path <> '' UNION SELECT path FROM declined WHERE production_id = $1`, production)
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	known := map[string]bool{}
	for rows.Next() {
		var p string
		if err := rows.Scan(&p); err != nil {
			return nil, err
		}
		known[p] = true
	}
	return known, rows.Err()
}

// HashList is a row of hash_lists.
type HashList struct {
	ID           uuid.UUID
	ProductionID uuid.UUID
	Name         string
	Body         mhl.List
}

// HashLists lists a production's, the newest last.
func (q Queries) HashLists(ctx context.Context, production uuid.UUID) ([]HashList, error) {
	return many[HashList](ctx, q, `SELECT id, production_id, name, body FROM hash_lists WHERE production_id = $1 ORDER BY id`, production)
}

// HashListByID finds one.
func (q Queries) HashListByID(ctx context.Context, id uuid.UUID) (HashList, error) {
	return one[HashList](ctx, q, `SELECT id, production_id, name, body FROM hash_lists WHERE id = $1`, id)
}

// InsertHashList adds one.
func (q Queries) InsertHashList(ctx context.Context, l HashList) error {
	return q.exec(ctx, `INSERT INTO hash_lists (id, production_id, name, body) VALUES ($1, $2, $3, $4)`, l.ID, l.ProductionID, l.Name, l.Body)
}

// DeleteHashList removes one.
func (q Queries) DeleteHashList(ctx context.Context, id uuid.UUID) error {
	return q.exec(ctx, `DELETE FROM hash_lists WHERE id = $1`, id)
}

// OnShelf tells which paths of the shelf a production's files came from.
func (q Queries) OnShelf(ctx context.Context, production uuid.UUID) (map[string]bool, error) {
	type row struct{ SourcePath string }
	rows, err := many[row](ctx, q, `SELECT source_path FROM files WHERE production_id = $1 AND source_path <> '' AND state <> 'refused'`, production)
	out := map[string]bool{}
	for _, r := range rows {
		out[r.SourcePath] = true
	}
	return out, err
}
