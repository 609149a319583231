package httpapi_test

import (
	"bytes"
	"encoding/json"
	"io"
	"net/http"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/getkin/kin-openapi/openapi3"
	"github.com/google/uuid"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/api"
	"zestyloom/internal/app"
	"zestyloom/internal/httpapi/contract"
	"zestyloom/internal/testmedia"
)

// Every operation says in words what it does, and every body has an example that is one.
func TestContractIsWhole(t *testing.T) {
	doc, err := openapi3.NewLoader().LoadFromData(api.OpenAPI)
	require.NoError(t, err)
	require.NoError(t, doc.Validate(t.Context()))
	for path, item := range doc.Paths.Map() {
		for method, op := range item.Operations() {
			assert.NotEmpty(t, op.Summary, "%s %s", method, path)
			if op.RequestBody == nil {
				continue
			}
			media := op.RequestBody.Value.Content.Get("application/json")
			if media == nil {
				continue
			}
			schema := media.Schema.Value
			if assert.NotNil(t, schema.Example, "%s %s", method, path) {
				assert.NoError(t, schema.VisitJSON(schema.Example), "%s %s", method, path)
			}
			if assert.NotNil(t, schema.AdditionalProperties.Has, "%s %s refuses fields it does not know", method, path) {
				assert.False(t, *schema.AdditionalProperties.Has)
			}
		}
	}
}

func (s *server) ask(method, path string, body io.Reader, header map[string]string) (*http.Response, string) {
	s.t.Helper()
	req, err := http.NewRequest(method, s.url+path, body)
	require.NoError(s.t, err)
	for k, v := range header {
		req.Header.Set(k, v)
	}
	resp, err := http.DefaultClient.Do(req)
	require.NoError(s.t, err)
	defer resp.Body.Close()
	b, err := io.ReadAll(resp.Body)
	require.NoError(s.t, err)
	return resp, string(b)
}

func TestTheContractIsServed(t *testing.T) {
	s := start(t, "")
	resp, body := s.ask("GET", "/api/openapi.json", nil, nil)
	assert.Equal(t, 200, resp.StatusCode)
	var doc map[string]any
	require.NoError(t, json.Unmarshal([]byte(body), &doc))
	assert.Contains(t, doc["paths"], "/api/uploads/{upload}")
	assert.Equal(t, "1.2.3", doc["info"].(map[string]any)["version"], "the program's")
	resp, body = s.ask("GET", "/api/docs", nil, nil)
	assert.Equal(t, "text/html; charset=utf-8", resp.Header.Get("Content-Type"))
	for _, want := range []string{"createUpload", "Productions, newest first", "Lantern Ferry", "File-Id"} {
		assert.Contains(t, body, want)
	}
	assert.NotContains(t, body, "<script")
}

func TestWhatIsNotThere(t *testing.T) {
	s := start(t, "")
	p := s.production()
	problem := func(method, path string, body any, want int, code string) contract.Problem {
		t.Helper()
		var in io.Reader
		if body != nil {
			b, err := json.Marshal(body)
			require.NoError(t, err)
			in = bytes.NewReader(b)
		}
		resp, text := s.ask(method, path, in, map[string]string{"Content-Type": "application/json"})
		assert.Equal(t, want, resp.StatusCode, "%s %s: %s", method, path, text)
		assert.Equal(t, "application/problem+json", resp.Header.Get("Content-Type"), "%s %s", method, path)
		var pr contract.Problem
		require.NoError(t, json.Unmarshal([]byte(text), &pr), "%s %s: %s", method, path, text)
		assert.Equal(t, code, pr.Code)
		return pr
	}
	for _, path := range []string{"/api", "/api/", "/api/nothing", "/api/productions/" + p + "/nothing"} {
		problem("GET", path, nil, 404, "no_such_route")
	}
	pr := problem("PUT", "/api/productions", map[string]any{}, 405, "method_not_allowed")
	assert.Contains(t, pr.Detail, "POST")
	problem("POST", "/api/productions", map[string]any{"name": "x", "timecode_rate": "25", "colour": "red"}, 400, "bad_request")
	problem("POST", "/api/productions/"+p+"/sheet", map[string]any{"what": "x", "cells": []any{map[string]any{"row": uuid.New(), "field": "scene", "value": 1, "odd": 1}}}, 400, "bad_request")
	for _, path := range []string{"/healthz", "/api/productions", "/api/productions/" + p, "/api/productions/" + p + "/events", "/api/openapi.json", "/", "/assets/a.js"} {
		get, _ := http.NewRequest("HEAD", s.url+path, nil)
		resp, err := (&http.Client{Timeout: 10 * time.Second}).Do(get)
		require.NoError(t, err, path)
		resp.Body.Close()
		assert.Equal(t, 200, resp.StatusCode, path)
	}
	resp, _ := s.ask("HEAD", "/api/nothing", nil, nil)
	assert.Equal(t, 404, resp.StatusCode)
}

