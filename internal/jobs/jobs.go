// Package jobs does the application's long work in the background, on River, in any number of
// processes: intake analyses and deliveries. A job whose worker is killed is taken up by another
// at once.
package jobs

import (
	"context"
	"encoding/json"
	"errors"
	"log/slog"
	"time"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"
	"github.com/riverqueue/river"
	"github.com/riverqueue/river/riverdriver/riverpgxv5"
	"github.com/riverqueue/river/rivertype"

	"zestyloom/core/safely"
	"zestyloom/core/snag"
	"zestyloom/internal/app"
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

// Analyse enqueues the analysis of a file.
func (q *Queue) Analyse(ctx context.Context, tx pgx.Tx, file uuid.UUID) (int64, error) {
	return insert(q.client.InsertTx(ctx, tx, AnalyseArgs{file}, &river.InsertOpts{Queue: intakeQueue}))
}

// Check enqueues the comparison of a file with hash lists.
func (q *Queue) Check(ctx context.Context, tx pgx.Tx, file uuid.UUID) (int64, error) {
	return insert(q.client.InsertTx(ctx, tx, CheckArgs{file}, &river.InsertOpts{Queue: intakeQueue}))
}

// relateAfter is how long the comparison of a set waits: its files mostly arrive together.
const relateAfter = 2 * time.Second

// Relate enqueues the comparison of the members of a take.
func (q *Queue) Relate(ctx context.Context, tx pgx.Tx, take uuid.UUID) (int64, error) {
	return insert(q.client.InsertTx(ctx, tx, RelateArgs{take}, &river.InsertOpts{Queue: intakeQueue, ScheduledAt: time.Now().Add(relateAfter)}))
}

// Align enqueues the comparison of a pair of takes.
func (q *Queue) Align(ctx context.Context, tx pgx.Tx, pair uuid.UUID) (int64, error) {
	return insert(q.client.InsertTx(ctx, tx, AlignArgs{pair}, &river.InsertOpts{Queue: alignQueue}))
}

// Deliver enqueues the making of a delivery.
func (q *Queue) Deliver(ctx context.Context, tx pgx.Tx, delivery uuid.UUID) (int64, error) {
	return insert(q.client.InsertTx(ctx, tx, DeliverArgs{delivery}, &river.InsertOpts{Queue: deliveryQueue}))
}

// Write enqueues the writing of a take.
func (q *Queue) Write(ctx context.Context, tx pgx.Tx, writing uuid.UUID) (int64, error) {
	return insert(q.client.InsertTx(ctx, tx, WriteArgs{writing}, &river.InsertOpts{Queue: writingQueue}))
}

// Print enqueues the making of a print.
func (q *Queue) Print(ctx context.Context, tx pgx.Tx, print uuid.UUID) (int64, error) {
	return insert(q.client.InsertTx(ctx, tx, PrintArgs{print}, &river.InsertOpts{Queue: printQueue}))
}

func insert(r *rivertype.JobInsertResult, err error) (int64, error) {
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

// AnalyseArgs asks for the analysis of a file.
type AnalyseArgs struct {
	File uuid.UUID `json:"file"`
}

// CheckArgs asks for a file to be compared with hash lists.
type CheckArgs struct {
	File uuid.UUID `json:"file"`
}

// RelateArgs asks for the members of a take to be compared.
type RelateArgs struct {
	Take uuid.UUID `json:"take"`
}

// AlignArgs asks for a pair of takes to be lined up.
type AlignArgs struct {
	Pair uuid.UUID `json:"pair"`
}

// DeliverArgs asks for the making of a delivery.
type DeliverArgs struct {
	Delivery uuid.UUID `json:"delivery"`
}

// WriteArgs asks for a take to be written out.
type WriteArgs struct {
	Writing uuid.UUID `json:"writing"`
}

// PrintArgs asks for a print to be made and laid.
type PrintArgs struct {
	Print uuid.UUID `json:"print"`
}

// Kind implements river.JobArgs.
func (PrintArgs) Kind() string { return "print" }

// Kind implements river.JobArgs.
func (AnalyseArgs) Kind() string { return "analyse" }

// Kind implements river.JobArgs.
func (CheckArgs) Kind() string { return "check" }

// Kind implements river.JobArgs.
func (RelateArgs) Kind() string { return "relate" }

// Kind implements river.JobArgs.
func (AlignArgs) Kind() string { return "align" }

// Kind implements river.JobArgs.
func (DeliverArgs) Kind() string { return "deliver" }

// Kind implements river.JobArgs.
func (WriteArgs) Kind() string { return "write" }

// workers are what is done for each kind of job, and what is said where it can't be done.
func workers(a *app.App, log *slog.Logger) *river.Workers {
	w := river.NewWorkers()
	river.AddWorker(w, &worker[AnalyseArgs]{log: log,
		do: func(ctx context.Context, j AnalyseArgs) error { return a.Analyse(ctx, j.File) },
		refuse: func(ctx context.Context, j AnalyseArgs, why *snag.Refusal) error {
			return a.RefuseFile(ctx, j.File, why)
		}})
	river.AddWorker(w, &worker[CheckArgs]{log: log, do: func(ctx context.Context, j CheckArgs) error { return a.Check(ctx, j.File) }})
	river.AddWorker(w, &worker[RelateArgs]{log: log, do: func(ctx context.Context, j RelateArgs) error { return a.Relate(ctx, j.Take) }})
	river.AddWorker(w, &worker[AlignArgs]{log: log,
		do:     func(ctx context.Context, j AlignArgs) error { return a.Align(ctx, j.Pair) },
		refuse: func(ctx context.Context, j AlignArgs, why *snag.Refusal) error { return a.FailSync(ctx, j.Pair, why) }})
	river.AddWorker(w, &worker[DeliverArgs]{log: log,
		do: func(ctx context.Context, j DeliverArgs) error { return a.Deliver(ctx, j.Delivery) },
		refuse: func(ctx context.Context, j DeliverArgs, why *snag.Refusal) error {
			return a.FailDelivery(ctx, j.Delivery, why)
		}})
	river.AddWorker(w, &worker[WriteArgs]{log: log,
		do: func(ctx context.Context, j WriteArgs) error { return a.Write(ctx, j.Writing) },
		refuse: func(ctx context.Context, j WriteArgs, why *snag.Refusal) error {
			return a.FailWriting(ctx, j.Writing, why)
		}})
	river.AddWorker(w, &worker[PrintArgs]{log: log,
		do:     func(ctx context.Context, j PrintArgs) error { return a.Print(ctx, j.Print) },
		refuse: func(ctx context.Context, j PrintArgs, why *snag.Refusal) error { return a.FailPrint(ctx, j.Print, why) }})
	return w
}

// maxDeaths is how many workers may die over a job. A job that takes its worker with it every time would keep all
// others waiting for ever.
const maxDeaths = 3

// worker does the jobs of a kind. A defect that one brings to light is the end of that one only, and so is one that
// workers die over.
type worker[T river.JobArgs] struct {
	river.WorkerDefaults[T]
	log    *slog.Logger
	do     func(ctx context.Context, args T) error
	refuse func(ctx context.Context, args T, why *snag.Refusal) error // nil where nobody waits for the outcome
}

// Work implements river.Worker.
func (w *worker[T]) Work(ctx context.Context, job *river.Job[T]) error {
	var kept struct{ Deaths int }
	if err := json.Unmarshal(job.Metadata, &kept); err != nil {
		w.log.Error("a job's metadata is not understood", "job", job.ID, "error", err)
	}
	if kept.Deaths >= maxDeaths {
		w.log.Error("workers died over a job", "kind", job.Kind, "job", job.ID, "args", string(job.EncodedArgs), "deaths", kept.Deaths)
		return w.giveUp(ctx, job.Args, snag.Refuse("worker_died", "the worker died over it %d times, and it was given up so that others go on; the log says more, and it can be tried again", kept.Deaths))
	}
	err := safely.Do(func() error { return w.do(ctx, job.Args) })
	var p *safely.Panic
	if errors.As(err, &p) {
		w.log.Error("a defect", "kind", job.Kind, "job", job.ID, "args", string(job.EncodedArgs), "panic", p.Value, "stack", string(p.Stack))
		return w.giveUp(ctx, job.Args, snag.Refuse("defect", "the program has a defect that this brings to light (%v); nothing was lost, and nothing else is touched. Please report it: the log says more", p.Value))
	}
	return err
}

func (w *worker[T]) giveUp(ctx context.Context, args T, why *snag.Refusal) error {
	if w.refuse == nil {
		return nil
	}
	return w.refuse(ctx, args, why)
}

// Timeout implements river.Worker: a file may be as long as it likes.
func (w *worker[T]) Timeout(*river.Job[T]) time.Duration { return -1 }

// NextRetry implements river.Worker. What is tried again waits for something to come back, such as the database.
func (w *worker[T]) NextRetry(job *river.Job[T]) time.Time {
	return time.Now().Add(min(30*time.Second, time.Second<<min(10, max(0, job.Attempt-1))))
}

// Run works on jobs until ctx ends; then jobs under way are stopped and left for the next worker. When the database
// ends the session that says that this worker lives, its jobs are stopped, and it begins anew under another name.
func Run(ctx context.Context, a *app.App, log *slog.Logger) error {
	var names []string // under which it has worked
	for wait := 100 * time.Millisecond; ctx.Err() == nil; {
		id := "worker-" + store.NewID().String()
		began := time.Now()
		names = append(names, id)
		err := run(ctx, a, log, id, names)
		switch {
		case ctx.Err() != nil:
			return err
		case err == nil || errors.Is(err, store.ErrLost) || store.Away(err):
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

func run(ctx context.Context, a *app.App, log *slog.Logger, id string, names []string) error {
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
		ID: id, Logger: log, Workers: workers(a, log), JobTimeout: -1,
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
