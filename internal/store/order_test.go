package store_test

import (
	"encoding/json"
	"os"
	"testing"
	"time"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5/stdlib"
	"github.com/pressly/goose/v3"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/delivery"
	"zestyloom/core/order"
	"zestyloom/core/poly"
	"zestyloom/core/printing"
	"zestyloom/core/reel"
	"zestyloom/core/snag"
	"zestyloom/internal/store"
)

// placed puts an order of a kind in a state.
func (f *fixture) placed(kind order.Kind, in uuid.UUID, state order.State) store.Order {
	f.t.Helper()
	o := store.Order{ID: store.NewID(), ProductionID: f.p.ID, Kind: kind, Name: "Stems", State: state}
	var plan any
	switch kind {
	case order.Delivery:
		p := delivery.Plan{Frames: 480, Rates: delivery.Rates{Files: 48000}}
		p.Order.Spec.Name, p.Order.Titles.Reel = "Stems", "Reel 1"
		o.ReelID, o.Says, o.Frames, o.SampleRate, o.Version, plan = in, "Reel 1", 480, 48000, 3, p
	case order.Writing:
		o.Says, o.Frames, plan = "mono", 960, json.RawMessage(`{"packing": "mono", "frames": 960}`)
	case order.Print:
		o.ReelID, o.Says, o.Frames, o.SampleRate, o.Session = in, "Boom, Lav", 96, 48000, "session of one"
		plan = printing.Print{Name: "Stems", Of: []string{"Boom", "Lav"}, Plan: delivery.Plan{Frames: 96, Rates: delivery.Rates{Files: 48000}}}
	}
	require.NoError(f.t, f.InsertOrder(f.ctx, o, plan))
	got, err := f.Order(f.ctx, o.ID)
	require.NoError(f.t, err)
	return got
}

func (f *fixture) reelOf() uuid.UUID {
	f.t.Helper()
	id := store.NewID()
	require.NoError(f.t, f.InsertReel(f.ctx, store.Reel{ID: id, ProductionID: f.p.ID, Name: "Reel 1", Version: 1, Doc: reel.New()}))
	return id
}

// Orders of every kind and state come through the tables that they had before unchanged.
func TestOrdersOfBefore(t *testing.T) {
	f := setup(t)
	at := f.reelOf()
	var were []store.Order
	for kind := range order.Kinds {
		for _, s := range order.States {
			if s == order.Laying && kind != order.Print {
				continue
			}
			were = append(were, f.placed(kind, at, s))
		}
	}
	db := stdlib.OpenDBFromPool(f.Store.Pool)
	defer db.Close()
	g, err := goose.NewProvider(goose.DialectPostgres, db, os.DirFS("migrations"))
	require.NoError(t, err)
	_, err = g.DownTo(f.ctx, 33)
	require.NoError(t, err)
	for table, n := range map[string]int{"deliveries": 7, "writings": 7, "prints": 8} {
		var there int
		require.NoError(t, f.Store.Pool.QueryRow(f.ctx, `SELECT count(*) FROM `+table).Scan(&there))
		assert.Equal(t, n, there, table)
	}
	_, err = g.Up(f.ctx)
	require.NoError(t, err)
	for _, was := range were {
		now, err := f.Order(f.ctx, was.ID)
		require.NoError(t, err)
		assert.Equal(t, was, now)
	}
}

// An order is moved by the table alone: from every state each move is made or refused as core says, and none by an attempt that
// does not count any more.
func TestOrdersAreMovedByTheTable(t *testing.T) {
	f := setup(t)
	at := f.reelOf()
	moves := []order.Move{order.Begin, order.ReadBack, order.Lay, order.Finish, order.Fail, order.Hold, order.Next, order.Cancel, order.Retry}
	for _, s := range order.States {
		for _, m := range moves {
			o := f.placed(order.Print, at, s)
			err := f.MoveOrder(f.ctx, o.ID, m, store.Outcome{Why: &snag.Refusal{Code: "why", Message: "because"}})
			now, e := f.Order(f.ctx, o.ID)
			require.NoError(t, e)
			if !s.Can(m) {
				require.ErrorIs(t, err, store.ErrNotFound, "%s %s", s, m)
				assert.Equal(t, o, now)
				continue
			}
			require.NoError(t, err, "%s %s", s, m)
			assert.Equal(t, m.To(), now.State)
			assert.Equal(t, "why", now.ErrorCode)
			assert.Equal(t, m.To().Ended(), now.FinishedAt != nil)
		}
	}

	// The attempt that began last counts, and what it says is kept.
	o := f.placed(order.Writing, uuid.Nil, order.Waiting)
	first, second := store.NewID(), store.NewID()
	require.NoError(t, f.MoveOrder(f.ctx, o.ID, order.Begin, store.Outcome{Attempt: first}))
	require.NoError(t, f.MoveOrder(f.ctx, o.ID, order.Begin, store.Outcome{Attempt: second}))
	require.ErrorIs(t, f.MoveOrder(f.ctx, o.ID, order.ReadBack, store.Outcome{Attempt: first}), store.ErrNotFound)
	require.NoError(t, f.MoveOrder(f.ctx, o.ID, order.ReadBack, store.Outcome{Attempt: second}))
	proof := []poly.FileProof{{Name: "boom.wav", OK: true}}
	require.ErrorIs(t, f.MoveOrder(f.ctx, o.ID, order.Finish, store.Outcome{Attempt: first}), store.ErrNotFound)
	require.NoError(t, f.MoveOrder(f.ctx, o.ID, order.Finish, store.Outcome{Attempt: second, Proof: proof}))
	w, err := f.Writing(f.ctx, o.ID)
	require.NoError(t, err)
	assert.Equal(t, order.Proven, w.State)
	assert.Equal(t, proof, w.Proof)
	assert.WithinDuration(t, time.Now(), *w.FinishedAt, time.Minute)
	ended, err := f.Ended(f.ctx, order.Writing)
	require.NoError(t, err)
	assert.Equal(t, map[uuid.UUID]uuid.UUID{o.ID: second}, ended)
	_, err = f.Delivery(f.ctx, o.ID)
	assert.ErrorIs(t, err, store.ErrNotFound, "one of another kind is none")
}
