// Package jobs does the application's long work in the background, on River, in any number of
// processes: intake analyses and deliveries. A job whose worker is killed is taken up by another
// at once.
package jobs

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"log/slog"
	"slices"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/riverqueue/river"
	"github.com/riverqueue/river/riverdriver/riverpgxv5"
	"github.com/riverqueue/river/rivertype"

	"zestyloom/core/safely"
	"zestyloom/core/snag"
	"zestyloom/internal/app"
	"zestyloom/internal/observe"
	"zestyloom/internal/store"
)

// Queues: deliveries are long and must not keep files waiting.
const (
	intakeQueue   = "intake"
	deliveryQueue = "delivery"
	writingQueue  = "writing"
	printQueue    = "print"
	alignQueue    = "align"
)

// Queue enqueues and cancels jobs. It implements app.Queue.
type Queue struct{ client *river.Client[pgx.Tx] }

// NewQueue makes a queue that enqueues and does no work itself.
func NewQueue(st *store.Store, log *slog.Logger) (*Queue, error) {
	c, err := river.NewClient(riverpgxv5.New(st.Pool), &river.Config{Logger: log})
	return &Queue{c}, err
}

// Add enqueues a job as part of a transaction and returns its number.
func (q *Queue) Add(ctx context.Context, tx pgx.Tx, j app.Job) (int64, error) {
	i := slices.IndexFunc(kinds, func(k kind) bool { return k.kind() == j.Kind() })
	if i < 0 {
		return 0, fmt.Errorf("nobody does jobs of the kind %q", j.Kind())
	}
	r, err := q.client.InsertTx(ctx, tx, j, kinds[i].options())
	if err != nil {
		return 0, store.Tag(err)
	}
	return r.Job.ID, nil
}

// Cancel ends a job, wherever it runs. One that has ended is left alone.
func (q *Queue) Cancel(ctx context.Context, job int64) error {
	_, err := q.client.JobCancel(ctx, job)
	if errors.Is(err, rivertype.ErrNotFound) {
		return nil
	}
	return err
}

// kinds are all kinds of job: a file of this package each, and one for those that make orders.
var kinds = []kind{analyse, check, relate, align, deliver, write, makePrint}

type kind interface {
	kind() string
	options() *river.InsertOpts
	register(w *river.Workers, a *app.App, log *slog.Logger, figures *observe.Figures)
}

// work is what is done for a kind of job, and what is said where it can't be done.
type work[T app.Job] struct {
	queue  string
	after  time.Duration // that it waits at least
	do     func(ctx context.Context, a *app.App, job T) error
	refuse func(ctx context.Context, a *app.App, job T, why *snag.Refusal) error // nil where nobody waits for the outcome
}

func (k work[T]) kind() string {
	var job T
	return job.Kind()
}

func (k work[T]) options() *river.InsertOpts {
	o := &river.InsertOpts{Queue: k.queue}
	if k.after > 0 {
		o.ScheduledAt = time.Now().Add(k.after)
	}
	return o
}

func (k work[T]) register(w *river.Workers, a *app.App, log *slog.Logger, figures *observe.Figures) {
	river.AddWorker(w, &worker[T]{log: log, figures: figures, app: a, work: k})
}

func workers(a *app.App, log *slog.Logger, figures *observe.Figures) *river.Workers {
	w := river.NewWorkers()
	for _, k := range kinds {
		k.register(w, a, log, figures)
	}
	return w
}

// maxDeaths is how many workers may die over a job. A job that takes its worker with it every time would keep all
// others waiting for ever.
const maxDeaths = 3

// worker does the jobs of a kind. A defect that one brings to light is the end of that one only, and so is one that
// workers die over.
type worker[T app.Job] struct {
	river.WorkerDefaults[T]
	work    work[T]
	app     *app.App
	log     *slog.Logger
	figures *observe.Figures
}

// Work implements river.Worker.
func (w *worker[T]) Work(ctx context.Context, job *river.Job[T]) error {
	began := time.Now()
	err := w.attempt(ctx, job)
	ended := "done"
	switch {
	case ctx.Err() != nil:
		ended = "stopped"
	case err != nil:
		ended = "failed"
	}
	took := time.Since(began)
	w.figures.Job(job.Kind, ended, took)
	w.log.Info("job", "kind", job.Kind, "job", job.ID, "attempt", job.Attempt, "args", string(job.EncodedArgs), "ended", ended, "took", took, "error", err)
	return err
}

