package store_test

import (
	"context"
	"encoding/json"
	"errors"
	"os"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5/pgconn"
	"github.com/jackc/pgx/v5/stdlib"
	"github.com/pressly/goose/v3"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"golang.org/x/sync/errgroup"

	"zestyloom/core/align"
	"zestyloom/core/reel"
	"zestyloom/core/snag"
	"zestyloom/core/take"
	"zestyloom/core/timecode"
	"zestyloom/core/treat"
	"zestyloom/internal/pgtest"
	"zestyloom/internal/store"
)

func TestMain(m *testing.M) { pgtest.Main(m) }

// fixture is a database with one production in it.
type fixture struct {
	*store.Store
	t   *testing.T
	ctx context.Context
	p   store.Production
}

func setup(t *testing.T) *fixture {
	t.Helper()
	f := &fixture{pgtest.Store(t), t, t.Context(), store.Production{ID: store.NewID(), Name: "Test", SampleRate: 48000, RateNum: 30000, RateDen: 1001, RateDrop: true}}
	require.NoError(t, f.InsertProduction(f.ctx, f.p))
	return f
}

// take adds a take with a file of so many channels.
func (f *fixture) take(name string, channels int) (store.Take, []store.Strand) {
	f.t.Helper()
	file := store.File{ID: store.NewID(), ProductionID: f.p.ID, Name: name + ".wav", Path: "originals/" + name, SourcePath: "day/" + name, Origin: "shelf", State: "waiting"}
	require.NoError(f.t, f.InsertFile(f.ctx, file))
	require.NoError(f.t, f.FinishFile(f.ctx, file.ID, "hash of "+name, store.Working{}, []string{"family " + name}, store.Analysis{Frames: 100, Channels: channels}, nil))
	tk := store.Take{ID: store.NewID(), ProductionID: f.p.ID, Name: name, SampleRate: 48000, Frames: 100, Longest: 120, Certain: true}
	require.NoError(f.t, f.SaveTake(f.ctx, tk))
	for c := range channels {
		require.NoError(f.t, f.InsertStrand(f.ctx, store.Strand{ID: store.NewID(), TakeID: tk.ID, FileID: file.ID, Channel: c + 1, Position: c + 1, Peak: 0.5, Shape: []byte{1, 2}}))
	}
	strands, err := f.Strands(f.ctx, []uuid.UUID{tk.ID})
	require.NoError(f.t, err)
	require.Len(f.t, strands, channels)
	return tk, strands
}

// Every migration can be taken back and done again, with rows in place.
func TestMigrationsGoBackAndForth(t *testing.T) {
	f := setup(t)
	f.take("A", 2)
	require.NoError(t, f.InsertReel(f.ctx, store.Reel{ID: store.NewID(), ProductionID: f.p.ID, Name: "Reel 1", Version: 1, Doc: reel.New()}))
	require.NoError(t, f.SetClock(f.ctx, store.Clock{ProductionID: f.p.ID, Camera: "CAM", Day: "2026-03-14", Late: 5, Rate: 48000}))
	db := stdlib.OpenDBFromPool(f.Pool)
	defer db.Close()
	g, err := goose.NewProvider(goose.DialectPostgres, db, os.DirFS("migrations"))
	require.NoError(t, err)
	newest, err := g.GetDBVersion(f.ctx)
	require.NoError(t, err)
	for v := newest - 1; v >= 1; v-- {
		_, err = g.DownTo(f.ctx, v)
		require.NoError(t, err, "down to %d", v)
	}
	_, err = g.Up(f.ctx)
	require.NoError(t, err)
	require.NoError(t, f.Migrate(f.ctx), "a second time changes nothing")
	ts, err := f.TakesAfter(f.ctx, f.p.ID, uuid.UUID{}, 10)
	require.NoError(t, err)
	require.Len(t, ts, 1, "takes outlive what was added to them later")
	strands, err := f.Strands(f.ctx, []uuid.UUID{ts[0].ID})
	require.NoError(t, err)
	assert.Len(t, strands, 2)
}

