package httpapi_test

import (
	"encoding/binary"
	"encoding/json"
	"fmt"
	"io"
	"math"
	"net/http"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/order"
	"zestyloom/core/source"
	"zestyloom/internal/httpapi/contract"
	"zestyloom/internal/testmedia"
)

func TestHealth(t *testing.T) {
	s := start(t, "")
	var h contract.Health
	assert.Equal(t, 200, s.call("GET", "/healthz", nil, &h))
	h = contract.Health{}
	assert.Equal(t, 200, s.call("GET", "/readyz", nil, &h))
	assert.Equal(t, map[string]string{"database": "ok", "media": "ok", "queue": "ok", "disk": "ok", "originals": "ok"}, h.Parts)
	require.NoError(t, os.RemoveAll(s.media))
	assert.Equal(t, 503, s.call("GET", "/readyz", nil, &h))
	assert.Equal(t, "nothing can be written to the media folder", h.Parts["media"])
}

func TestForeignRequestsAreRefused(t *testing.T) {
	s := start(t, "")
	ask := func(change func(*http.Request)) int {
		req, err := http.NewRequest("GET", s.url+"/api/productions", nil)
		require.NoError(t, err)
		change(req)
		resp, err := http.DefaultClient.Do(req)
		require.NoError(t, err)
		resp.Body.Close()
		return resp.StatusCode
	}
	own := strings.TrimPrefix(s.url, "http://")
	assert.Equal(t, 200, ask(func(*http.Request) {}))
	assert.Equal(t, 200, ask(func(r *http.Request) { r.Header.Set("Origin", "http://"+own) }))
	assert.Equal(t, 403, ask(func(r *http.Request) { r.Host = "loom.example" }), "a name that someone else's server gave our address")
	assert.Equal(t, 403, ask(func(r *http.Request) { r.Header.Set("Origin", "http://evil.example") }))
	assert.Equal(t, 403, ask(func(r *http.Request) { r.Header.Set("Origin", "http://127.0.0.1:1") }))
	assert.Equal(t, 403, ask(func(r *http.Request) { r.Header.Set("Origin", "null") }))
}

func TestFrontEndAndProblems(t *testing.T) {
	s := start(t, "")
	get := func(path string) (int, string, string) {
		resp, err := http.Get(s.url + path)
		require.NoError(t, err)
		defer resp.Body.Close()
		b, err := io.ReadAll(resp.Body)
		require.NoError(t, err)
		return resp.StatusCode, string(b), resp.Header.Get("Content-Type")
	}
	code, body, _ := get("/some/stage")
	assert.Equal(t, 200, code)
	assert.Contains(t, body, "front")
	code, body, kind := get("/api/nothing")
	assert.Equal(t, 404, code)
	assert.Contains(t, kind, "application/problem+json")
	assert.Contains(t, body, "no_such_route")
	for path, want := range map[string]int{
		"/api/productions/not-an-id": 400, "/api/productions/01a20a68-bddd-7105-8aab-0c0e3c9b982b": 404, "/api/shelf?path=..%2F..": 200,
	} {
		code, _, _ := get(path)
		assert.Equal(t, want, code, path)
	}
	var p contract.Problem
	assert.Equal(t, 400, s.call("POST", "/api/productions", map[string]any{"name": ""}, &p))
	assert.Equal(t, "bad_request", p.Code)
	assert.Equal(t, 422, s.call("POST", "/api/productions", map[string]any{"name": "x", "timecode_rate": "26"}, &p))
	assert.Equal(t, "bad_rate", p.Code)
}