func (w *worker[T]) attempt(ctx context.Context, job *river.Job[T]) error {
	var kept struct{ Deaths int }
	if err := json.Unmarshal(job.Metadata, &kept); err != nil {
		w.log.Error("a job's metadata is not understood", "job", job.ID, "error", err)
	}
	if kept.Deaths >= maxDeaths {
		w.log.Error("workers died over a job", "kind", job.Kind, "job", job.ID, "args", string(job.EncodedArgs), "deaths", kept.Deaths)
		return w.giveUp(ctx, job.Args, snag.Refuse("worker_died", "the worker died over it %d times, and it was given up so that others go on; the log says more, and it can be tried again", kept.Deaths))
	}
	err := safely.Do(func() error { return w.work.do(ctx, w.app, job.Args) })
	var p *safely.Panic
	if errors.As(err, &p) {
		w.log.Error("a defect", "kind", job.Kind, "job", job.ID, "args", string(job.EncodedArgs), "panic", p.Value, "stack", string(p.Stack))
		return w.giveUp(ctx, job.Args, snag.Refuse("defect", "the program has a defect that this brings to light (%v); nothing was lost, and nothing else is touched. Please report it: the log says more", p.Value))
	}
	return err
}

func (w *worker[T]) giveUp(ctx context.Context, args T, why *snag.Refusal) error {
	if w.work.refuse == nil {
		return nil
	}
	return w.work.refuse(ctx, w.app, args, why)
}

// Timeout implements river.Worker: a file may be as long as it likes.
func (w *worker[T]) Timeout(*river.Job[T]) time.Duration { return -1 }

// NextRetry implements river.Worker. What is tried again waits for something to come back, such as the database.
func (w *worker[T]) NextRetry(job *river.Job[T]) time.Time {
	return time.Now().Add(min(30*time.Second, time.Second<<min(10, max(0, job.Attempt-1))))
}

// Run works on jobs until ctx ends, and counts them where figures is not nil; then jobs under way are stopped and left for the next worker. When the database
// ends the session that says that this worker lives, its jobs are stopped, and it begins anew under another name.
func Run(ctx context.Context, a *app.App, log *slog.Logger, figures *observe.Figures) error {
	var names []string // under which it has worked
	for wait := 100 * time.Millisecond; ctx.Err() == nil; {
		id := "worker-" + store.NewID().String()
		began := time.Now()
		names = append(names, id)
		err := run(ctx, a, log, figures, id, names)
		switch {
		case ctx.Err() != nil:
			return err
		case err == nil || errors.Is(err, store.ErrLost) || store.Passing(err):
			log.Warn("the database let go of the worker, which begins anew", "error", err)
		default:
			return err
		}
		if time.Since(began) > time.Minute {
			wait = 100 * time.Millisecond
		}
		select {
		case <-ctx.Done():
		case <-time.After(wait):
		}
		wait = min(2*wait, 5*time.Second)
	}
	return nil
}

func run(ctx context.Context, a *app.App, log *slog.Logger, figures *observe.Figures, id string, names []string) error {
	// The lock comes first and goes last: whoever holds it is alive.
	held, release, err := a.Store.HoldWorker(ctx, id)
	if ctx.Err() != nil {
		return nil // ended before it began
	}
	if err != nil {
		return err
	}
	defer release()
	c, err := river.NewClient(riverpgxv5.New(a.Store.Pool), &river.Config{
		ID: id, Logger: log, Workers: workers(a, log, figures), JobTimeout: -1,
		Queues:            map[string]river.QueueConfig{intakeQueue: {MaxWorkers: 2}, deliveryQueue: {MaxWorkers: 1}, writingQueue: {MaxWorkers: 1}, printQueue: {MaxWorkers: 1}, alignQueue: {MaxWorkers: 1}},
		FetchPollInterval: 500 * time.Millisecond,
		// Orphans are freed by their workers' locks, not by age: a long render is no orphan.
		RescueStuckJobsAfter: 30 * 24 * time.Hour,
	})
	if err != nil {
		return err
	}
	if err := c.Start(context.WithoutCancel(ctx)); err != nil {
		if ctx.Err() != nil {
			return nil // ended before it began
		}
		return store.Tag(err)
	}
	for {
		if n, err := a.Store.FreeOrphans(held, names); err != nil && held.Err() == nil {
			log.Error("looking for orphaned jobs", "error", err)
		} else if n > 0 {
			log.Info("took over jobs of a worker that is gone", "jobs", n)
		}
		if n, err := a.Store.HurryJobs(held); err != nil && held.Err() == nil {
			log.Error("looking for jobs that wait too long", "error", err)
		} else if n > 0 {
			log.Warn("jobs were put off by a clock that stood otherwise", "jobs", n)
		}
		select {
		case <-held.Done():
			// Whoever is counted as dead does nothing more: its jobs are others' by now.
			stop, cancel := context.WithTimeout(context.WithoutCancel(ctx), 15*time.Second)
			defer cancel()
			err := c.StopAndCancel(stop)
			if ctx.Err() == nil {
				return context.Cause(held)
			}
			return err
		case <-time.After(time.Second):
		}
	}
}
