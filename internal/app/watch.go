package app

import (
	"context"
	"slices"
	"strings"
	"sync"
	"time"

	"github.com/google/uuid"

	"zestyloom/core/snag"
	"zestyloom/internal/media"
	"zestyloom/internal/store"
)

// Watcher looks at folders of the shelf for new files, and at originals that were taken in in place.
// A file is offered once it has kept its size and time for a while: one that a recorder or a copy is
// still writing is not finished.
type Watcher struct {
	app  *App
	mu   sync.Mutex
	seen map[uuid.UUID]map[string]sighting
	last map[uuid.UUID]Offer
}

type sighting struct {
	media.Found
	since time.Time // when it was first seen like this
}

// Steady is how long a file must keep its size and time to be offered.
const Steady = 4 * time.Second

// Offer is what a production's watched folders hold that it does not have.
type Offer struct {
	Folders []string
	New     []media.Found // steady, in order of their paths
	Growing []media.Found // still being written
	Snags   []snag.Snag   // folders that can't be read
}

// NewWatcher makes a watcher that has seen nothing yet.
func NewWatcher(a *App) *Watcher {
	return &Watcher{app: a, seen: map[uuid.UUID]map[string]sighting{}, last: map[uuid.UUID]Offer{}}
}

// Look looks once at everything that is watched, and tells browsers what has changed.
func (w *Watcher) Look(ctx context.Context) error {
	if w.app.Shelf == nil {
		return nil
	}
	if err := w.app.LookForLost(ctx); err != nil {
		return err
	}
	watches, err := w.app.Store.Watches(ctx)
	if err != nil {
		return err
	}
	folders := map[uuid.UUID][]string{}
	for _, o := range watches {
		folders[o.ProductionID] = append(folders[o.ProductionID], o.Path)
	}
	w.mu.Lock()
	for p := range w.last {
		if folders[p] == nil {
			delete(w.last, p)
			delete(w.seen, p)
		}
	}
	w.mu.Unlock()
	for p, paths := range folders {
		if err := w.look(ctx, p, paths); err != nil {
			return err
		}
	}
	return nil
}

func (w *Watcher) look(ctx context.Context, production uuid.UUID, folders []string) error {
	known, err := w.app.Store.KnownPaths(ctx, production)
	if err != nil {
		return err
	}
	now := w.app.Now()
	o := Offer{Folders: folders}
	seen := map[string]sighting{}
	w.mu.Lock()
	before := w.seen[production]
	w.mu.Unlock()
	for _, folder := range folders {
		found, err := w.app.Shelf.Walk(folder)
		if err != nil {
			r := snag.Of(err)
			o.Snags = append(o.Snags, snag.Snag{Code: r.Code, Message: r.Message})
			continue
		}
		for _, f := range found {
			if _, twice := seen[f.Path]; twice || known[f.Path] {
				continue
			}
			s := before[f.Path]
			if s.Found != f {
				s = sighting{f, now}
			}
			seen[f.Path] = s
			if f.Size > 0 && now.Sub(s.since) >= Steady {
				o.New = append(o.New, f)
			} else {
				o.Growing = append(o.Growing, f)
			}
		}
	}
	for _, l := range [][]media.Found{o.New, o.Growing} {
		slices.SortFunc(l, func(a, b media.Found) int { return strings.Compare(a.Path, b.Path) })
	}
	w.mu.Lock()
	was := w.last[production]
	w.seen[production], w.last[production] = seen, o
	w.mu.Unlock()
	if slices.Equal(was.New, o.New) && len(was.Growing) == len(o.Growing) && slices.Equal(was.Folders, o.Folders) && slices.Equal(was.Snags, o.Snags) {
		return nil
	}
	return publish(ctx, w.app.Store.Queries, Event{Production: production, Kind: "shelf"})
}

// Offered is what a production was last found to be without.
func (w *Watcher) Offered(ctx context.Context, production uuid.UUID) (Offer, error) {
	if _, err := w.app.Store.Production(ctx, production); err != nil {
		return Offer{}, err
	}
	w.mu.Lock()
	o, ok := w.last[production]
	w.mu.Unlock()
	if ok {
		return o, nil
	}
	all, err := w.app.Store.Watches(ctx)
	for _, o2 := range all {
		if o2.ProductionID == production {
			o.Folders = append(o.Folders, o2.Path)
		}
	}
	return o, err
}

// Watch sets which folders of the shelf are looked at for a production's files.
func (w *Watcher) Watch(ctx context.Context, production uuid.UUID, folders []string) error {
	if len(folders) > 0 && w.app.Shelf == nil {
		return errNoShelf
	}
	folders = slices.Compact(slices.Sorted(slices.Values(folders)))
	for _, f := range folders {
		if _, err := w.app.Shelf.List(f); err != nil {
			return err
		}
	}
	err := w.app.Store.InTx(ctx, func(tx store.Tx) error {
		if _, err := tx.LockProduction(ctx, production); err != nil {
			return err
		}
		if err := tx.SetWatches(ctx, production, folders); err != nil {
			return err
		}
		return publish(ctx, tx.Queries, Event{Production: production, Kind: "shelf"})
	})
	if err != nil {
		return err
	}
	return w.Look(ctx)
}

// Decline takes files out of what is offered. They can still be taken in from the shelf.
func (w *Watcher) Decline(ctx context.Context, production uuid.UUID, paths []string) error {
	if err := w.app.Store.Decline(ctx, production, paths); err != nil {
		return err
	}
	return w.Look(ctx)
}

// Run looks every few seconds until ctx ends.
func (w *Watcher) Run(ctx context.Context, failed func(error)) {
	for {
		if err := w.Look(ctx); err != nil && ctx.Err() == nil {
			failed(err)
		}
		select {
		case <-ctx.Done():
			return
		case <-time.After(2 * time.Second):
		}
	}
}
