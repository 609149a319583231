// Package app has what a person can do, one function a thing: each joins the rules of the core,
// the database and the media folder, in one transaction.
package app

import (
	"context"
	"crypto/ed25519"
	"encoding/json"
	"errors"
	"strings"
	"sync"
	"time"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"

	"zestyloom/core/naming"
	"zestyloom/core/snag"
	"zestyloom/core/timecode"
	"zestyloom/internal/media"
	"zestyloom/internal/store"
)

// App carries out use cases.
type App struct {
	Store     *store.Store
	Media     *media.Folder
	Shelf     *media.Shelf // nil without one
	Queue     Queue
	Now       func() time.Time
	Trouble   func() string // what keeps the database from running, in words; nil where it is not ours
	uploading sync.Mutex    // one whole upload is taken in at a time
	Lines     Lines
	measured  chunkCache
	asides    asides
	Key       ed25519.PrivateKey // that proofs are signed with; nil signs none
	// ScrubEvery is within which time everything that is kept is read again; 0 for never.
	ScrubEvery time.Duration
	scrubMu    sync.Mutex
	scrubs     Scrubbing
	sumsOnce   sync.Once
	sums       *sumsCache
}

// Job is work for the background, by what it is about.
type Job interface {
	Kind() string
}

// Queue does work in the background.
type Queue interface {
	// Add enqueues a job as part of a transaction and returns its number.
	Add(ctx context.Context, tx pgx.Tx, j Job) (int64, error)
	// Cancel ends a job, running or not.
	Cancel(ctx context.Context, job int64) error
}

// Errors that callers tell apart.
var (
	ErrNotFound = store.ErrNotFound
	ErrStale    = errors.New("made on a stale version")
)

// Event tells browsers that something has changed.
type Event struct {
	Production uuid.UUID `json:"production"`
	Kind       string    `json:"kind"` // files, takes, reel, deliveries, writings, prints, shelf, syncs, loudness, progress
	ID         string    `json:"id,omitempty"`
	// Rows are the takes, or strands of takes, that have changed; nil where they are too many, or not known.
	Rows []uuid.UUID `json:"rows,omitempty"`
	// Version is that of the reel whose ID it is, after an edit: who has it has nothing to ask.
	Version int64 `json:"version,omitempty"`
	Done    int64 `json:"done,omitempty"`
	Total   int64 `json:"total,omitempty"`
}

// publish tells of events, once the transaction that q is of ends well. Those of takes say which, and are left out where the
// transaction has changed none.
func publish(ctx context.Context, q store.Queries, events ...Event) error {
	for _, e := range events {
		if e.Kind == "takes" && e.Rows == nil {
			rows, none := q.Touched()
			if none {
				continue
			}
			e.Rows = rows
		}
		b, err := json.Marshal(e)
		if err != nil {
			return err
		}
		if err := q.Notify(ctx, string(b)); err != nil {
			return err
		}
	}
	return nil
}

// progress returns a function that tells browsers how far a job is, a few times a second.
func (a *App) progress(ctx context.Context, production, id uuid.UUID) func(done, total int64) {
	var last time.Time
	return func(done, total int64) {
		now := time.Now()
		if now.Sub(last) < 200*time.Millisecond && done < total {
			return
		}
		last = now
		// Progress that can't be told is no reason to stop the work.
		_ = publish(ctx, a.Store.Queries, Event{Production: production, Kind: "progress", ID: id.String(), Done: done, Total: total})
	}
}

// NewProduction says what a production is.
type NewProduction struct {
	Name, Episode string
	SampleRate    int
	Rate          string // timecode rate
	Start         string // timecode
}

// CreateProduction makes a production with an empty reel.
func (a *App) CreateProduction(ctx context.Context, n NewProduction) (store.Production, error) {
	name := strings.TrimSpace(n.Name)
	if name == "" {
		return store.Production{}, snag.Refuse("bad_name", "a production needs a name")
	}
	if err := errors.Join(naming.CheckLine("a production", name), naming.CheckLine("an episode", n.Episode)); err != nil {
		return store.Production{}, err
	}
	rate, err := timecode.ParseRate(n.Rate)
	if err != nil {
		return store.Production{}, snag.Refuse("bad_rate", "%w", err)
	}
	frame, err := rate.Parse(n.Start)
	if err != nil {
		return store.Production{}, snag.Refuse("bad_timecode", "%w", err)
	}
	p := store.Production{
		ID: store.NewID(), Name: name, Episode: strings.TrimSpace(n.Episode), SampleRate: n.SampleRate,
		RateNum: rate.Num, RateDen: rate.Den, RateDrop: rate.Drop, StartSamples: rate.SampleAt(frame, int64(n.SampleRate)),
	}
	return p, a.Store.InTx(ctx, func(tx store.Tx) error {
		if err := tx.InsertProduction(ctx, p); err != nil {
			return err
		}
		fresh, err := freshReel(ctx, tx.Queries, p.ID)
		if err != nil {
			return err
		}
		return tx.InsertReel(ctx, store.Reel{ID: store.NewID(), ProductionID: p.ID, Name: "Reel 1", Version: 1, Doc: fresh})
	})
}

// Stale is a change that was made on something which is otherwise by now.
type Stale struct {
	Says    string
	Current any // what it is now
}

func (e *Stale) Error() string { return e.Says }
