package httpapi_test

import (
	"bufio"
	"encoding/base64"
	"encoding/json"
	"fmt"
	"io"
	"net"
	"net/http"
	"os"
	"strings"
	"testing"
	"time"

	"github.com/getkin/kin-openapi/openapi3"
	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/api"
	"zestyloom/internal/httpapi/contract"
)

// request makes a request and reads the problem that answers it.
func (s *server) request(method, path string, body io.Reader, headers map[string]string) (int, http.Header, contract.Problem) {
	s.t.Helper()
	resp, says := s.ask(method, path, body, headers)
	var p contract.Problem
	_ = json.Unmarshal([]byte(says), &p) // what is no problem has none
	return resp.StatusCode, resp.Header, p
}

func TestBodiesAreBounded(t *testing.T) {
	s := start(t, "")
	p := s.production()
	json := map[string]string{"Content-Type": "application/json"}
	large := `{"name": "` + strings.Repeat("x", 17<<20) + `"}`
	status, _, pr := s.request("POST", "/api/productions", strings.NewReader(large), json)
	assert.Equal(t, []any{413, "too_large"}, []any{status, pr.Code}, "it says how long it is")
	status, _, pr = s.request("POST", "/api/productions", io.MultiReader(strings.NewReader(large)), json)
	assert.Equal(t, []any{413, "too_large"}, []any{status, pr.Code}, "it comes in pieces of unknown number")
	status, _, _ = s.request("POST", "/api/productions/"+p+"/sheet", io.MultiReader(strings.NewReader(`{"what": "x", "cells": [`+strings.Repeat(" ", 18<<20)+`]}`)), json)
	assert.Equal(t, 413, status)

	// So are edits, of 1 MiB, and what is short and costs much once it is decoded.
	reel := "/api/reels/" + s.reel(p).Id.String() + "/edits"
	edit := func(actions string) (int, contract.Problem) {
		status, _, pr := s.request("POST", reel, strings.NewReader(`{"version": 1, "label": "x", "actions": `+actions+`}`), json)
		return status, pr
	}
	status, pr = edit("[" + strings.Repeat(" ", 1<<20) + "]")
	assert.Equal(t, []any{413, "too_large"}, []any{status, pr.Code})
	assert.Contains(t, pr.Detail, "1 MiB")
	status, pr = edit("[" + strings.Repeat("1,", 260_000) + "1]")
	assert.Equal(t, 400, status)
	assert.Contains(t, pr.Detail, "250000 values")
	status, pr = edit(strings.Repeat("[", 70) + strings.Repeat("]", 70))
	assert.Equal(t, 400, status)
	assert.Contains(t, pr.Detail, "64 deep")

	// A head that claims what never comes is refused by its claim alone.
	c, err := net.Dial("tcp", strings.TrimPrefix(s.url, "http://"))
	require.NoError(t, err)
	defer c.Close()
	fmt.Fprintf(c, "POST /api/productions HTTP/1.1\r\nHost: %s\r\nContent-Type: application/json\r\nContent-Length: 1073741824\r\n\r\n{", strings.TrimPrefix(s.url, "http://"))
	resp, err := http.ReadResponse(bufio.NewReader(c), nil)
	require.NoError(t, err)
	resp.Body.Close()
	assert.Equal(t, 413, resp.StatusCode)
}

// A body that never ends is waited for no longer than is said, and holds nothing up for good.
func TestSlowBodies(t *testing.T) {
	s := start(t, "")
	c, err := net.Dial("tcp", strings.TrimPrefix(s.url, "http://"))
	require.NoError(t, err)
	defer c.Close()
	require.NoError(t, c.SetDeadline(time.Now().Add(10*slow)))
	fmt.Fprintf(c, "POST /api/productions HTTP/1.1\r\nHost: %s\r\nContent-Type: application/json\r\nContent-Length: 100\r\n\r\n{", strings.TrimPrefix(s.url, "http://"))
	resp, err := http.ReadResponse(bufio.NewReader(c), nil)
	if err == nil {
		resp.Body.Close()
		assert.Equal(t, 400, resp.StatusCode)
	} else {
		assert.NotErrorIs(t, err, os.ErrDeadlineExceeded, "it was waited for all the same")
	}
}

func TestRequestsOfOtherSites(t *testing.T) {
	s := start(t, "")
	for name, c := range map[string]struct {
		method, path string
		head         map[string]string
		want         int
	}{
		"of the page":                    {"GET", "/api/productions", map[string]string{"Sec-Fetch-Site": "same-origin", "Sec-Fetch-Mode": "cors"}, 200},
		"typed":                          {"GET", "/api/productions", map[string]string{"Sec-Fetch-Site": "none", "Sec-Fetch-Mode": "navigate"}, 200},
		"of another site":                {"GET", "/api/productions", map[string]string{"Sec-Fetch-Site": "cross-site", "Sec-Fetch-Mode": "no-cors"}, 403},
		"of another port of this":        {"GET", "/api/productions", map[string]string{"Sec-Fetch-Site": "same-site", "Sec-Fetch-Mode": "cors"}, 403},
		"a form of another site":         {"POST", "/api/productions", map[string]string{"Sec-Fetch-Site": "cross-site", "Sec-Fetch-Mode": "navigate"}, 403},
		"a link to the page":             {"GET", "/", map[string]string{"Sec-Fetch-Site": "cross-site", "Sec-Fetch-Mode": "navigate"}, 200},
		"a link to what it answers":      {"GET", "/api/productions", map[string]string{"Sec-Fetch-Site": "cross-site", "Sec-Fetch-Mode": "navigate"}, 403},
		"the page's script, from a site": {"GET", "/assets/a.js", map[string]string{"Sec-Fetch-Site": "cross-site", "Sec-Fetch-Mode": "no-cors"}, 403},
		"another site's name":            {"GET", "/api/productions", map[string]string{"Origin": "http://evil.example"}, 403},
	} {
		status, head, _ := s.request(c.method, c.path, nil, c.head)
		assert.Equal(t, c.want, status, name)
		for _, h := range []string{"Content-Security-Policy", "X-Content-Type-Options", "Cross-Origin-Opener-Policy", "Cross-Origin-Resource-Policy", "Referrer-Policy", "X-Frame-Options"} {
			assert.NotEmpty(t, head.Get(h), "%s: %s", name, h)
		}
	}
}

