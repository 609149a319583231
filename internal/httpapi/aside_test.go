package httpapi_test

import (
	"encoding/json"
	"fmt"
	"net/http"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/internal/httpapi/contract"
	"zestyloom/internal/testmedia"
)

// worked asks until what takes longer than a request lasts is there.
func (s *server) worked(method, path string, body, out any) (status int) {
	s.t.Helper()
	var answer json.RawMessage
	for deadline := time.Now().Add(2 * time.Minute); time.Now().Before(deadline); {
		if status = s.call(method, path, body, &answer); status != http.StatusAccepted {
			require.NoError(s.t, json.Unmarshal(answer, out))
			return status
		}
		var p contract.Problem
		require.NoError(s.t, json.Unmarshal(answer, &p))
		assert.Equal(s.t, "not_yet", p.Code)
	}
	return status
}

// What is measured, printed and corrected of a long reel takes longer than a request lasts: each request answers within about a
// second, with what is there, or that it is not there yet; asked again, it goes on.
func TestRequestsDoNotLast(t *testing.T) {
	s := start(t, "")
	_, r := s.laid()
	path := "/api/reels/" + r.Id.String()
	// Stems of an hour, of one second after the other.
	version := r.Version
	for k, stem := range testmedia.Some([]string{"DX", "FX", "MX", "VO"}, 0, 1) {
		track := r.Doc.Tracks[2+k]
		c := track.Clips[0]
		actions := []any{map[string]any{"set_sends": map[string]any{"from": track.ID, "sends": []any{map[string]any{"to": stem, "gain_db": 0, "patch": map[string]any{"preset": "both"}}}}}}
		var paste []any
		for i := range 3600 {
			paste = append(paste, map[string]any{"track": track.ID, "clip": map[string]any{"id": fmt.Sprint(stem, i), "strands": c.Strands, "name": "again", "at": c.At + int64(i+1)*48000, "in": 0, "length": 48000}})
		}
		var answer json.RawMessage
		status := s.call("POST", path+"/edits", map[string]any{"version": version, "what": "x", "actions": append(actions, map[string]any{"paste": map[string]any{"clips": paste}})}, &answer)
		require.Equal(t, 200, status, "%.300s", answer)
		version++
	}
	waited := 0
	for {
		resp, body := s.ask("GET", path+"/measurement.pdf", nil, nil)
		if resp.StatusCode == http.StatusAccepted {
			waited++
			assert.Equal(t, "1", resp.Header.Get("Retry-After"))
			assert.Contains(t, body, "not_yet")
			continue
		}
		require.Equal(t, 200, resp.StatusCode)
		assert.Equal(t, "%PDF", body[:4])
		break
	}
	assert.Positive(t, waited, "hours of sound are not measured within a second")
	var c contract.Correction
	require.Equal(t, 200, s.worked("POST", path+"/correction", map[string]any{"bus": "DX", "integrated_lufs": -30}, &c))
	assert.InDelta(t, -30, *c.Foreseen.IntegratedLufs, 0.05)
}
