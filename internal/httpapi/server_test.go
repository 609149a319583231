package httpapi_test

import (
	"bytes"
	"context"
	"crypto/ed25519"
	"encoding/base64"
	"encoding/json"
	"fmt"
	"io"
	"log/slog"
	"net/http"
	"net/http/httptest"
	"os"
	"path/filepath"
	"strings"
	"sync"
	"testing"
	"testing/fstest"
	"time"

	"github.com/stretchr/testify/require"

	"zestyloom/internal/app"
	"zestyloom/internal/httpapi"
	"zestyloom/internal/httpapi/contract"
	"zestyloom/internal/jobs"
	"zestyloom/internal/media"
	"zestyloom/internal/pgtest"
)

func TestMain(m *testing.M) { pgtest.Main(m, manyAnswers) }

// slow is how long bodies may take here.
const slow = 3 * time.Second

// server is the whole application, with a worker, on a database of its own.
type server struct {
	t     testing.TB
	url   string
	media string
	app   *app.App
}

func start(t testing.TB, shelf string) *server {
	t.Helper()
	st := pgtest.Store(t)
	log := slog.New(slog.NewTextHandler(os.Stderr, &slog.HandlerOptions{Level: slog.LevelError}))
	dir := t.TempDir()
	folder, err := media.Open(dir)
	require.NoError(t, err)
	queue, err := jobs.NewQueue(st, log)
	require.NoError(t, err)
	a := &app.App{Store: st, Media: folder, Queue: queue, Now: time.Now, Key: ed25519.NewKeyFromSeed([]byte("thirty-two bytes of lantern oil."))}
	if shelf != "" {
		a.Shelf, err = media.OpenShelf(shelf)
		require.NoError(t, err)
	}
	ctx, cancel := context.WithCancel(context.Background())
	var running sync.WaitGroup
	t.Cleanup(func() { // also where what follows fails: a worker that goes on would keep the test from ending
		cancel()
		running.Wait()
	})
	require.NoError(t, a.EnsureSpecs(ctx))
	hub := httpapi.NewHub()
	running.Go(func() { hub.Run(ctx, st, log) })
	running.Go(func() {
		if err := jobs.Run(ctx, a, log, nil); err != nil {
			t.Errorf("the worker ended: %v", err)
		}
	})
	h, err := httpapi.New(httpapi.Options{App: a, Watcher: app.NewWatcher(a), Hub: hub, Log: log, BodyTime: slow, Version: "1.2.3", Web: fstest.MapFS{"index.html": {Data: []byte("<title>front</title>")}, "assets/a.js": {Data: []byte("1")}}})
	require.NoError(t, err)
	srv := httptest.NewServer(held(t, h))
	t.Cleanup(func() {
		srv.CloseClientConnections()
		srv.Close()
	})
	return &server{t, srv.URL, dir, a}
}

// call makes a request and reads a JSON answer into out. It returns the status.
func (s *server) call(method, path string, body, out any) int {
	s.t.Helper()
	var in io.Reader
	if body != nil {
		b, err := json.Marshal(body)
		require.NoError(s.t, err)
		in = bytes.NewReader(b)
	}
	req, err := http.NewRequest(method, s.url+path, in)
	require.NoError(s.t, err)
	if body != nil {
		req.Header.Set("Content-Type", "application/json")
	}
	resp, err := http.DefaultClient.Do(req)
	require.NoError(s.t, err)
	defer resp.Body.Close()
	b, err := io.ReadAll(resp.Body)
	require.NoError(s.t, err)
	if out != nil {
		require.NoError(s.t, json.Unmarshal(b, out), "%s %s: %s", method, path, b)
	}
	return resp.StatusCode
}

func (s *server) production() string {
	s.t.Helper()
	var p contract.Production
	require.Equal(s.t, http.StatusCreated, s.call("POST", "/api/productions", map[string]any{"name": "Test", "timecode_rate": "25", "start_timecode": "22:10:00:00"}, &p))
	return p.Id.String()
}

