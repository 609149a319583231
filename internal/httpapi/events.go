package httpapi

import (
	"context"
	"encoding/json"
	"fmt"
	"log/slog"
	"net/http"
	"sync"
	"time"

	"github.com/google/uuid"

	"zestyloom/internal/app"
	"zestyloom/internal/httpapi/contract"
	"zestyloom/internal/store"
)

// Hub passes events from the database on to the browsers that listen.
type Hub struct {
	mu   sync.Mutex
	subs map[chan app.Event]uuid.UUID
}

// NewHub makes a hub; Run must be called for it to hear anything.
func NewHub() *Hub { return &Hub{subs: map[chan app.Event]uuid.UUID{}} }

// Run listens to the database until ctx ends. A lost connection is made again; browsers are then
// told to look at everything anew, since they may have missed something.
func (h *Hub) Run(ctx context.Context, st *store.Store, log *slog.Logger) {
	again := func() {}
	for {
		err := st.Listen(ctx, func() { again() }, func(payload string) {
			var e app.Event
			if err := json.Unmarshal([]byte(payload), &e); err != nil {
				log.Error("an event is not understood", "payload", payload, "error", err)
				return
			}
			h.send(e, false)
		})
		if ctx.Err() != nil {
			return
		}
		log.Warn("the connection for events was lost; trying again", "error", err)
		select {
		case <-ctx.Done():
			return
		case <-time.After(time.Second):
		}
		again = func() {
			for _, kind := range []string{"files", "takes", "reel", "deliveries", "writings", "prints", "shelf", "syncs"} {
				h.send(app.Event{Kind: kind}, true)
			}
		}
	}
}

func (h *Hub) send(e app.Event, all bool) {
	h.mu.Lock()
	defer h.mu.Unlock()
	for ch, production := range h.subs {
		if !all && production != e.Production {
			continue
		}
		select {
		case ch <- e:
		default:
			if e.Kind != "progress" { // a browser that does not read: end its stream, it will come back
				close(ch)
				delete(h.subs, ch)
			}
		}
	}
}

func (h *Hub) subscribe(production uuid.UUID) chan app.Event {
	ch := make(chan app.Event, 256)
	h.mu.Lock()
	defer h.mu.Unlock()
	h.subs[ch] = production
	return ch
}

func (h *Hub) unsubscribe(ch chan app.Event) {
	h.mu.Lock()
	defer h.mu.Unlock()
	delete(h.subs, ch)
}

func (s *server) getEvents(ctx context.Context, at ofProduction, _ none) (eventStream, error) {
	if _, err := s.app.Store.Production(ctx, at.Production); err != nil {
		return eventStream{}, err
	}
	return eventStream{ctx, s.hub, at.Production}, nil
}

type eventStream struct {
	ctx        context.Context
	hub        *Hub
	production uuid.UUID
}

// give streams events until the browser goes away.
func (e eventStream) give(w http.ResponseWriter) error {
	ch := e.hub.subscribe(e.production)
	defer e.hub.unsubscribe(ch)
	w.Header().Set("Content-Type", "text/event-stream")
	w.Header().Set("Cache-Control", "no-cache")
	w.WriteHeader(http.StatusOK)
	flush := http.NewResponseController(w)
	if _, err := fmt.Fprint(w, "retry: 1000\n\n"); err != nil {
		return err
	}
	if err := flush.Flush(); err != nil {
		return err
	}
	alive := time.NewTicker(15 * time.Second)
	defer alive.Stop()
	for {
		var err error
		select {
		case <-e.ctx.Done():
			return nil
		case <-alive.C:
			_, err = fmt.Fprint(w, ": alive\n\n")
		case ev, ok := <-ch:
			if !ok {
				return nil
			}
			out := contract.Event{Kind: contract.EventKind(ev.Kind)}
			if ev.ID != "" {
				out.Id = &ev.ID
			}
			if ev.Rows != nil {
				out.Rows = &ev.Rows
			}
			if ev.Version != 0 {
				out.Version = &ev.Version
			}
			if ev.Kind == "progress" {
				out.Done, out.Total = &ev.Done, &ev.Total
			}
			var b []byte
			if b, err = json.Marshal(out); err == nil {
				_, err = fmt.Fprintf(w, "data: %s\n\n", b)
			}
		}
		if err != nil {
			return err
		}
		if err := flush.Flush(); err != nil {
			return err
		}
	}
}