func TestProductionsKeepTheirRate(t *testing.T) {
	f := setup(t)
	p, err := f.Production(f.ctx, f.p.ID)
	require.NoError(t, err)
	assert.Equal(t, f.p, p)
	assert.Equal(t, timecode.Rate{Num: 30000, Den: 1001, Drop: true}, p.Rate())
	second := store.Production{ID: store.NewID(), Name: "Second", SampleRate: 96000, RateNum: 25, RateDen: 1}
	require.NoError(t, f.InsertProduction(f.ctx, second))
	all, err := f.Productions(f.ctx, uuid.Nil, 10)
	require.NoError(t, err)
	assert.Equal(t, []store.Production{second, f.p}, all, "the newest first")
	_, err = f.Production(f.ctx, uuid.New())
	assert.ErrorIs(t, err, store.ErrNotFound)
}

// What is kept of a take and its strands is what is read again.
func TestTakesAndStrands(t *testing.T) {
	f := setup(t)
	tk, strands := f.take("A", 3)
	start, set := int64(1<<40), int64(77)
	tk.Scene, tk.Take, tk.Circled, tk.StartWas, tk.StartSet, tk.StartSamples, tk.DriftSet = "21A", "3", true, &start, &set, &set, -44.99
	tk.Readings = []take.Reading{{Kind: take.Stereo, Positions: []int{1, 2}}}
	tk.Snags = []snag.Snag{{Code: "member_missing", Message: "one is missing"}, {Code: "member_length", Message: "unequal"}, {Code: "other", Message: "x"}}
	require.NoError(t, f.SaveTake(f.ctx, tk))
	got, err := f.Take(f.ctx, tk.ID)
	require.NoError(t, err)
	tk.Relations, tk.Sums = got.Relations, got.Sums
	assert.Equal(t, tk, got)
	assert.EqualValues(t, 100, got.Length())
	got.LengthRemedy = "pad"
	assert.EqualValues(t, 120, got.Length())
	assert.True(t, store.Take{Accepted: true}.Final())

	s := strands[1]
	s.Label, s.LabelSource, s.Stem, s.Part, s.Detached, s.Shift = "Lav", "typed", "DX", "Ines", true, -480
	s.Treat = treat.Treatment{Invert: true, TrimDB: -3, Delay: 7, HighPass: 80}
	require.NoError(t, f.SaveStrand(f.ctx, s))
	again, err := f.Strand(f.ctx, s.ID)
	require.NoError(t, err)
	s.Drift = -44.99 // its take's
	assert.Equal(t, s, again)
	laid := store.Reel{ID: store.NewID(), ProductionID: f.p.ID, Name: "Reel 1", Version: 1, Doc: reel.New()}
	laid.Doc.Tracks = []reel.Track{{ID: "1", Label: "L", Layout: "stereo", Clips: []reel.Clip{{ID: "a", Strands: []string{strands[0].ID.String(), s.ID.String()}, Length: 1}}}}
	require.NoError(t, f.InsertReel(f.ctx, laid))
	detached, err := f.DetachedInReel(f.ctx, laid.ID)
	require.NoError(t, err)
	assert.Equal(t, []store.Detached{{ID: s.ID, Shift: -480, Rate: 48000}}, detached)

	unweighed, err := f.TakesUnweighed(f.ctx, 10)
	require.NoError(t, err)
	assert.Equal(t, []uuid.UUID{tk.ID}, unweighed)
	for want, amiss := range [][]uuid.UUID{nil, {tk.ID}} {
		fine := []uuid.UUID{tk.ID}
		if amiss != nil {
			fine = nil
		}
		require.NoError(t, f.SetAmiss(f.ctx, amiss, fine))
		n, err := f.TakeSnags(f.ctx, f.p.ID)
		require.NoError(t, err)
		assert.Equal(t, want, n)
	}
	require.NoError(t, f.PlaceStrand(f.ctx, s.ID, tk.ID, 9))
	of, err := f.ListTakesOf(f.ctx, f.p.ID, []uuid.UUID{s.ID})
	require.NoError(t, err)
	require.Len(t, of, 1)
	assert.Equal(t, tk.ID, of[0].ID, "a strand stands for its take")
	require.NoError(t, f.DeleteEmptyTakes(f.ctx, []uuid.UUID{tk.ID}))
	_, err = f.Take(f.ctx, tk.ID)
	require.NoError(t, err, "it is not empty")
	assert.ErrorIs(t, f.SaveStrand(f.ctx, store.Strand{ID: uuid.New()}), store.ErrNotFound)
}