// What was changed meanwhile is told as a problem that carries what it is now.
func TestConflictsCarryTheState(t *testing.T) {
	s := start(t, "")
	p := s.production()
	r := s.reel(p)
	var now contract.ReelConflict
	assert.Equal(t, 409, s.call("POST", "/api/reels/"+r.Id.String()+"/width", map[string]any{"version": r.Version + 5, "outputs": 8}, &now))
	assert.Equal(t, []any{"stale", 409, r.Version}, []any{now.Code, now.Status, now.Current.Version})
	s.uploadFile(p, testmedia.Path(t, "poly8_s24.wav"))
	s.settled(p, 1)
	strand := s.takes(p)[0].Strands[0].Id
	require.Equal(t, 204, s.call("PUT", "/api/strands/"+strand.String()+"/detached", map[string]any{"detached": true, "shift": 480, "was": 0}, nil))
	var pr contract.Problem
	assert.Equal(t, 409, s.call("PUT", "/api/strands/"+strand.String()+"/detached", map[string]any{"detached": true, "shift": 960, "was": 0}, &pr))
	require.NotNil(t, pr.Current)
	assert.Equal(t, map[string]any{"shift": 480.0}, pr.Current)
}

func TestUploadsAnswerWithProblemsAndIDs(t *testing.T) {
	s := start(t, "")
	p := s.production()
	b, err := os.ReadFile(testmedia.Path(t, "stereo_u8.wav"))
	require.NoError(t, err)
	loc := s.createUpload(p, "a.wav", len(b))
	half := len(b) / 2
	require.Equal(t, 204, s.sendChunk(loc, 0, b[:half]))
	for name, c := range map[string]struct {
		resp *http.Response
		want int
		code string
	}{
		"from another place": {s.tusRequest("PATCH", loc, bytes.NewReader(b), map[string]string{"Upload-Offset": "7", "Content-Type": "application/offset+octet-stream"}), 409, "mismatched_offset"},
		"nowhere":            {s.tusRequest("PATCH", s.url+"/api/uploads/none", bytes.NewReader(b), map[string]string{"Upload-Offset": "0", "Content-Type": "application/offset+octet-stream"}), 404, "upload_not_found"},
		"a long name":        {s.tusRequest("HEAD", s.url+"/api/uploads/"+strings.Repeat("a", 300), nil, nil), 400, ""},
		"a nought":           {s.tusRequest("PATCH", s.url+"/api/uploads/a%00b", bytes.NewReader(b), map[string]string{"Upload-Offset": "0", "Content-Type": "application/offset+octet-stream"}), 400, "bad_request"},
		"a long name, sent":  {s.tusRequest("PATCH", s.url+"/api/uploads/"+strings.Repeat("a", 300), bytes.NewReader(b), map[string]string{"Upload-Offset": "0", "Content-Type": "application/offset+octet-stream"}), 400, "bad_request"},
		"no production":      {s.tusRequest("POST", s.url+"/api/uploads/", nil, map[string]string{"Upload-Length": "5"}), 422, "no_production"},
	} {
		text, err := io.ReadAll(c.resp.Body)
		require.NoError(t, err)
		if c.code == "" { // HEAD has no body
			assert.Equal(t, c.want, c.resp.StatusCode, name)
			continue
		}
		var pr contract.Problem
		require.NoError(t, json.Unmarshal(text, &pr), "%s: %s", name, text)
		assert.Equal(t, []any{c.want, c.want, c.code, "application/problem+json"}, []any{c.resp.StatusCode, pr.Status, pr.Code, c.resp.Header.Get("Content-Type")}, name)
		assert.NotEmpty(t, pr.Detail)
	}
	last := s.tusRequest("PATCH", loc, bytes.NewReader(b[half:]), map[string]string{"Upload-Offset": itoa(half), "Content-Type": "application/offset+octet-stream"})
	require.Equal(t, 204, last.StatusCode)
	assert.Equal(t, s.settled(p, 1)["a.wav"].Id.String(), last.Header.Get("File-Id"))
}