// tusRequest makes a request of the tus protocol.
func (s *server) tusRequest(method, url string, body io.Reader, header map[string]string) *http.Response {
	s.t.Helper()
	req, err := http.NewRequest(method, url, body)
	require.NoError(s.t, err)
	req.Header.Set("Tus-Resumable", "1.0.0")
	for k, v := range header {
		req.Header.Set(k, v)
	}
	resp, err := http.DefaultClient.Do(req)
	require.NoError(s.t, err)
	s.t.Cleanup(func() { resp.Body.Close() })
	return resp
}

func (s *server) createUpload(production, name string, size int) string {
	s.t.Helper()
	meta := func(v string) string { return base64.StdEncoding.EncodeToString([]byte(v)) }
	resp := s.tusRequest("POST", s.url+"/api/uploads/", nil, map[string]string{
		"Upload-Length": fmt.Sprint(size), "Upload-Metadata": "filename " + meta(name) + ",production " + meta(production),
	})
	require.Equal(s.t, http.StatusCreated, resp.StatusCode)
	loc := resp.Header.Get("Location")
	if strings.HasPrefix(loc, "/") {
		loc = s.url + loc
	}
	return loc
}

func (s *server) sendChunk(loc string, offset int, b []byte) int {
	s.t.Helper()
	return s.tusRequest("PATCH", loc, bytes.NewReader(b), map[string]string{"Upload-Offset": fmt.Sprint(offset), "Content-Type": "application/offset+octet-stream"}).StatusCode
}

func (s *server) upload(production, name string, b []byte) {
	s.t.Helper()
	loc := s.createUpload(production, name, len(b))
	if len(b) > 0 { // an empty upload is whole when it is created
		require.Equal(s.t, http.StatusNoContent, s.sendChunk(loc, 0, b))
	}
}

func (s *server) uploadFile(production, path string) {
	s.t.Helper()
	b, err := os.ReadFile(path)
	require.NoError(s.t, err)
	s.upload(production, filepath.Base(path), b)
}

// until asks again until ok; the server works in the background.
func until[T any](t testing.TB, what string, get func() T, ok func(T) bool) T {
	t.Helper()
	deadline := time.Now().Add(60 * time.Second)
	for {
		v := get()
		if ok(v) {
			return v
		}
		if time.Now().After(deadline) {
			t.Fatalf("%s did not come about; last seen: %+v", what, v)
		}
		time.Sleep(20 * time.Millisecond)
	}
}

func (s *server) files(production string) map[string]contract.File {
	s.t.Helper()
	var page contract.FilePage
	require.Equal(s.t, http.StatusOK, s.call("GET", "/api/productions/"+production+"/files", nil, &page))
	out := map[string]contract.File{}
	for _, f := range page.Items {
		out[f.Name] = f
	}
	return out
}

// settled waits until n files have been read or refused.
func (s *server) settled(production string, n int) map[string]contract.File {
	s.t.Helper()
	return until(s.t, fmt.Sprintf("%d files", n), func() map[string]contract.File { return s.files(production) }, func(fs map[string]contract.File) bool {
		done := 0
		for _, f := range fs {
			if f.State != contract.FileStateWaiting && f.State != contract.FileStateAnalysing {
				done++
			}
		}
		return done == n
	})
}

func (s *server) takes(production string) []contract.Take {
	s.t.Helper()
	var page contract.TakePage
	require.Equal(s.t, http.StatusOK, s.call("GET", "/api/productions/"+production+"/takes", nil, &page))
	return page.Items
}

func (s *server) reel(production string) contract.Reel {
	s.t.Helper()
	var r contract.Reel
	require.Equal(s.t, http.StatusOK, s.call("GET", "/api/productions/"+production+"/reel", nil, &r))
	return r
}