func TestPages(t *testing.T) {
	f := setup(t)
	var names []string
	for _, n := range []string{"A", "B", "C", "D", "E"} {
		f.take(n, 1)
		names = append(names, n)
	}
	var got []string
	var after uuid.UUID
	for {
		ts, err := f.TakesAfter(f.ctx, f.p.ID, after, 2)
		require.NoError(t, err)
		if len(ts) == 0 {
			break
		}
		for _, tk := range ts {
			got = append(got, tk.Name)
		}
		after = ts[len(ts)-1].ID
	}
	assert.Equal(t, names, got)
	count, err := f.TakeCount(f.ctx, f.p.ID)
	require.NoError(t, err)
	assert.Equal(t, 5, count)
	fs, err := f.FilesAfter(f.ctx, f.p.ID, uuid.UUID{}, 3)
	require.NoError(t, err)
	assert.Len(t, fs, 3)
	sets, err := f.FilesOfSets(f.ctx, f.p.ID, []string{"family B", "family E", "family Z"})
	require.NoError(t, err)
	assert.Len(t, sets, 2)
	same, err := f.FileWithHash(f.ctx, f.p.ID, "hash of C")
	require.NoError(t, err)
	assert.Equal(t, "C.wav", same.Name)
}

// A pair is proposed once, keeps what was found and how far it was moved, and goes with its takes.
func TestSyncs(t *testing.T) {
	f := setup(t)
	ref, _ := f.take("A", 1)
	cam, _ := f.take("B", 1)
	s := store.Sync{ID: store.NewID(), ProductionID: f.p.ID, RefTake: ref.ID, Take: cam.ID, Why: "a test"}
	added, err := f.ProposeSync(f.ctx, s)
	require.NoError(t, err)
	assert.True(t, added)
	twin := s
	twin.ID = store.NewID()
	added, err = f.ProposeSync(f.ctx, twin)
	require.NoError(t, err)
	assert.False(t, added)
	s.State, s.Nudge, s.Body = "aligned", -7, align.Alignment{Offset: -1234.5, Rate: 48000, Certainty: align.Certain, Drift: 45.25, DriftKnown: true, Polarity: -1}
	require.NoError(t, f.SaveSync(f.ctx, s))
	got, err := f.Sync(f.ctx, s.ID)
	require.NoError(t, err)
	assert.Equal(t, s, got)
	require.NoError(t, f.NudgeSync(f.ctx, s.ID, 99))
	require.NoError(t, f.MoveSync(f.ctx, s.ID, "accepted"))
	assert.Error(t, f.MoveSync(f.ctx, s.ID, "nonsense"), "the schema knows the states")
	assert.ErrorIs(t, f.NudgeSync(f.ctx, twin.ID, 1), store.ErrNotFound)
	all, err := f.Syncs(f.ctx, f.p.ID)
	require.NoError(t, err)
	require.Len(t, all, 1)
	assert.Equal(t, []any{"accepted", int64(99)}, []any{all[0].State, all[0].Nudge})
	_, err = f.Pool.Exec(f.ctx, `DELETE FROM strands WHERE take_id = $1`, cam.ID)
	require.NoError(t, err)
	require.NoError(t, f.DeleteEmptyTakes(f.ctx, []uuid.UUID{cam.ID}))
	all, err = f.Syncs(f.ctx, f.p.ID)
	require.NoError(t, err)
	assert.Empty(t, all)
}

