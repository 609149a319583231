package store

import (
	"context"
	"errors"
	"time"

	"github.com/jackc/pgx/v5"
)

// Workers hold an advisory lock for as long as they live: the database lets go of it the moment a
// worker's process dies, however it dies, and so knows at once whose jobs are orphaned.
const workerClass = 0x5A4C

// How a held lock is watched. A session that does not answer is given up: the database may have let go of it.
const (
	watchEvery  = time.Second
	watchAnswer = 5 * time.Second
)

// ErrLost says that a worker's session ended, and with it its lock.
var ErrLost = errors.New("the session that held the worker's lock has ended")

// HoldWorker marks a worker as alive until release is called or the process ends. The context it gives ends with the
// cause ErrLost when the database no longer holds the lock: others count the worker as dead from then on.
func (s *Store) HoldWorker(ctx context.Context, worker string) (held context.Context, release func(), err error) {
	c, err := s.own(ctx)
	if err != nil {
		return nil, nil, Tag(err)
	}
	if _, err := c.Exec(ctx, `SELECT pg_advisory_lock($1, hashtext($2))`, workerClass, worker); err != nil {
		releaseHeld(c)
		return nil, nil, Tag(err)
	}
	held, lose := context.WithCancelCause(ctx)
	over := make(chan struct{})
	go func() {
		defer close(over)
		for {
			select {
			case <-held.Done():
				return
			case <-time.After(watchEvery):
			}
			ask, cancel := context.WithTimeout(held, watchAnswer)
			_, err := c.Exec(ask, `SELECT 1`)
			cancel()
			if err != nil && held.Err() == nil {
				lose(ErrLost)
				return
			}
		}
	}()
	return held, func() {
		lose(context.Canceled)
		<-over
		releaseHeld(c)
	}, nil
}

func releaseHeld(c *pgx.Conn) {
	ctx, cancel := context.WithTimeout(context.Background(), watchAnswer)
	defer cancel()
	_ = c.Close(ctx)
}
