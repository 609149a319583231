package store

import "context"

// ColumnMap is a row of column_maps: what the columns of tables with some headings hold.
type ColumnMap struct {
	Heads  string
	Fields []string
}

// ColumnMaps finds those that are kept for headings.
func (q Queries) ColumnMaps(ctx context.Context, kind string, heads []string) ([]ColumnMap, error) {
	return many[ColumnMap](ctx, q, `SELECT heads, fields FROM column_maps WHERE kind = $1 AND heads = ANY($2) ORDER BY heads`, kind, heads)
}

// SaveColumnMap keeps one, or keeps it anew.
func (q Queries) SaveColumnMap(ctx context.Context, kind string, m ColumnMap) error {
	return q.exec(ctx, `INSERT INTO column_maps (kind, heads, fields) VALUES ($1, $2, $3) ON CONFLICT (kind, heads) DO UPDATE SET fields = $3`, kind, m.Heads, m.Fields)
}