// Ten bad files at once: each is refused with its reason, and the good one beside them is taken in
// with every label and level.
func TestBadFilesStopNothing(t *testing.T) {
	s := start(t, "")
	p := s.production()
	bad := map[string][]byte{"empty.wav": {}, "zeros.wav": make([]byte, 5000), "text.wav": []byte("words"), "header.wav": []byte("RIFF\x24\x00\x00\x00WAVE"),
		"x.flac": []byte("fLaC\x00\x00\x00\x22 and rubbish"), "x.aiff": []byte("FORM\x00\x00\x00\x10AIFFCOMM\x00\x00"), "x.mov": []byte("\x00\x00\x00\x14ftypqt  0000"),
		"../../etc/evil\x00.wav": []byte("RIFF"), strings.Repeat("long", 100) + ".wav": []byte("riff")}
	notWave, err := os.ReadFile(testmedia.Path(t, "not_a_wave.wav"))
	require.NoError(t, err)
	bad["not_a_wave.wav"] = notWave
	for name, b := range bad {
		s.upload(p, name, b)
	}
	s.uploadFile(p, testmedia.Path(t, "poly8_s24.wav"))
	fs := s.settled(p, 11)
	refused := 0
	for name, f := range fs {
		if name == "poly8_s24.wav" {
			continue
		}
		assert.Equal(t, contract.FileStateRefused, f.State, name)
		assert.NotEmpty(t, f.Error.Code, name)
		assert.NotEmpty(t, f.Error.Message, name)
		assert.NotContains(t, name, "/")
		refused++
	}
	assert.Equal(t, 10, refused)
	good := fs["poly8_s24.wav"]
	assert.Equal(t, contract.FileStateReady, good.State)
	require.Len(t, good.Tracks, 8)
	for _, tr := range good.Tracks {
		assert.InDelta(t, -6.02, *tr.PeakDbfs, 0.01)
		assert.InDelta(t, -9.03, *tr.RmsDbfs, 0.01)
		assert.NotEmpty(t, tr.Strand)
	}
	assert.Len(t, s.takes(p), 1)
	var prod contract.Production
	require.Equal(t, 200, s.call("GET", "/api/productions/"+p, nil, &prod))
	assert.Equal(t, 11, prod.Snags.Intake, "whether eight channels with a mask are a 7.1 is asked")
	// A refused file can be tried again, and removed without a trace.
	var again contract.File
	assert.Equal(t, 202, s.call("POST", "/api/files/"+fs["text.wav"].Id.String()+"/retry", nil, &again))
	s.settled(p, 11)
	assert.Equal(t, 204, s.call("DELETE", "/api/files/"+fs["text.wav"].Id.String(), nil, nil))
	assert.Len(t, s.files(p), 10)
	assert.NoDirExists(t, filepath.Join(s.media, "originals", fs["text.wav"].Id.String()))
}

func TestDamagedFilesKeepWhatCanBeKept(t *testing.T) {
	s := start(t, "")
	p := s.production()
	for _, name := range []string{"cut_short.wav", "power_lost.wav"} {
		s.uploadFile(p, testmedia.Path(t, name))
	}
	fs := s.settled(p, 2)
	assert.EqualValues(t, 20830, fs["cut_short.wav"].Frames)
	assert.Equal(t, "cut_short", fs["cut_short.wav"].Snags[0].Code)
	assert.EqualValues(t, 48000, fs["power_lost.wav"].Frames)
	assert.Equal(t, "size_lost", fs["power_lost.wav"].Snags[0].Code)
	assert.Len(t, s.takes(p), 2)
}

func TestSameContentTwice(t *testing.T) {
	s := start(t, "")
	p := s.production()
	b, err := os.ReadFile(testmedia.Path(t, "quad_s24.aiff"))
	require.NoError(t, err)
	s.upload(p, "first.aiff", b)
	s.settled(p, 1)
	s.upload(p, "second.aiff", b)
	fs := s.settled(p, 2)
	assert.Equal(t, contract.FileStateDuplicate, fs["second.aiff"].State)
	assert.Equal(t, "first.aiff", fs["second.aiff"].DuplicateOf)
	assert.Len(t, s.takes(p), 1)
	assert.NoDirExists(t, filepath.Join(s.media, "originals", fs["second.aiff"].Id.String()))
	other := s.production() // another production is another matter
	s.upload(other, "first.aiff", b)
	assert.Equal(t, contract.FileStateReady, s.settled(other, 1)["first.aiff"].State)
}

