package jobs

import (
	"context"
	"errors"
	"io"
	"log/slog"
	"testing"
	"time"

	"github.com/google/uuid"
	"github.com/riverqueue/river"
	"github.com/riverqueue/river/rivertype"
	"github.com/stretchr/testify/assert"

	"zestyloom/core/snag"
	"zestyloom/internal/app"
)

// What ends a worker, or would, is the end of the one thing it was about; what is worth another try gets one.
func TestWhatOneJobBringsToLight(t *testing.T) {
	for name, c := range map[string]struct {
		metadata string
		do       func() error
		refused  string // code
		again    bool
	}{
		"done":          {"{}", func() error { return nil }, "", false},
		"tried again":   {"{}", func() error { return io.ErrUnexpectedEOF }, "", true},
		"a defect":      {"{}", func() error { var p *slog.Logger; p.Info("x"); return nil }, "defect", false},
		"two deaths":    {`{"deaths": 2}`, func() error { return nil }, "", false},
		"three deaths":  {`{"deaths": 3}`, func() error { return errors.New("not reached") }, "worker_died", false},
		"odd metadata":  {`{"deaths": "many"}`, func() error { return nil }, "", false},
		"more of them":  {`{"deaths": 30, "other": [1]}`, func() error { return nil }, "worker_died", false},
		"no such field": {`{"river:queue": 1}`, func() error { return nil }, "", false},
	} {
		refused := ""
		w := &worker[app.AnalyseJob]{log: slog.New(slog.DiscardHandler), work: work[app.AnalyseJob]{do: func(context.Context, *app.App, app.AnalyseJob) error { return c.do() },
			refuse: func(_ context.Context, _ *app.App, _ app.AnalyseJob, why *snag.Refusal) error {
				refused = why.Code
				return nil
			}}}
		err := w.Work(t.Context(), &river.Job[app.AnalyseJob]{JobRow: &rivertype.JobRow{Kind: "analyse", Metadata: []byte(c.metadata)}, Args: app.AnalyseJob{File: uuid.New()}})
		assert.Equal(t, c.refused, refused, name)
		assert.Equal(t, c.again, err != nil, name)
	}
	nobody := &worker[app.CheckJob]{log: slog.New(slog.DiscardHandler), work: work[app.CheckJob]{do: func(context.Context, *app.App, app.CheckJob) error { panic("x") }}}
	assert.NoError(t, nobody.Work(t.Context(), &river.Job[app.CheckJob]{JobRow: &rivertype.JobRow{Metadata: []byte("{}")}}), "where nobody waits, it is logged")
}

func TestTriedAgainSoon(t *testing.T) {
	w := &worker[app.AnalyseJob]{}
	for attempt, most := range map[int]time.Duration{1: 2 * time.Second, 3: 5 * time.Second, 10: 31 * time.Second, 1000: 31 * time.Second} {
		next := time.Until(w.NextRetry(&river.Job[app.AnalyseJob]{JobRow: &rivertype.JobRow{Attempt: attempt}}))
		assert.Positive(t, next)
		assert.Less(t, next, most, "attempt %d", attempt)
	}
}
