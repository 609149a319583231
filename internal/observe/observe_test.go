package observe_test

import (
	"bytes"
	"context"
	"io"
	"log/slog"
	"net/http"
	"net/http/httptest"
	"testing"
	"time"

	"github.com/gin-gonic/gin"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/internal/observe"
	"zestyloom/internal/pgtest"
	"zestyloom/internal/store"
)

func TestMain(m *testing.M) { pgtest.Main(m) }

// Every request has a name, which its answer and its line carry, and is counted by its route.
func TestRequestsAreLoggedAndCounted(t *testing.T) {
	var log bytes.Buffer
	figures := observe.NewFigures()
	e := gin.New()
	e.Use(figures.Requests(observe.Logger(&log, slog.LevelInfo), func(context.Context) string { return "mine" }))
	seen := ""
	e.GET("/reels/:reel", func(c *gin.Context) {
		seen = observe.Request(c.Request.Context())
		c.String(http.StatusTeapot, "hello")
	})
	e.GET("/metrics", gin.WrapH(figures.Handler()))
	ask := func(path string) *httptest.ResponseRecorder {
		w := httptest.NewRecorder()
		r := httptest.NewRequest("GET", path, nil)
		e.ServeHTTP(w, r)
		return w
	}
	w := ask("/reels/7")
	id := w.Header().Get(observe.RequestHeader)
	assert.NotEmpty(t, id)
	assert.Equal(t, id, seen)
	for _, part := range []string{"request=" + id, "route=/reels/:reel", "status=418", "bytes=5", "session=mine", "took="} {
		assert.Contains(t, log.String(), part)
	}
	assert.NotEqual(t, id, ask("/nowhere").Header().Get(observe.RequestHeader))
	figures.Job("deliver", "done", 3*time.Second)
	figures.Gauge("answers", "Of a test.", func() float64 { return 42 })
	said := ask("/metrics").Body.String()
	for _, line := range []string{`zestyloom_request_seconds_count{route="GET /reels/:reel",status="418"} 1`, `zestyloom_request_seconds_count{route="GET others",status="404"} 1`, `zestyloom_job_seconds_count{ended="done",kind="deliver"} 1`, "zestyloom_answers 42", "go_goroutines "} {
		assert.Contains(t, said, line)
	}
	(*observe.Figures)(nil).Job("none", "done", 0) // nothing is counted, and nothing breaks

	log.Reset()
	quiet := gin.New()
	quiet.Use((*observe.Figures)(nil).Requests(observe.Logger(&log, slog.LevelWarn), func(context.Context) string { return "" }))
	quiet.ServeHTTP(httptest.NewRecorder(), httptest.NewRequest("GET", "/", nil))
	assert.Empty(t, log.String(), "below the level that is asked for")
}

// A statement that takes long is told with the function that it stands in.
func TestSlowStatementsHaveANameOfTheirOwn(t *testing.T) {
	var log bytes.Buffer
	figures := observe.NewFigures()
	st, err := store.OpenTraced(t.Context(), pgtest.URL(t), observe.Statements{Figures: figures, Log: observe.Logger(&log, slog.LevelInfo), Slow: time.Nanosecond})
	require.NoError(t, err)
	defer st.Close()
	require.NoError(t, st.Migrate(t.Context()))
	log.Reset()
	_, err = st.Specs(t.Context())
	require.NoError(t, err)
	assert.Contains(t, log.String(), "a slow statement")
	assert.Contains(t, log.String(), "Specs")
	assert.Contains(t, log.String(), `begins="SELECT`)

	log.Reset()
	st, err = store.OpenTraced(t.Context(), pgtest.URL(t), observe.Statements{Log: observe.Logger(&log, slog.LevelInfo)})
	require.NoError(t, err)
	defer st.Close()
	require.NoError(t, st.Migrate(t.Context()))
	assert.NotContains(t, log.String(), "slow", "none is asked for")
}

func TestLevels(t *testing.T) {
	l, err := observe.Level("info")
	require.NoError(t, err)
	assert.Equal(t, slog.LevelInfo, l)
	_, err = observe.Level("loud")
	assert.ErrorContains(t, err, "debug, info, warn or error")
}

func TestProfilesAreShownOnAPortOfTheirOwn(t *testing.T) {
	at, err := observe.Profiles(t.Context(), "127.0.0.1:0")
	require.NoError(t, err)
	for path, part := range map[string]string{"/debug/pprof/": "goroutine", "/debug/vars": "memstats", "/debug/pprof/cmdline": "test"} {
		resp, err := http.Get("http://" + at.String() + path)
		require.NoError(t, err)
		b, err := io.ReadAll(resp.Body)
		require.NoError(t, err)
		require.NoError(t, resp.Body.Close())
		assert.Equal(t, 200, resp.StatusCode)
		assert.Contains(t, string(b), part)
	}
	_, err = observe.Profiles(t.Context(), at.String())
	assert.ErrorContains(t, err, "can't show profiles")
}