func TestUploadsResumeAndCancel(t *testing.T) {
	s := start(t, "")
	p := s.production()
	b, err := os.ReadFile(testmedia.Path(t, "poly8_s16.wav"))
	require.NoError(t, err)
	loc := s.createUpload(p, "resumed.wav", len(b))
	require.Equal(t, 204, s.sendChunk(loc, 0, b[:300000])) // and then the line breaks
	resp := s.tusRequest("HEAD", loc, nil, nil)
	assert.Equal(t, "300000", resp.Header.Get("Upload-Offset"))
	assert.Equal(t, 409, s.sendChunk(loc, 5, b[5:10]), "a chunk from elsewhere is refused")
	require.Equal(t, 204, s.sendChunk(loc, 300000, b[300000:]))
	assert.Equal(t, contract.FileStateReady, s.settled(p, 1)["resumed.wav"].State)

	loc = s.createUpload(p, "cancelled.wav", len(b))
	require.Equal(t, 204, s.sendChunk(loc, 0, b[:300000]))
	assert.Equal(t, 204, s.tusRequest("DELETE", loc, nil, nil).StatusCode)
	left, err := os.ReadDir(filepath.Join(s.media, "uploads"))
	require.NoError(t, err)
	assert.Empty(t, left, "a cancel leaves nothing behind")
	resp = s.tusRequest("POST", s.url+"/api/uploads/", nil, map[string]string{"Upload-Length": "5"})
	assert.Equal(t, 422, resp.StatusCode, "an upload must name its production")
}

func TestShelf(t *testing.T) {
	dir := t.TempDir()
	shelf := filepath.Join(dir, "shelf")
	require.NoError(t, os.MkdirAll(filepath.Join(shelf, "day1"), 0o755))
	b, err := os.ReadFile(testmedia.Path(t, "stereo_u8.wav"))
	require.NoError(t, err)
	require.NoError(t, os.WriteFile(filepath.Join(shelf, "day1", "a.wav"), b, 0o600))
	require.NoError(t, os.WriteFile(filepath.Join(dir, "secret.wav"), b, 0o600))
	require.NoError(t, os.Symlink(filepath.Join(dir, "secret.wav"), filepath.Join(shelf, "link.wav")))
	s := start(t, shelf)
	p := s.production()
	var list contract.Shelf
	require.Equal(t, 200, s.call("GET", "/api/shelf", nil, &list))
	require.Len(t, list.Entries, 1, "links are not offered")
	assert.Equal(t, "day1", list.Entries[0].Path)
	require.Equal(t, 200, s.call("GET", "/api/shelf?path=day1", nil, &list))
	assert.Equal(t, "day1/a.wav", list.Entries[0].Path)
	for _, path := range []string{"../secret.wav", "/etc/passwd", "link.wav", "day1", "none.wav"} {
		assert.Equal(t, 422, s.call("POST", "/api/productions/"+p+"/shelf", map[string]any{"paths": []string{path}}, nil), path)
	}
	require.Equal(t, 202, s.call("POST", "/api/productions/"+p+"/shelf", map[string]any{"paths": []string{"day1/a.wav"}}, nil))
	assert.Equal(t, contract.FileStateReady, s.settled(p, 1)["a.wav"].State)
	assert.FileExists(t, filepath.Join(shelf, "day1", "a.wav"), "the shelf is only read")
}

func TestWaveformAndSound(t *testing.T) {
	s := start(t, "")
	p := s.production()
	s.uploadFile(p, testmedia.Path(t, "poly8_s24.wav"))
	s.settled(p, 1)
	strand := s.takes(p)[0].Strands[2] // 300 Hz
	get := func(path string) []byte {
		resp, err := http.Get(s.url + path)
		require.NoError(t, err)
		defer resp.Body.Close()
		require.Equal(t, 200, resp.StatusCode)
		b, err := io.ReadAll(resp.Body)
		require.NoError(t, err)
		return b
	}
	base := "/api/strands/" + strand.Id.String()
	b := get(base + "/waveform?columns=100")
	require.Len(t, b, 400)
	for i := 0; i < 400; i += 4 {
		assert.InDelta(t, -8192, int16(binary.LittleEndian.Uint16(b[i:])), 3)
		assert.InDelta(t, 8192, int16(binary.LittleEndian.Uint16(b[i+2:])), 3)
	}
	b = get(base + "/sound?from=1000&frames=500")
	require.Len(t, b, 2000)
	for i := range 500 {
		want := 0.5 * math.Sin(2*math.Pi*300*float64(1000+i)/48000)
		assert.InDelta(t, want, math.Float32frombits(binary.LittleEndian.Uint32(b[4*i:])), 4e-7)
	}
	assert.Len(t, get(base+"/sound?from=47900"), 400)
	assert.Empty(t, get(base+"/sound?from=99999"))
}