// Whatever is asked of a production that is not there is answered by 404.
func TestUnknownProductions(t *testing.T) {
	s := start(t, "")
	doc, err := openapi3.NewLoader().LoadFromData(api.OpenAPI)
	require.NoError(t, err)
	asked := 0
	for path, item := range doc.Paths.Map() {
		if !strings.Contains(path, "{production}") {
			continue
		}
		for method, op := range item.Operations() {
			if op.RequestBody != nil && op.RequestBody.Value.Required { // its body is looked at first
				continue
			}
			at := strings.ReplaceAll(path, "{production}", uuid.NewString())
			status, _, p := s.request(method, at, nil, nil)
			if status == 400 { // something in the query is asked for first
				continue
			}
			asked++
			assert.Equal(t, 404, status, "%s %s: %s", method, path, p.Detail)
		}
	}
	assert.Greater(t, asked, 12)
}

func TestUploadsThatAreNotBegun(t *testing.T) {
	s := start(t, "")
	p := s.production()
	meta := "filename eC53YXY=,production " + base64.StdEncoding.EncodeToString([]byte(p))
	for name, c := range map[string]struct {
		head map[string]string
		want []int
	}{
		"more than there is room for":   {map[string]string{"Upload-Length": "15000000000000"}, []int{507}},
		"more than any file is":         {map[string]string{"Upload-Length": "9000000000000000000"}, []int{413}},
		"a length that is none":         {map[string]string{"Upload-Length": "-5"}, []int{400}},
		"no length":                     {map[string]string{"Upload-Defer-Length": "1"}, []int{400, 501}},
		"a part of something":           {map[string]string{"Upload-Length": "5", "Upload-Concat": "partial"}, []int{201, 501}},
		"put together from other parts": {map[string]string{"Upload-Concat": "final;/api/uploads/a /api/uploads/b"}, []int{400, 501}},
	} {
		c.head["Upload-Metadata"], c.head["Tus-Resumable"] = meta, "1.0.0"
		status, head, _ := s.request("POST", "/api/uploads/", nil, c.head)
		assert.Contains(t, c.want, status, name)
		assert.NotContains(t, head.Get("Upload-Concat"), "partial", name)
	}
	_, head, _ := s.request("OPTIONS", "/api/uploads/", nil, nil)
	assert.NotContains(t, head.Get("Tus-Extension"), "concatenation")
}

// lock lets nobody into a database, and throws out who is there.
func lock(t *testing.T, of *pgx.ConnConfig) {
	t.Helper()
	other := of.Copy()
	other.Database = "postgres"
	c, err := pgx.ConnectConfig(t.Context(), other)
	require.NoError(t, err)
	defer c.Close(t.Context())
	_, err = c.Exec(t.Context(), `ALTER DATABASE `+pgx.Identifier{of.Database}.Sanitize()+` ALLOW_CONNECTIONS false`)
	require.NoError(t, err)
	_, err = c.Exec(t.Context(), `SELECT pg_terminate_backend(pid) FROM pg_stat_activity WHERE datname = $1`, of.Database)
	require.NoError(t, err)
}

// A database that is away is said, changes nothing, and is no defect of the server's.
func TestTheDatabaseIsAway(t *testing.T) {
	s := start(t, "")
	p := s.production()
	s.app.Trouble = func() string { return "PostgreSQL has stopped and is being started again" }
	lock(t, s.app.Store.Pool.Config().ConnConfig)
	status, head, pr := s.request("GET", "/api/productions/"+p, nil, nil)
	assert.Equal(t, []any{503, "database_away", "1"}, []any{status, pr.Code, head.Get("Retry-After")})
	status, _, pr = s.request("POST", "/api/productions", strings.NewReader(`{"name": "x", "timecode_rate": "25"}`), map[string]string{"Content-Type": "application/json"})
	assert.Equal(t, []any{503, "database_away"}, []any{status, pr.Code})
	var h contract.Health
	assert.Equal(t, 503, s.call("GET", "/readyz", nil, &h))
	assert.Equal(t, "PostgreSQL has stopped and is being started again", h.Parts["database"])
	assert.Equal(t, "ok", h.Parts["media"])
}

// No whole number that a request has is beyond what a position can be: what would run over is refused before anything is
// worked out, in bodies as in questions.
func TestPositionsHaveARange(t *testing.T) {
	s := start(t, "")
	p := s.production()
	r := s.reel(p)
	json := map[string]string{"Content-Type": "application/json"}
	for _, n := range []string{"9223372036854775807", "-9223372036854775808", "99999999999999999999999", "24286348800001"} {
		status, _, pr := s.request("POST", "/api/reels/"+r.Id.String()+"/edits", strings.NewReader(`{"version": 1, "label": "x", "actions": [{"cut": {"at": `+n+`}}]}`), json)
		assert.Equal(t, 400, status, n)
		assert.Contains(t, pr.Detail, "beyond every position", n)
		status, _, _ = s.request("GET", "/api/reels/"+r.Id.String()+"/sound?at="+n, nil, nil)
		assert.Equal(t, 400, status, n)
	}
}
