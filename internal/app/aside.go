package app

import (
	"context"
	"fmt"
	"sync"
	"time"

	"zestyloom/core/safely"
)

// asides are pieces of work that a request needs and that may take longer than one may: each goes on when its request has been
// answered, once for all who ask for the same, for as long as somebody asks. Its zero value is ready.
type asides struct {
	mu sync.Mutex
	of map[string]*aside
}

type aside struct {
	done   chan struct{}
	result any
	err    error
	asked  time.Time
	cancel context.CancelFunc
}

// NotYet says that what was asked for takes longer than a request lasts, and goes on: asked again, it is there or further.
type NotYet struct {
	Done float64 // of it, 0 to 1; 0 where that is not known
}

func (n *NotYet) Error() string {
	if n.Done > 0 {
		return fmt.Sprintf("it is being worked out: %.0f %% are done; ask again", 100*n.Done)
	}
	return "it is being worked out: ask again"
}

const (
	// asideUnasked is for how long nobody has asked before work is given up, or what came of it is forgotten.
	asideUnasked = 20 * time.Second
	// asidesKept is the most pieces of work that are under way or remembered.
	asidesKept = 64
)

// do gives what came of the work of a key, or done false where it has not ended after a while: asked again, it will have gone on.
// fn must not rest on a request's context.
func (a *asides) do(ctx context.Context, key string, wait time.Duration, fn func(ctx context.Context) (any, error)) (result any, done bool, err error) {
	w := a.begin(key, fn)
	timer := time.NewTimer(wait)
	defer timer.Stop()
	select {
	case <-w.done:
		return w.result, true, w.err
	case <-timer.C:
		return nil, false, nil
	case <-ctx.Done():
		return nil, false, ctx.Err()
	}
}

// begin finds the work of a key, or begins it; what nobody has asked for meanwhile is let go.
func (a *asides) begin(key string, fn func(ctx context.Context) (any, error)) *aside {
	a.mu.Lock()
	defer a.mu.Unlock()
	now := time.Now()
	oldest := ""
	for k, w := range a.of {
		if now.Sub(w.asked) > asideUnasked {
			w.cancel()
			delete(a.of, k)
		} else if oldest == "" || w.asked.Before(a.of[oldest].asked) {
			oldest = k
		}
	}
	if w, ok := a.of[key]; ok {
		w.asked = now
		return w
	}
	if len(a.of) >= asidesKept {
		a.of[oldest].cancel()
		delete(a.of, oldest)
	}
	if a.of == nil {
		a.of = map[string]*aside{}
	}
	ctx, cancel := context.WithCancel(context.Background())
	w := &aside{done: make(chan struct{}), asked: now, cancel: cancel}
	a.of[key] = w
	time.AfterFunc(asideUnasked, func() { a.giveUp(key, w) })
	go func() {
		w.err = safely.Do(func() (err error) {
			w.result, err = fn(ctx)
			return err
		})
		close(w.done)
	}()
	return w
}

// giveUp ends work that nobody asks for any more, and looks again later where somebody does.
func (a *asides) giveUp(key string, w *aside) {
	a.mu.Lock()
	defer a.mu.Unlock()
	left := asideUnasked - time.Since(w.asked)
	if a.of[key] != w {
		w.cancel()
		return
	}
	if left > 0 {
		time.AfterFunc(left+time.Second, func() { a.giveUp(key, w) })
		return
	}
	w.cancel()
	delete(a.of, key)
}