func TestClocks(t *testing.T) {
	f := setup(t)
	c := store.Clock{ProductionID: f.p.ID, Camera: "CAM_A", Day: "2026-03-14", Late: 7211 * 48000, Rate: 48000}
	require.NoError(t, f.SetClock(f.ctx, c))
	other := store.Clock{ProductionID: f.p.ID, Camera: "CAM_A", Day: "2026-03-13", Late: -5, Rate: 44100}
	require.NoError(t, f.SetClock(f.ctx, other))
	c.Late = 1
	require.NoError(t, f.SetClock(f.ctx, c))
	got, err := f.Clocks(f.ctx, f.p.ID)
	require.NoError(t, err)
	assert.Equal(t, []store.Clock{other, c}, got)
	c.Late = 0
	require.NoError(t, f.SetClock(f.ctx, c))
	got, err = f.Clocks(f.ctx, f.p.ID)
	require.NoError(t, err)
	assert.Equal(t, []store.Clock{other}, got, "a clock that was right is not kept")
}

// A sound that is made of two strands counts as both.
func TestStrandsInReels(t *testing.T) {
	f := setup(t)
	_, st := f.take("A", 4)
	doc := reel.New()
	doc.Tracks = []reel.Track{
		{ID: "1", Label: "L", Clips: []reel.Clip{{ID: "a", Strands: []string{st[0].ID.String(), st[1].ID.String()}, Length: 1}}},
		{ID: "2", Label: "R", Clips: []reel.Clip{{ID: "b", Strands: []string{st[2].ID.String()}, Length: 1}}},
	}
	r := store.Reel{ID: store.NewID(), ProductionID: f.p.ID, Name: "Reel 1", Version: 1, Doc: doc}
	require.NoError(t, f.InsertReel(f.ctx, r))
	used, err := f.StrandsInReels(f.ctx, f.p.ID)
	require.NoError(t, err)
	assert.Equal(t, map[string]bool{st[0].ID.String(): true, st[1].ID.String(): true, st[2].ID.String(): true}, used)
	ops := []reel.Op{{RemoveTrack: &reel.RemoveTrack{ID: "1"}}, {RemoveTrack: &reel.RemoveTrack{ID: "2"}}}
	_, err = f.SaveReel(f.ctx, r, reel.New(), store.ReelStep{Ops: ops}, store.ReelSnags{Reel: 1, Weave: 2})
	require.NoError(t, err)
	r, err = f.Reel(f.ctx, r.ID)
	require.NoError(t, err)
	assert.EqualValues(t, 2, r.Version)
	assert.Empty(t, r.Doc.Tracks)
	kept, err := f.ReelSnags(f.ctx, f.p.ID)
	require.NoError(t, err)
	assert.Equal(t, store.ReelSnags{Reel: 1, Weave: 2}, kept)
	used, err = f.StrandsInReels(f.ctx, f.p.ID)
	require.NoError(t, err)
	assert.Empty(t, used)
}

// What was undone can be done again until something else is done.
func TestTheLogOfEdits(t *testing.T) {
	f := setup(t)
	for _, what := range []string{"one", "two", "three"} {
		require.NoError(t, f.LogEdit(f.ctx, f.p.ID, "", []string{store.EditsSheet}, what, nil, map[string]string{"do": what}, map[string]string{"undo": what}))
	}
	last := func(undone bool) string {
		e, err := f.LastEdit(f.ctx, f.p.ID, "", nil, undone)
		if errors.Is(err, store.ErrNotFound) {
			return ""
		}
		require.NoError(t, err)
		return e.What
	}
	undo := func() {
		e, err := f.LastEdit(f.ctx, f.p.ID, "", nil, false)
		require.NoError(t, err)
		var inverse map[string]string
		require.NoError(t, json.Unmarshal(e.Inverse, &inverse))
		assert.Equal(t, e.What, inverse["undo"])
		require.NoError(t, f.MarkEdit(f.ctx, e.ID, true))
	}
	undo()
	undo()
	assert.Equal(t, []string{"one", "two"}, []string{last(false), last(true)})
	e, err := f.LastEdit(f.ctx, f.p.ID, "", nil, true)
	require.NoError(t, err)
	require.NoError(t, f.MarkEdit(f.ctx, e.ID, false))
	assert.Equal(t, []string{"two", "three"}, []string{last(false), last(true)})
	require.NoError(t, f.LogEdit(f.ctx, f.p.ID, "", []string{store.EditsSheet}, "four", nil, 1, 2))
	assert.Equal(t, []string{"four", ""}, []string{last(false), last(true)})
}

