package app

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"maps"
	"slices"

	"zestyloom/core/columns"
	"zestyloom/internal/store"
)

// Incoming is a table that comes in: as somebody says that it is read, which can be kept for those with the same headings, else as
// is kept, else by what its headings say.
type Incoming struct {
	Text []byte
	As   *columns.Mapping
	Keep bool
}

// mapped finds how it is read; kept tells that somebody has said it of such a table before.
func (i Incoming) mapped(ctx context.Context, q store.Queries, kind string) (as *columns.Mapping, kept bool, err error) {
	if i.As != nil {
		return i.As, false, nil
	}
	as, err = keptMapping(ctx, q, kind, columns.Decode(i.Text))
	return as, as != nil, err
}

// keep keeps how it was read, where that is asked for.
func (i Incoming) keep(ctx context.Context, q store.Queries, kind string, t columns.Table) error {
	if !i.Keep || !t.Recognised {
		return nil
	}
	m := store.ColumnMap{Heads: headsID(t.Heading()), Fields: []string{}}
	for _, c := range t.Columns {
		m.Fields = append(m.Fields, c.Field)
	}
	return q.SaveColumnMap(ctx, kind, m)
}

// headsID is how headings are kept: there may be a thousand of them.
func headsID(heads string) string {
	sum := sha256.Sum256([]byte(heads))
	return hex.EncodeToString(sum[:])
}

// keptMapping finds how somebody has said before that a table with these headings is read; nil where nobody has.
func keptMapping(ctx context.Context, q store.Queries, kind, text string) (*columns.Mapping, error) {
	at := map[string]int{}
	for h, line := range columns.Heads(text) {
		at[headsID(h)] = line
	}
	kept, err := q.ColumnMaps(ctx, kind, slices.Collect(maps.Keys(at)))
	if err != nil || len(kept) == 0 {
		return nil, err
	}
	return &columns.Mapping{Head: at[kept[0].Heads], Fields: kept[0].Fields}, nil
}