// Members of a mono set become one take however they arrive, and what is missing is said.
func TestMonoSets(t *testing.T) {
	s := start(t, "")
	p := s.production()
	for i, name := range []string{"mix_Rs", "mix_L", "mix_C", "mix_R", "mix_LFE"} {
		b, err := os.ReadFile(testmedia.Path(t, fmt.Sprintf("%d.48000.wav", i+1)))
		require.NoError(t, err)
		s.upload(p, name+".wav", b)
	}
	s.settled(p, 5)
	ts := s.takes(p)
	require.Len(t, ts, 1)
	var labels []string
	for _, st := range ts[0].Strands {
		labels = append(labels, st.Label)
	}
	assert.Equal(t, []string{"L", "R", "C", "LFE", "Rs"}, labels)
	cut, err := os.ReadFile(testmedia.Path(t, "6.48000.wav"))
	require.NoError(t, err)
	s.upload(p, "mix_Ls.wav", cut[:len(cut)-9000])
	s.settled(p, 6)
	ts = s.takes(p)
	require.Len(t, ts, 1, "a late member joins its take")
	require.Len(t, ts[0].Strands, 6)
	require.False(t, ts[0].Final)
	assert.Equal(t, "member_length", ts[0].Snags[0].Code)
	assert.Equal(t, "broadcast order (L R C LFE Ls Rs)", ts[0].Order)

	// Nothing is built on a proposal, and accepting it asks for the remedy.
	id := ts[0].Id
	cell := func(field string, value, was any) map[string]any {
		c := map[string]any{"row": id, "field": field, "value": value}
		if was != nil {
			c["was"] = was
		}
		return c
	}
	edit := func(status int, cells ...map[string]any) (out map[string]any) {
		var raw json.RawMessage
		require.Equal(t, status, s.call("POST", "/api/productions/"+p+"/sheet", map[string]any{"what": "typed", "cells": cells}, &raw), "%s", raw)
		_ = json.Unmarshal(raw, &out) // a list when it went well
		return out
	}
	asked := map[string]any{"takes": []any{id}, "packing": "poly"}
	require.Equal(t, 409, s.call("POST", "/api/productions/"+p+"/writings", asked, nil))
	assert.Equal(t, "choose_remedy", edit(422, cell("accepted", true, nil))["code"])
	edit(200, cell("accepted", true, false), cell("length_remedy", "pad", ""))
	ts = s.takes(p)
	assert.True(t, ts[0].Final)
	assert.EqualValues(t, 48000, ts[0].Frames, "padded to the longest")
	assert.Empty(t, ts[0].Snags)
	stale := edit(409, cell("scene", "21", "20"), cell("note", "x", ""))
	assert.Equal(t, "stale", stale["code"])
	assert.Equal(t, []any{map[string]any{"row": id.String(), "field": "scene", "value": ""}}, stale["current"], "only what differs, as it is now")
	assert.Empty(t, s.takes(p)[0].Note, "a stale edit changes nothing")

	// Written out, proven, downloaded: six channels in order, the short one padded.
	edit(200, cell("scene", "M", ""), cell("take", "1", ""))
	var planned, ordered []contract.Writing
	var list contract.WritingPage
	s.call("POST", "/api/productions/"+p+"/writings", map[string]any{"takes": []any{id}, "packing": "mono", "preview": true, "pattern": "{name}_{label}"}, &planned)
	assert.Equal(t, "M-1_Ls.wav", planned[0].Files[4].Name)
	require.Equal(t, 202, s.call("POST", "/api/productions/"+p+"/writings", asked, &ordered))
	require.Eventually(t, func() bool {
		s.call("GET", "/api/productions/"+p+"/writings", nil, &list)
		return list.Items[0].State == order.Proven
	}, time.Minute, 20*time.Millisecond)
	assert.Contains(t, list.Items[0].Files[0].Proof, "6 channels of 48000 samples")
	answer, err := http.Get(s.url + "/api/writings/" + list.Items[0].Id.String() + "/files/0")
	require.NoError(t, err)
	defer answer.Body.Close()
	body, err := io.ReadAll(answer.Body)
	require.NoError(t, err)
	made := filepath.Join(t.TempDir(), "m.wav")
	require.NoError(t, os.WriteFile(made, body, 0o600))
	src, err := source.Open(made)
	require.NoError(t, err)
	defer src.Close()
	assert.EqualValues(t, 0x3F, src.Format.Mask, "the channels stand in the order of 5.1")
	assert.Equal(t, "M", src.Gather("m.wav").Scene)
}
