package app_test

import (
	"encoding/json"
	"testing"

	"github.com/google/uuid"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/edit"
	"zestyloom/core/reel"
	"zestyloom/core/weave"
	"zestyloom/internal/app"
	"zestyloom/internal/store"
)

// Two people at work on one production: each undoes their own, and not over what the other has done to the same since.
func TestUndoIsOnesOwn(t *testing.T) {
	f := setup(t)
	f.take("poly8_s24.wav", "a.wav")
	st := f.strands(f.takes()[0])
	ines, odell := app.WithSession(f.ctx, "ines"), app.WithSession(f.ctx, "odell")
	label := func(i int) string { return f.strands(f.takes()[0])[i].Label }
	was := []string{label(0), label(1)}
	require.NoError(t, f.EditSheet(ines, f.p.ID, "label one", []app.Cell{cell(st[0].ID, "label", "Boom")}))
	require.NoError(t, f.EditSheet(odell, f.p.ID, "label two", []app.Cell{cell(st[1].ID, "label", "Lav")}))
	what, err := f.Undo(ines, f.p.ID, "")
	require.NoError(t, err)
	assert.Equal(t, "label one", what)
	assert.Equal(t, []string{was[0], "Lav"}, []string{label(0), label(1)})
	what, err = f.Undo(ines, f.p.ID, "")
	require.NoError(t, err)
	assert.Empty(t, what, "there is nothing more of hers")
	what, err = f.Redo(ines, f.p.ID, "")
	require.NoError(t, err)
	assert.Equal(t, "label one", what, "what he did did not make hers forgotten")

	require.NoError(t, f.EditSheet(odell, f.p.ID, "label one, too", []app.Cell{cell(st[0].ID, "label", "Plant")}))
	_, err = f.Undo(ines, f.p.ID, "")
	assert.Equal(t, "changed_since", code(err))
	assert.Equal(t, "Plant", label(0))
	_, err = f.Undo(odell, f.p.ID, "")
	require.NoError(t, err)
	_, err = f.Undo(ines, f.p.ID, "")
	require.NoError(t, err, "his is taken back: hers is in nobody's way")
	assert.Equal(t, was[0], label(0))

	// In a reel: different tracks, then time that is put in over everything.
	r, err := f.Store.ReelOf(f.ctx, f.p.ID)
	require.NoError(t, err)
	r, err = edited(f.LayTakes(ines, r.ID, []uuid.UUID{f.takes()[0].ID}, false))
	require.NoError(t, err)
	change := func(who string, action edit.Action) {
		now, err := f.Store.ReelOf(f.ctx, f.p.ID)
		require.NoError(t, err)
		_, err = f.EditReel(app.WithSession(f.ctx, who), r.ID, now.Version, who+" edits", []edit.Action{action})
		require.NoError(t, err)
	}
	route := weave.Route{Stem: "DX", Position: weave.Both}
	first, second := r.Doc.Tracks[0], r.Doc.Tracks[1]
	change("ines", edit.Action{SetSends: &reel.SetSends{From: first.ID, Sends: route.Sends()}})
	change("odell", edit.Action{SetSends: &reel.SetSends{From: second.ID, Sends: route.Sends()}})
	_, err = f.Undo(ines, f.p.ID, "")
	require.NoError(t, err)
	now, err := f.Store.ReelOf(f.ctx, f.p.ID)
	require.NoError(t, err)
	assert.Empty(t, now.Doc.Weave.Sends[first.ID])
	assert.NotEmpty(t, now.Doc.Weave.Sends[second.ID], "his stays")
	change("ines", edit.Action{Move: &edit.Move{Clips: []string{first.Clips[0].ID}, By: 48000}})
	change("odell", edit.Action{InsertTime: &edit.InsertTime{At: first.Clips[0].At, By: 4800}})
	_, err = f.Undo(ines, f.p.ID, "")
	assert.Equal(t, "changed_since", code(err), "everything lies elsewhere since")
	_, err = f.Undo(odell, f.p.ID, "")
	require.NoError(t, err)
	_, err = f.Undo(ines, f.p.ID, "")
	require.NoError(t, err)

	// What nobody in particular has done is everybody's.
	require.NoError(t, f.EditSheet(f.ctx, f.p.ID, "label three", []app.Cell{cell(st[2].ID, "label", "X")}))
	what, err = f.Undo(odell, f.p.ID, "")
	require.NoError(t, err)
	assert.Equal(t, "label three", what)
}