func itoa(n int) string {
	b, _ := json.Marshal(n)
	return string(b)
}

// An upload whose taking-in failed is not whole: it is tried again with the next request, and after a restart.
func TestAnUploadThatCouldNotBeTakenInIsNotLost(t *testing.T) {
	s := start(t, "")
	p := s.production()
	b, err := os.ReadFile(testmedia.Path(t, "stereo_u8.wav"))
	require.NoError(t, err)
	loc := s.createUpload(p, "a.wav", len(b))
	// The database refuses the row at the last byte.
	_, err = s.app.Store.Pool.Exec(t.Context(), `ALTER TABLE files ADD CONSTRAINT refused CHECK (name <> 'a.wav')`)
	require.NoError(t, err)
	assert.Equal(t, 503, s.sendChunk(loc, 0, b))
	head := s.tusRequest("HEAD", loc, nil, nil)
	assert.Equal(t, 503, head.StatusCode, "it is not said to be whole while it is not taken in")
	assert.Empty(t, s.files(p))
	_, err = s.app.Store.Pool.Exec(t.Context(), `ALTER TABLE files DROP CONSTRAINT refused`)
	require.NoError(t, err)
	head = s.tusRequest("HEAD", loc, nil, nil)
	assert.Equal(t, 200, head.StatusCode, "asking how far it is takes it in")
	assert.Equal(t, itoa(len(b)), head.Header.Get("Upload-Offset"))
	require.Contains(t, s.settled(p, 1), "a.wav")
	assert.Equal(t, contract.FileStateReady, s.files(p)["a.wav"].State)

	// One that a killed server left whole is swept in when the next begins.
	loc = s.createUpload(p, "b.wav", len(b))
	_, err = s.app.Store.Pool.Exec(t.Context(), `ALTER TABLE files ADD CONSTRAINT refused CHECK (name <> 'b.wav')`)
	require.NoError(t, err)
	assert.Equal(t, 503, s.sendChunk(loc, 0, b))
	_, err = s.app.Store.Pool.Exec(t.Context(), `ALTER TABLE files DROP CONSTRAINT refused`)
	require.NoError(t, err)
	n, err := s.app.SweepUploads(t.Context())
	require.NoError(t, err)
	assert.Equal(t, 1, n)
	require.Contains(t, s.files(p), "b.wav")
	left, err := filepath.Glob(filepath.Join(s.app.Media.Uploads(), "*"))
	require.NoError(t, err)
	for _, l := range left {
		assert.True(t, strings.HasSuffix(l, ".lock"), l)
	}
}

