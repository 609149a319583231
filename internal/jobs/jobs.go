// Package jobs does the application's long work in the background, on River, in any number of
// processes: intake analyses and deliveries. A job whose worker is killed is taken up by another
// at once.
package jobs

import (
	"context"
	"errors"
	"log/slog"
	"time"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"
	"github.com/riverqueue/river"
	"github.com/riverqueue/river/riverdriver/riverpgxv5"
	"github.com/riverqueue/river/rivertype"

	"zestyloom/internal/app"
	"zestyloom/internal/store"
)

// Queues: deliveries are long and must not keep files waiting.
const (
	intakeQueue   = "intake"
	deliveryQueue = "delivery"
	writingQueue  = "writing"
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

func insert(r *rivertype.JobInsertResult, err error) (int64, error) {
	if err != nil {
		return 0, err
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

// Kind implements river.JobArgs.
func (AnalyseArgs) Kind() string { return "analyse" }

type analyseWorker struct {
	river.WorkerDefaults[AnalyseArgs]
	app *app.App
}

// Work implements river.Worker.
func (w *analyseWorker) Work(ctx context.Context, job *river.Job[AnalyseArgs]) error {
	return w.app.Analyse(ctx, job.Args.File)
}

// Timeout implements river.Worker: a file may be as long as it likes.
func (w *analyseWorker) Timeout(*river.Job[AnalyseArgs]) time.Duration { return -1 }

// CheckArgs asks for a file to be compared with hash lists.
type CheckArgs struct {
	File uuid.UUID `json:"file"`
}

// Kind implements river.JobArgs.
func (CheckArgs) Kind() string { return "check" }

type checkWorker struct {
	river.WorkerDefaults[CheckArgs]
	app *app.App
}

// Work implements river.Worker.
func (w *checkWorker) Work(ctx context.Context, job *river.Job[CheckArgs]) error {
	return w.app.Check(ctx, job.Args.File)
}

// Timeout implements river.Worker.
func (w *checkWorker) Timeout(*river.Job[CheckArgs]) time.Duration { return -1 }

// RelateArgs asks for the members of a take to be compared.
type RelateArgs struct {
	Take uuid.UUID `json:"take"`
}

// Kind implements river.JobArgs.
func (RelateArgs) Kind() string { return "relate" }

type relateWorker struct {
	river.WorkerDefaults[RelateArgs]
	app *app.App
}

// Work implements river.Worker.
func (w *relateWorker) Work(ctx context.Context, job *river.Job[RelateArgs]) error {
	return w.app.Relate(ctx, job.Args.Take)
}

// Timeout implements river.Worker.
func (w *relateWorker) Timeout(*river.Job[RelateArgs]) time.Duration { return -1 }

// AlignArgs asks for a pair of takes to be lined up.
type AlignArgs struct {
	Pair uuid.UUID `json:"pair"`
}

// Kind implements river.JobArgs.
func (AlignArgs) Kind() string { return "align" }

type alignWorker struct {
	river.WorkerDefaults[AlignArgs]
	app *app.App
}

// Work implements river.Worker.
func (w *alignWorker) Work(ctx context.Context, job *river.Job[AlignArgs]) error {
	return w.app.Align(ctx, job.Args.Pair)
}

// Timeout implements river.Worker.
func (w *alignWorker) Timeout(*river.Job[AlignArgs]) time.Duration { return -1 }

// DeliverArgs asks for the making of a delivery.
type DeliverArgs struct {
	Delivery uuid.UUID `json:"delivery"`
}

// Kind implements river.JobArgs.
func (DeliverArgs) Kind() string { return "deliver" }

type deliverWorker struct {
	river.WorkerDefaults[DeliverArgs]
	app *app.App
}

// Work implements river.Worker.
func (w *deliverWorker) Work(ctx context.Context, job *river.Job[DeliverArgs]) error {
	return w.app.Deliver(ctx, job.Args.Delivery)
}

// Timeout implements river.Worker.
func (w *deliverWorker) Timeout(*river.Job[DeliverArgs]) time.Duration { return -1 }

// WriteArgs asks for a take to be written out.
type WriteArgs struct {
	Writing uuid.UUID `json:"writing"`
}

// Kind implements river.JobArgs.
func (WriteArgs) Kind() string { return "write" }

type writeWorker struct {
	river.WorkerDefaults[WriteArgs]
	app *app.App
}

// Work implements river.Worker.
func (w *writeWorker) Work(ctx context.Context, job *river.Job[WriteArgs]) error {
	return w.app.Write(ctx, job.Args.Writing)
}

// Timeout implements river.Worker.
func (w *writeWorker) Timeout(*river.Job[WriteArgs]) time.Duration { return -1 }

// Run works on jobs until ctx ends; then jobs under way are stopped and left for the next worker.
func Run(ctx context.Context, a *app.App, log *slog.Logger) error {
	id := "worker-" + store.NewID().String()
	// The lock comes first and goes last: whoever holds it is alive.
	release, err := a.Store.HoldWorker(ctx, id)
	if ctx.Err() != nil {
		return nil // ended before it began
	}
	if err != nil {
		return err
	}
	defer release()
	workers := river.NewWorkers()
	river.AddWorker(workers, &analyseWorker{app: a})
	river.AddWorker(workers, &checkWorker{app: a})
	river.AddWorker(workers, &relateWorker{app: a})
	river.AddWorker(workers, &alignWorker{app: a})
	river.AddWorker(workers, &deliverWorker{app: a})
	river.AddWorker(workers, &writeWorker{app: a})
	c, err := river.NewClient(riverpgxv5.New(a.Store.Pool), &river.Config{
		ID: id, Logger: log, Workers: workers, JobTimeout: -1,
		Queues:            map[string]river.QueueConfig{intakeQueue: {MaxWorkers: 2}, deliveryQueue: {MaxWorkers: 1}, writingQueue: {MaxWorkers: 1}, alignQueue: {MaxWorkers: 1}},
		FetchPollInterval: 500 * time.Millisecond,
		// Orphans are freed by their workers' locks, not by age: a long render is no orphan.
		RescueStuckJobsAfter: 30 * 24 * time.Hour,
	})
	if err != nil {
		return err
	}
	if err := c.Start(context.WithoutCancel(ctx)); err != nil {
		return err
	}
	for {
		if n, err := a.Store.FreeOrphans(ctx); err != nil && ctx.Err() == nil {
			log.Error("looking for orphaned jobs", "error", err)
		} else if n > 0 {
			log.Info("took over jobs of a worker that is gone", "jobs", n)
		}
		select {
		case <-ctx.Done():
			stop, cancel := context.WithTimeout(context.WithoutCancel(ctx), 15*time.Second)
			defer cancel()
			return c.StopAndCancel(stop)
		case <-time.After(time.Second):
		}
	}
}
