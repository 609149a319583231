package app_test

import (
	"compress/gzip"
	"context"
	"encoding/json"
	"errors"
	"io"
	"os"
	"slices"
	"strings"
	"testing"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/mix"
	"zestyloom/core/order"
	"zestyloom/internal/app"
	"zestyloom/internal/media"
	"zestyloom/internal/pgtest"
	"zestyloom/internal/store"
)

// restored is a database as an earlier version of the program left it: a dump of the demonstration, in which a good deal
// had been done and undone.
func restored(t *testing.T, dump string) *store.Store {
	t.Helper()
	url := pgtest.URL(t)
	f, err := os.Open(dump)
	require.NoError(t, err)
	defer f.Close()
	z, err := gzip.NewReader(f)
	require.NoError(t, err)
	b, err := io.ReadAll(z)
	require.NoError(t, err)
	var sql []string
	for _, line := range strings.Split(string(b), "\n") {
		if !strings.HasPrefix(line, `\`) { // said to psql, not to the server
			sql = append(sql, line)
		}
	}
	conn, err := pgx.Connect(context.Background(), url)
	require.NoError(t, err)
	_, err = conn.PgConn().Exec(context.Background(), strings.Join(sql, "\n")).ReadAll()
	require.NoError(t, err)
	require.NoError(t, conn.Close(context.Background()))
	st, err := store.Open(context.Background(), url)
	require.NoError(t, err)
	t.Cleanup(st.Close)
	require.NoError(t, st.Migrate(context.Background()))
	return st
}

// What version 8 of the schema holds opens: the reel sounds as it did and is in use as it was, what was done can be undone
// one by one to the beginning and done again, and what was delivered can be made again.
func TestVersion8Opens(t *testing.T) {
	ctx := context.Background()
	st := restored(t, "../store/testdata/schema8.sql.gz")
	folder, err := media.Open(t.TempDir())
	require.NoError(t, err)
	a := &app.App{Store: st, Media: folder, Queue: &idle{}}
	ps, err := st.Productions(ctx, uuid.Nil, 10)
	require.NoError(t, err)
	require.Len(t, ps, 1)
	r, err := st.ReelOf(ctx, ps[0].ID)
	require.NoError(t, err)
	require.NoError(t, r.Doc.Check())

	// What the version before said of it.
	var was struct {
		Start, End, Version int64
		Tracks              []struct {
			Clips []struct {
				Id, Strand     string
				At, In, Length int64
				Unplaced       bool
			}
		}
		Outputs []json.RawMessage
		Matrix  [][]float64
	}
	b, err := os.ReadFile("../store/testdata/schema8.reel.json")
	require.NoError(t, err)
	require.NoError(t, json.Unmarshal(b, &was))
	start, end := r.Doc.Span()
	assert.Equal(t, []int64{was.Start, was.End, was.Version}, []int64{start, end, r.Version})
	product, err := r.Doc.Product()
	require.NoError(t, err)
	strands := map[string]bool{}
	require.Len(t, r.Doc.Tracks, len(was.Tracks))
	pairs := 0
	for i, tr := range r.Doc.Tracks {
		require.Len(t, tr.Clips, len(was.Tracks[i].Clips))
		for k, c := range tr.Clips {
			then := was.Tracks[i].Clips[k]
			assert.Equal(t, []any{then.Id, then.Strand, then.At, then.In, then.Length, then.Unplaced}, []any{c.ID, app.SoundName(c), c.At, c.In, c.Length, c.Unplaced})
			if len(c.Strands) == 2 {
				pairs++
			}
			for _, s := range c.Strands {
				strands[s] = true
			}
		}
		for o := range was.Outputs {
			assert.Equal(t, []float64{was.Matrix[o][i]}, product[o][i], "output %d track %s", o+1, tr.Label)
		}
	}
	assert.Equal(t, 2, pairs, "the two sides of a mid-side pair")
	used, err := st.StrandsInReels(ctx, ps[0].ID)
	require.NoError(t, err)
	assert.Equal(t, strands, used)

	// What stands in its way is worked out, and from then on kept as it changes.
	require.NoError(t, a.WorkOutReadiness(ctx))
	counted := func() int {
		ts, err := st.TakesAfter(ctx, ps[0].ID, uuid.Nil, 100)
		require.NoError(t, err)
		n := 0
		for _, tk := range ts {
			strands, err := st.Strands(ctx, []uuid.UUID{tk.ID})
			require.NoError(t, err)
			if len(app.Readiness(tk, strands, nil).Snags()) > 0 {
				n++
			}
		}
		return n
	}
	alike := func() {
		kept, err := st.TakeSnags(ctx, ps[0].ID)
		require.NoError(t, err)
		assert.Equal(t, counted(), kept)
		assert.Positive(t, kept)
	}
	alike()
	snagsBefore, err := st.ReelSnags(ctx, ps[0].ID)
	require.NoError(t, err)
	assert.Positive(t, snagsBefore.Weave)

	// Facts and alignments, which were written under Go's names.
	files, err := st.FilesAfter(ctx, ps[0].ID, uuid.Nil, 100)
	require.NoError(t, err)
	i := slices.IndexFunc(files, func(f store.File) bool { return f.Name == "LF07_21A-3.wav" })
	require.GreaterOrEqual(t, i, 0)
	facts := files[i].Facts.Facts
	assert.Equal(t, []any{"21A", "3", "LF07", true, "Lav Ines", 4}, []any{facts.Scene, facts.Take, facts.Roll, facts.Circled, facts.Tracks[3].Label, facts.Tracks[3].RecorderTrack})
	amiss, err := st.FileSnags(ctx, ps[0].ID)
	require.NoError(t, err)
	assert.Equal(t, 6, amiss)
	syncs, err := st.Syncs(ctx, ps[0].ID)
	require.NoError(t, err)
	k := slices.IndexFunc(syncs, func(s store.Sync) bool { return s.State == "accepted" })
	require.GreaterOrEqual(t, k, 0)
	assert.True(t, syncs[k].Body.DriftKnown)
	assert.InDelta(t, 44.92, syncs[k].Body.Drift, 0.01)

	undone := 0
	for {
		_, err := st.LastEdit(ctx, ps[0].ID, "", nil, false)
		if errors.Is(err, app.ErrNotFound) {
			break
		}
		require.NoError(t, err)
		what, err := a.Undo(ctx, ps[0].ID, "")
		require.NoError(t, err, "after %d edits, undoing one before %s", undone, what)
		undone++
		alike()
	}
	assert.Greater(t, undone, 15)
	first, err := st.ReelOf(ctx, ps[0].ID)
	require.NoError(t, err)
	assert.Empty(t, first.Doc.Tracks)
	for range undone {
		_, err = a.Redo(ctx, ps[0].ID, "")
		require.NoError(t, err)
	}
	again, err := st.ReelOf(ctx, ps[0].ID)
	require.NoError(t, err)
	want, _ := json.Marshal(r.Doc)
	got, _ := json.Marshal(again.Doc)
	assert.JSONEq(t, string(want), string(got))
	alike()
	snagsAfter, err := st.ReelSnags(ctx, ps[0].ID)
	require.NoError(t, err)
	assert.Equal(t, snagsBefore, snagsAfter)

	ds, err := st.Deliveries(ctx, ps[0].ID, uuid.Nil, 10)
	require.NoError(t, err)
	require.Len(t, ds, 2)
	for _, listed := range ds {
		d, err := st.Delivery(ctx, listed.ID)
		require.NoError(t, err)
		require.NotNil(t, d.Proof)
		assert.True(t, d.Proof.Passed)
		program, err := mix.Compile(d.Plan.Reel, d.Plan.Order.Spec.SampleRate, nil)
		require.NoError(t, err)
		assert.Equal(t, 6, program.Outputs())
	}
}

// What version 16 of the schema holds opens: all reels are what they were, what was done in each of them and in the sheet is undone
// and done again by itself, specifications and deliveries are understood, and what was ordered can be ordered once more.
func TestVersion16Opens(t *testing.T) {
	ctx := app.WithSession(context.Background(), "ines")
	st := restored(t, "../store/testdata/schema16.sql.gz")
	folder, err := media.Open(t.TempDir())
	require.NoError(t, err)
	a := &app.App{Store: st, Media: folder, Queue: &idle{}}
	ps, err := st.Productions(ctx, uuid.Nil, 10)
	require.NoError(t, err)
	require.Len(t, ps, 1)
	reels, err := st.Reels(ctx, ps[0].ID)
	require.NoError(t, err)
	var names []string
	docs := func() (out []string) {
		for _, listed := range reels {
			r, err := st.Reel(ctx, listed.ID)
			require.NoError(t, err)
			require.NoError(t, r.Doc.Check())
			b, err := json.Marshal(r.Doc)
			require.NoError(t, err)
			out = append(out, string(b))
		}
		return out
	}
	for _, r := range reels {
		names = append(names, r.Name)
	}
	assert.Equal(t, []string{"Reel 1", "Scene 21A, edited", "Trailer", "Reel 1 in 5.1"}, names)
	before := docs()

	// One area at a time: what others hold up by what came of it is refused, and is there still.
	undone := map[string]int{}
	areas := []string{app.UndoSheet}
	for _, r := range reels {
		areas = append(areas, r.ID.String())
	}
	for _, of := range areas[1:] {
		for {
			what, err := a.Undo(ctx, ps[0].ID, of)
			if err != nil || what == "" || strings.HasPrefix(what, "make reel") {
				if err == nil && what != "" {
					_, err := a.Redo(ctx, ps[0].ID, of)
					require.NoError(t, err)
				}
				break
			}
			undone[of]++
		}
	}
	assert.Positive(t, undone[reels[0].ID.String()], "a marker was put")
	assert.NotEqual(t, before, docs())
	for _, of := range areas {
		for range undone[of] {
			_, err := a.Redo(ctx, ps[0].ID, of)
			require.NoError(t, err)
		}
	}
	assert.Equal(t, before, docs())

	specs, err := st.Specs(ctx)
	require.NoError(t, err)
	require.Len(t, specs, 14)
	for _, s := range specs {
		require.NoError(t, s.Body.Check(), s.Name)
	}
	assert.Equal(t, "House stems", specs[13].Name)
	ds, err := st.Deliveries(ctx, ps[0].ID, uuid.Nil, 10)
	require.NoError(t, err)
	require.Len(t, ds, 1)
	d, err := a.DeliverAgain(ctx, ds[0].ID)
	require.NoError(t, err)
	assert.Equal(t, order.Waiting, d.State)
	assert.True(t, d.Plan.Test())
	assert.NotEmpty(t, d.Plan.Sources)
	list, err := st.Unfinished(ctx, ps[0].ID)
	require.NoError(t, err)
	require.Len(t, list, 1)
	assert.Equal(t, d.ID, list[0].ID)
}

// What version 21 of the schema holds opens: a strand that was let go is away from home as it was, what was done to strands
// under the names of then is undone and done again, a correction holds, and what was delivered can be made again.
func TestVersion21Opens(t *testing.T) {
	ctx := app.WithSession(context.Background(), "ines")
	st := restored(t, "../store/testdata/schema21.sql.gz")
	folder, err := media.Open(t.TempDir())
	require.NoError(t, err)
	a := &app.App{Store: st, Media: folder, Queue: &idle{}}
	ps, err := st.Productions(ctx, uuid.Nil, 10)
	require.NoError(t, err)
	require.Len(t, ps, 1)
	p := ps[0].ID
	away := func() (out []int64) {
		ts, err := st.ListTakes(ctx, p, uuid.Nil, 100)
		require.NoError(t, err)
		var ids []uuid.UUID
		for _, tk := range ts {
			ids = append(ids, tk.ID)
		}
		strands, err := st.ListStrands(ctx, ids)
		require.NoError(t, err)
		for _, s := range strands {
			if s.Detached {
				out = append(out, s.Shift)
			}
		}
		return out
	}
	require.Equal(t, []int64{960}, away(), "one was let go, another was, and was brought home")
	var undone []string
	for range 4 {
		what, err := a.Undo(ctx, p, app.UndoSheet)
		require.NoError(t, err)
		undone = append(undone, what)
	}
	assert.Equal(t, "type the note of 22", undone[0])
	assert.Empty(t, away(), "%v", undone)
	for range 4 {
		_, err := a.Redo(ctx, p, app.UndoSheet)
		require.NoError(t, err)
	}
	assert.Equal(t, []int64{960}, away())

	reels, err := st.Reels(ctx, p)
	require.NoError(t, err)
	require.Len(t, reels, 4)
	for _, r := range reels {
		require.NoError(t, r.Doc.Check(), r.Name)
	}
	five := reels[3].Doc.Weave
	require.Len(t, five.Corrections, 1)
	assert.Equal(t, -2.5, five.Corrections[0].GainDB)
	ds, err := st.Deliveries(ctx, p, uuid.Nil, 10)
	require.NoError(t, err)
	require.Len(t, ds, 1)
	assert.Equal(t, order.Proven, ds[0].State)
	d, err := a.DeliverAgain(ctx, ds[0].ID)
	require.NoError(t, err)
	assert.Equal(t, order.Waiting, d.State)
	assert.NotEmpty(t, d.Plan.Sources)
}