// Listeners hear of what was committed, and of nothing else.
func TestNotifications(t *testing.T) {
	f := setup(t)
	ctx, cancel := context.WithCancel(f.ctx)
	heard, ended := make(chan string, 10), make(chan error, 1)
	go func() { ended <- f.Listen(ctx, func() {}, func(payload string) { heard <- payload }) }()
	next := func() string {
		select {
		case v := <-heard:
			return v
		case <-time.After(20 * time.Second):
			t.Fatal("nothing was heard")
			return ""
		}
	}
	for { // until it listens
		require.NoError(t, f.Notify(f.ctx, "ready?"))
		select {
		case v := <-heard:
			require.Equal(t, "ready?", v)
		case <-time.After(100 * time.Millisecond):
			continue
		}
		break
	}
	boom := errors.New("boom")
	assert.ErrorIs(t, f.InTx(f.ctx, func(tx store.Tx) error {
		require.NoError(t, tx.Notify(f.ctx, "never"))
		return boom
	}), boom)
	require.NoError(t, f.InTx(f.ctx, func(tx store.Tx) error { return tx.Notify(f.ctx, "done") }))
	got := next()
	for got == "ready?" { // asked again before it answered
		got = next()
	}
	assert.Equal(t, "done", got)
	cancel()
	assert.Error(t, <-ended)
}

func TestWatchedAndDeclined(t *testing.T) {
	f := setup(t)
	f.take("A", 1)
	require.NoError(t, f.SetWatches(f.ctx, f.p.ID, []string{"b", "a"}))
	require.NoError(t, f.SetWatches(f.ctx, f.p.ID, []string{"c", "a"}))
	ws, err := f.Watches(f.ctx)
	require.NoError(t, err)
	assert.Equal(t, []store.Watch{{ProductionID: f.p.ID, Path: "a"}, {ProductionID: f.p.ID, Path: "c"}}, ws)
	require.NoError(t, f.Decline(f.ctx, f.p.ID, []string{"a/x.wav", "a/y.wav"}))
	require.NoError(t, f.Decline(f.ctx, f.p.ID, []string{"a/x.wav"}))
	known, err := f.KnownPaths(f.ctx, f.p.ID)
	require.NoError(t, err)
	assert.Equal(t, map[string]bool{"a/x.wav": true, "a/y.wav": true, "day/A": true}, known)
}

func TestTextThatPostgreSQLCantHold(t *testing.T) {
	f := setup(t)
	p := f.p
	p.ID, p.Name = store.NewID(), "a\x00b"
	err := f.InsertProduction(f.ctx, p)
	assert.True(t, store.IsBadText(err), "%v", err)
	assert.False(t, store.IsBadText(errors.New("other")))
}

func TestNoDatabase(t *testing.T) {
	_, err := store.Open(t.Context(), "postgres://nobody@127.0.0.1:1/none?connect_timeout=2")
	assert.ErrorContains(t, err, "does not answer")
	_, err = store.Open(t.Context(), "://")
	assert.ErrorContains(t, err, "not understood")
}

// A schema that a later version of the program has made is refused, and left as it is; programs that start at once wait
// for each other.
func TestSchemaOfALaterVersion(t *testing.T) {
	ctx := context.Background()
	url := pgtest.URL(t)
	stores := make([]*store.Store, 3)
	var all errgroup.Group
	for i := range stores {
		st, err := store.Open(ctx, url)
		require.NoError(t, err)
		t.Cleanup(st.Close)
		stores[i] = st
		all.Go(func() error { return st.Migrate(ctx) })
	}
	require.NoError(t, all.Wait(), "at once, on an empty database")
	_, err := stores[0].Pool.Exec(ctx, `INSERT INTO goose_db_version (version_id, is_applied) VALUES (9999, true)`)
	require.NoError(t, err)
	err = stores[1].Migrate(ctx)
	assert.Equal(t, "newer_schema", snag.Of(err).Code)
	assert.ErrorContains(t, err, "9999")

	// So is one of the job queue's, before ours is brought up to date.
	_, err = stores[0].Pool.Exec(ctx, `DELETE FROM goose_db_version WHERE version_id = 9999`)
	require.NoError(t, err)
	_, err = stores[0].Pool.Exec(ctx, `INSERT INTO river_migration (line, version) VALUES ('main', 8888)`)
	require.NoError(t, err)
	err = stores[1].Migrate(ctx)
	assert.Equal(t, "newer_schema", snag.Of(err).Code)
	assert.ErrorContains(t, err, "8888")
}

