package httpapi_test

import (
	"context"
	"fmt"
	"log/slog"
	"net/http"
	"net/http/httptest"
	"os"
	"sync"
	"testing"
	"testing/fstest"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/internal/app"
	"zestyloom/internal/httpapi"
	"zestyloom/internal/store"
	"zestyloom/internal/testmedia"
)

// counter counts queries.
type counter struct {
	mu  sync.Mutex
	sql []string
}

func (c *counter) TraceQueryStart(ctx context.Context, _ *pgx.Conn, q pgx.TraceQueryStartData) context.Context {
	c.mu.Lock()
	defer c.mu.Unlock()
	c.sql = append(c.sql, q.SQL)
	return ctx
}

func (c *counter) TraceQueryEnd(context.Context, *pgx.Conn, pgx.TraceQueryEndData) {}

func (c *counter) taken() []string {
	c.mu.Lock()
	defer c.mu.Unlock()
	out := c.sql
	c.sql = nil
	return out
}

// counting serves an application once more, and counts its queries.
func counting(t *testing.T, of *app.App) (http.Handler, *counter) {
	t.Helper()
	counts := &counter{}
	st, err := store.OpenTraced(t.Context(), of.Store.Pool.Config().ConnString(), counts)
	require.NoError(t, err)
	t.Cleanup(st.Close)
	a := &app.App{Store: st, Media: of.Media, Queue: of.Queue, Now: time.Now}
	h, err := httpapi.New(httpapi.Options{App: a, Watcher: app.NewWatcher(a), Hub: httpapi.NewHub(), Log: slog.Default(), Web: fstest.MapFS{"index.html": {Data: []byte("x")}}})
	require.NoError(t, err)
	return h, counts
}

// Lists cost as many queries however long they are: a handful, and none a row.
func TestListsAreCheap(t *testing.T) {
	s := start(t, "")
	p := s.production()
	h, counts := counting(t, s.app)
	lists := map[string]int{"": 9, "/files": 4, "/takes": 4, "/syncs": 4, "/writings": 2, "/deliveries": 2, "/queue": 2, "/reels": 2, "/templates": 2, "/edits": 2}
	cost := func() map[string]int {
		out := map[string]int{}
		for list, most := range lists {
			counts.taken()
			w := httptest.NewRecorder()
			r := httptest.NewRequest("GET", "/api/productions/"+p+list, nil)
			r.Host = "127.0.0.1"
			h.ServeHTTP(w, r)
			require.Equal(t, http.StatusOK, w.Code, "%s: %s", list, w.Body)
			asked := counts.taken()
			assert.LessOrEqual(t, len(asked), most, "%q: %v", list, asked)
			out[list] = len(asked)
		}
		return out
	}
	fill := func(from, to int) {
		for i := from; i < to; i++ {
			b, err := os.ReadFile(testmedia.Path(t, []string{"poly8_s24.wav", "stereo_u8.wav", "six.wav", "1.48000.wav", "six.wav", "six.wav"}[i]))
			require.NoError(t, err)
			s.upload(p, fmt.Sprintf("%d.wav", i), b)
		}
		s.settled(p, to)
		var takes struct{ Items []struct{ Id string } }
		s.call("GET", "/api/productions/"+p+"/takes", nil, &takes)
		for i, tk := range takes.Items {
			s.call("POST", "/api/productions/"+p+"/sheet", map[string]any{"what": fmt.Sprint("type ", i), "cells": []any{map[string]any{"row": tk.Id, "field": "note", "value": fmt.Sprint("n", from, i)}}}, nil)
			s.call("POST", "/api/productions/"+p+"/reels", map[string]any{"name": fmt.Sprint("Reel ", from, " ", i)}, nil)
		}
	}
	fill(0, 2)
	few := cost()
	fill(2, 6) // two of them the same as another
	assert.Equal(t, few, cost())
	t.Log(few)
}