func TestPages(t *testing.T) {
	s := start(t, "")
	made := map[string]bool{}
	for range 5 {
		made[s.production()] = true
	}
	after, seen := "", 0
	for range 10 {
		var page contract.ProductionPage
		require.Equal(t, 200, s.call("GET", "/api/productions?limit=2&after="+after, nil, &page))
		require.LessOrEqual(t, len(page.Items), 2)
		for _, p := range page.Items {
			require.True(t, made[p.Id.String()])
			delete(made, p.Id.String())
			seen++
		}
		if after = page.Next; after == "" {
			break
		}
	}
	assert.Equal(t, 5, seen)
	assert.Empty(t, made)
	p := s.production()
	for _, list := range []string{"syncs", "writings"} {
		var page contract.SyncPage
		assert.Equal(t, 200, s.call("GET", "/api/productions/"+p+"/"+list+"?limit=1", nil, &page), list)
		assert.Empty(t, page.Next)
		assert.Equal(t, 422, s.call("GET", "/api/productions/"+p+"/"+list+"?after=x", nil, nil), list)
		assert.Equal(t, 404, s.call("GET", "/api/productions/"+uuid.NewString()+"/"+list, nil, nil), list)
	}
	var queue []contract.Order
	assert.Equal(t, 200, s.call("GET", "/api/productions/"+p+"/queue", nil, &queue))
	assert.NotNil(t, queue)
	assert.Equal(t, 200, s.call("PUT", "/api/productions/"+p+"/queue", map[string]any{"order": []string{uuid.NewString()}}, &queue), "what has ended meanwhile is left out")
	assert.Empty(t, queue)
	assert.Equal(t, 404, s.call("GET", "/api/productions/"+uuid.NewString()+"/queue", nil, nil))
	for _, step := range []string{"hold", "next", "cancel", "retry"} {
		assert.Equal(t, 404, s.call("POST", "/api/orders/"+uuid.NewString()+"/"+step, nil, nil), step)
	}
}

// A production goes out of the way, and back; removed, it can be kept for a day, and then all of it is gone.
func TestProductionsEnd(t *testing.T) {
	s := start(t, "")
	p, other := s.production(), s.production()
	s.uploadFile(p, testmedia.Path(t, "poly8_s24.wav"))
	s.uploadFile(other, testmedia.Path(t, "stereo_u8.wav"))
	s.settled(p, 1)
	s.settled(other, 1)
	var v contract.Production
	assert.Equal(t, 200, s.call("PATCH", "/api/productions/"+p, map[string]any{"archived": true}, &v))
	assert.True(t, v.Archived)
	assert.Equal(t, 200, s.call("PATCH", "/api/productions/"+p, map[string]any{"archived": false}, &v))
	assert.False(t, v.Archived)
	assert.Equal(t, 202, s.call("DELETE", "/api/productions/"+p, nil, &v))
	require.NotNil(t, v.Removal)
	assert.InDelta(t, app.RemovalPause.Seconds(), time.Until(*v.Removal).Seconds(), 60)
	assert.Equal(t, 200, s.call("POST", "/api/productions/"+p+"/keep", nil, &v))
	assert.Nil(t, v.Removal)
	assert.Equal(t, 202, s.call("DELETE", "/api/productions/"+p, nil, &v))
	n, err := s.app.RemoveDue(t.Context())
	require.NoError(t, err)
	assert.Zero(t, n, "its day is not over")
	now := s.app.Now
	s.app.Now = func() time.Time { return now().Add(app.RemovalPause + time.Second) }
	assert.Equal(t, 409, s.call("POST", "/api/productions/"+p+"/keep", nil, nil), "too late")
	n, err = s.app.RemoveDue(t.Context())
	require.NoError(t, err)
	assert.Equal(t, 1, n)
	assert.Equal(t, 404, s.call("GET", "/api/productions/"+p, nil, nil))
	assert.Len(t, s.files(other), 1)
	left, err := os.ReadDir(filepath.Join(s.media, "originals"))
	require.NoError(t, err)
	assert.Len(t, left, 1, "only the other's original is left")
	left, err = os.ReadDir(filepath.Join(s.media, "summaries"))
	require.NoError(t, err)
	assert.Len(t, left, 1)
}