// A reel is what its log makes of its last snapshot: after hundreds of edits, undone and done again, whoever opens it anew
// finds what the one who made them has, at every version on the way; and an edit that came to nothing leaves nothing.
func TestTheLogIsTheReel(t *testing.T) {
	f := setup(t)
	r := f.full()
	track := r.Doc.Tracks[3].ID
	version := r.Version
	text := func(r reel.Reel) string {
		b, err := json.Marshal(r)
		require.NoError(t, err)
		return string(b)
	}
	for n := range 150 {
		gain := float64(n % 20)
		e, err := f.EditReel(f.ctx, r.ID, version, "gain", []edit.Action{{SetTrack: &reel.SetTrack{ID: track, GainDB: &gain}}, {Set: &edit.Set{Clips: []string{"clip-3-0"}, GainDB: &gain}}})
		require.NoError(t, err)
		version = e.Version
		if n%7 == 3 {
			_, err := f.Undo(f.ctx, f.p.ID, "")
			require.NoError(t, err)
			version++
		}
		if n%10 == 5 {
			loud := 99.0
			_, err := f.EditReel(f.ctx, r.ID, version, "too loud", []edit.Action{{SetTrack: &reel.SetTrack{ID: track, GainDB: &loud}}})
			require.Error(t, err)
		}
		if n%29 == 0 {
			anew, err := store.Open(f.ctx, f.Store.Pool.Config().ConnString())
			require.NoError(t, err)
			there, err := anew.Reel(f.ctx, r.ID)
			require.NoError(t, err)
			here, err := f.Store.Reel(f.ctx, r.ID)
			require.NoError(t, err)
			assert.Equal(t, version, there.Version)
			assert.Equal(t, text(here.Doc), text(there.Doc), "after %d edits", n+1)
			anew.Close()
		}
	}
	var whole, logged int64
	require.NoError(t, f.Store.Pool.QueryRow(f.ctx, `SELECT snapshot, (SELECT count(*) FROM reel_log WHERE reel_id = $1) FROM reels WHERE id = $1`, r.ID).Scan(&whole, &logged))
	assert.Equal(t, version-1, logged, "one row a version")
	assert.Less(t, version-whole, int64(64))
	assert.Greater(t, whole, int64(100))
}

// Undo is of the sheet, or of one reel, at a time; what was changed elsewhere since is not torn.
func TestUndoIsOfOneAreaAtATime(t *testing.T) {
	f := setup(t)
	_, one, _ := laidReel(t, f)
	two, err := f.CreateReel(f.ctx, f.p.ID, app.NewReel{Name: "Trailer", Copy: &one.ID})
	require.NoError(t, err)
	raise := func(r store.Reel, what string, db float64) store.Reel {
		r, err := edited(f.EditReel(f.ctx, r.ID, r.Version, what, []edit.Action{{SetTrack: &reel.SetTrack{ID: r.Doc.Tracks[0].ID, GainDB: &db}}}))
		require.NoError(t, err)
		return r
	}
	one = raise(one, "first of one", 1)
	two = raise(two, "first of two", 2)
	tk := f.takes()[0]
	require.NoError(t, f.edit(cell(tk.ID, "note", "windy")))
	raise(one, "second of one", 3)
	undo := func(of string) string {
		what, err := f.Undo(f.ctx, f.p.ID, of)
		require.NoError(t, err)
		return what
	}
	assert.Equal(t, "first of two", undo(two.ID.String()))
	assert.Equal(t, "second of one", undo(one.ID.String()))
	assert.Equal(t, "first of one", undo(one.ID.String()))
	assert.Equal(t, "windy", f.takes()[0].Note)
	assert.Equal(t, "typed", undo(app.UndoSheet))
	assert.Empty(t, f.takes()[0].Note)
	redo := func(of string) string {
		what, err := f.Redo(f.ctx, f.p.ID, of)
		require.NoError(t, err)
		return what
	}
	assert.Equal(t, "first of one", redo(one.ID.String()))
	// An edit of the one forgets what was undone there, and nowhere else.
	now, err := f.Store.Reel(f.ctx, one.ID)
	require.NoError(t, err)
	raise(now, "third of one", 5)
	assert.Empty(t, redo(one.ID.String()))
	assert.Equal(t, "first of two", redo(two.ID.String()))
	list, err := f.Edits(f.ctx, f.p.ID, two.ID.String(), 100)
	require.NoError(t, err)
	var whats []string
	for _, e := range list {
		whats = append(whats, e.What)
	}
	assert.Equal(t, []string{"first of two", "make reel Trailer of Reel 1"}, whats)
	// That takes were laid is taken back in the reel or where it was done; over what came of it since, nowhere.
	_, err = f.Undo(f.ctx, f.p.ID, app.UndoSheet)
	assert.Equal(t, "changed_since", code(err))
}
