package httpapi_test

import (
	"cmp"
	"fmt"
	"io"
	"net/http"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"zestyloom/internal/httpapi/contract"
	"zestyloom/internal/testmedia"
)

// many fills a production with takes of eight strands: copies of the rows of one that was really taken in.
func (s *server) many(production string, count int) {
	s.t.Helper()
	s.uploadFile(production, testmedia.Path(s.t, "poly8_s24.wav"))
	s.settled(production, 1)
	pool, ctx := s.app.Store.Pool, s.t.Context()
	exec := func(sql string, args ...any) {
		_, err := pool.Exec(ctx, sql, args...)
		require.NoError(s.t, err, sql)
	}
	exec(`CREATE FUNCTION numbered(kind int, n int) RETURNS uuid LANGUAGE sql AS 'SELECT (''01a00000-'' || lpad(to_hex(kind), 4, ''0'') || ''-7000-8000-'' || lpad(to_hex(n), 12, ''0''))::uuid'`)
	for _, t := range []struct {
		table   string
		changes map[string]string
	}{
		{"files", map[string]string{"id": "numbered(1, n)", "name": "'M' || n || '.wav'", "hash": "n::text"}},
		{"takes", map[string]string{"id": "numbered(2, n)", "name": "'M' || n", "scene": "(n / 8)::text", "take": "(n % 8)::text"}},
		{"strands", map[string]string{"id": "numbered(3, n * 8 + position)", "take_id": "numbered(2, n)", "file_id": "numbered(1, n)"}},
	} {
		rows, err := pool.Query(ctx, `SELECT quote_ident(column_name), column_name FROM information_schema.columns WHERE table_name = $1 AND is_generated = 'NEVER'`, t.table)
		require.NoError(s.t, err)
		var columns, values []string
		for rows.Next() {
			var column, name string
			require.NoError(s.t, rows.Scan(&column, &name))
			columns, values = append(columns, column), append(values, cmp.Or(t.changes[name], column))
		}
		require.NoError(s.t, rows.Err())
		exec(`INSERT INTO ` + t.table + ` (` + strings.Join(columns, ", ") + `) SELECT ` + strings.Join(values, ", ") + ` FROM ` + t.table + `, generate_series(2, ` + fmt.Sprint(count) + `) n`)
	}
	exec(`ANALYZE`)
}

// BenchmarkManyTakes is what lists of a production of 10,000 takes of eight strands cost, through HTTP and PostgreSQL.
func BenchmarkManyTakes(b *testing.B) {
	s := start(b, "")
	p := s.production()
	s.many(p, 10000)
	for _, path := range []string{"/takes?limit=500", "/takes?limit=20", "/files?limit=500", "/files?limit=26", ""} {
		b.Run(path, func(b *testing.B) {
			var bytes int64
			for b.Loop() {
				r, err := http.Get(s.url + "/api/productions/" + p + path)
				require.NoError(b, err)
				bytes, err = io.Copy(io.Discard, r.Body)
				require.NoError(b, err)
				r.Body.Close()
				require.Equal(b, http.StatusOK, r.StatusCode)
			}
			b.ReportMetric(float64(bytes), "bytes")
		})
	}
	var page contract.TakePage
	require.Equal(b, http.StatusOK, s.call("GET", "/api/productions/"+p+"/takes?limit=20", nil, &page))
	b.Run("edit", func(b *testing.B) {
		for n := 0; b.Loop(); n++ {
			e := map[string]any{"what": "type", "cells": []any{map[string]any{"row": page.Items[n%20].Id, "field": "note", "value": fmt.Sprint(n)}}}
			require.Equal(b, http.StatusOK, s.call("POST", "/api/productions/"+p+"/sheet", e, nil))
		}
	})
}
