package httpapi_test

import (
	"fmt"
	"net/http/httptest"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/edit"
	"zestyloom/core/reel"
)

// An edit of a large reel is answered by what it changed: what follows from the routing is left out where that is as it was.
func TestAnEditOfALargeReelIsAnsweredShortly(t *testing.T) {
	s := start(t, "")
	_, r := s.laid()
	strands := r.Doc.Tracks[0].Clips[0].Strands
	var actions []edit.Action
	for k := range 64 - len(r.Doc.Tracks) {
		actions = append(actions, edit.Action{AddTrack: &reel.AddTrack{Index: len(r.Doc.Tracks) + k, Track: reel.Track{ID: fmt.Sprint("t", k), Label: fmt.Sprint("Track ", k), Layout: "mono"}}})
	}
	paste := &edit.Paste{}
	for k := range 5000 {
		track := r.Doc.Tracks[0].ID
		if n := k % (64 - len(r.Doc.Tracks) + 1); n > 0 {
			track = fmt.Sprint("t", n-1)
		}
		paste.Clips = append(paste.Clips, reel.Laid{Track: track, Clip: reel.Clip{ID: fmt.Sprintf("clip-%04d", k), Strands: strands, Name: "21A-3", At: r.Doc.Tracks[0].Clips[0].At + int64(100_000+k*500), In: 1000, Length: 400}})
	}
	now, err := s.app.EditReel(t.Context(), r.Id, r.Version, "large", append(actions, edit.Action{Paste: paste}))
	require.NoError(t, err)
	var clips []string
	for _, track := range now.Doc.Tracks {
		for _, c := range track.Clips {
			clips = append(clips, c.ID)
		}
	}
	require.Greater(t, len(clips), 5000)

	h, counts := counting(t, s.app)
	version := now.Version
	var took time.Duration
	post := func(action string) (string, []string) {
		req := httptest.NewRequest("POST", "/api/reels/"+r.Id.String()+"/edits", strings.NewReader(fmt.Sprintf(`{"version":%d,"what":"x","actions":[%s]}`, version, action)))
		req.Host = "127.0.0.1"
		req.Header.Set("Content-Type", "application/json")
		w := httptest.NewRecorder()
		counts.taken()
		began := time.Now()
		h.ServeHTTP(w, req)
		took = time.Since(began)
		require.Equal(t, 200, w.Code, w.Body.String())
		version++
		return w.Body.String(), counts.taken()
	}
	post(fmt.Sprintf(`{"slip":{"clips":[%q],"by":1,"alone":true}}`, clips[2500])) // the reel is read
	for k := range 5 {
		body, sql := post(fmt.Sprintf(`{"slip":{"clips":[%q],"by":3,"alone":true}}`, clips[3000+k]))
		assert.LessOrEqual(t, len(body), 600, body)
		assert.NotContains(t, body, "ways")
		t.Logf("%d bytes, %d statements, %s", len(body), len(sql), took)
		if k == 4 {
			t.Log(strings.Join(sql, "\n"))
		}
	}
	body, _ := post(`{"set_track":{"id":"t1","label":"Renamed"}}`)
	assert.Contains(t, body, `"ways"`, "what follows from tracks follows")
}