// Transactions that lock the same rows the other way round both come to an end: the one that the database gives up is done again,
// and its work is there once.
func TestDeadlocksAreDoneAgain(t *testing.T) {
	f := setup(t)
	other := store.Production{ID: store.NewID(), Name: "Other", SampleRate: 48000, RateNum: 25, RateDen: 1}
	require.NoError(t, f.InsertProduction(f.ctx, other))
	var first sync.WaitGroup
	first.Add(2)
	var runs atomic.Int64
	lock := func(a, b uuid.UUID, met *bool) error {
		return f.InTx(f.ctx, func(tx store.Tx) error {
			runs.Add(1)
			if _, err := tx.LockProduction(f.ctx, a); err != nil {
				return err
			}
			if !*met { // the first time both have one row before either asks for the other
				*met = true
				first.Done()
				first.Wait()
			}
			_, err := tx.LockProduction(f.ctx, b)
			return err
		})
	}
	var all errgroup.Group
	var metA, metB bool
	all.Go(func() error { return lock(f.p.ID, other.ID, &metA) })
	all.Go(func() error { return lock(other.ID, f.p.ID, &metB) })
	require.NoError(t, all.Wait())
	assert.EqualValues(t, 3, runs.Load(), "one of them was done again")
	broken := &pgconn.PgError{Code: "40P01"}
	assert.True(t, store.Contended(broken))
	assert.True(t, store.Passing(broken))
	assert.False(t, store.Away(store.Tag(broken)), "the database is there")
}

// What is about the database being away is told from what is about the statement.
func TestAway(t *testing.T) {
	f := setup(t)
	_, err := f.Production(f.ctx, uuid.New())
	assert.ErrorIs(t, err, store.ErrNotFound)
	assert.False(t, store.Away(err))
	_, err = f.Pool.Exec(f.ctx, `SELECT 1/0`)
	assert.False(t, store.Away(store.Tag(err)), "of the statement")
	for _, way := range []func() error{
		func() error { _, err := f.Production(f.ctx, f.p.ID); return err },
		func() error {
			return f.InTx(f.ctx, func(tx store.Tx) error { _, err := tx.Production(f.ctx, f.p.ID); return err })
		},
		func() error { _, err := f.Specs(f.ctx); return err },
	} {
		require.NoError(t, way())
	}
	f.Pool.Close()
	for _, way := range []func() error{
		func() error { _, err := f.Production(f.ctx, f.p.ID); return err },
		func() error { return f.InTx(f.ctx, func(store.Tx) error { return nil }) },
		func() error { _, err := f.Specs(f.ctx); return err },
		func() error { return f.QueueUsable(f.ctx) },
	} {
		err := way()
		assert.True(t, store.Away(err), "%v", err)
	}
	ctx, cancel := context.WithCancel(f.ctx)
	cancel()
	_, err = f.Production(ctx, f.p.ID)
	assert.Error(t, err)
}

// Text that the database can't hold is told from all else that may be wrong with a statement.
func TestTextThatCantBeKept(t *testing.T) {
	f := setup(t)
	err := f.InsertProduction(f.ctx, store.Production{ID: store.NewID(), Name: "a\x00b", SampleRate: 48000, RateNum: 25, RateDen: 1})
	assert.True(t, store.IsBadText(err), "%v", err)
	assert.False(t, store.Away(err))
	assert.False(t, store.IsBadText(store.ErrNotFound))
}
