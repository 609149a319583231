package app_test

import (
	"testing"
	"zestyloom/core/edit"

	"github.com/google/uuid"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/reel"
	"zestyloom/core/weave"
	"zestyloom/internal/app"
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
	what, err := f.Undo(ines, f.p.ID)
	require.NoError(t, err)
	assert.Equal(t, "label one", what)
	assert.Equal(t, []string{was[0], "Lav"}, []string{label(0), label(1)})
	what, err = f.Undo(ines, f.p.ID)
	require.NoError(t, err)
	assert.Empty(t, what, "there is nothing more of hers")
	what, err = f.Redo(ines, f.p.ID)
	require.NoError(t, err)
	assert.Equal(t, "label one", what, "what he did did not make hers forgotten")

	require.NoError(t, f.EditSheet(odell, f.p.ID, "label one, too", []app.Cell{cell(st[0].ID, "label", "Plant")}))
	_, err = f.Undo(ines, f.p.ID)
	assert.Equal(t, "changed_since", code(err))
	assert.Equal(t, "Plant", label(0))
	_, err = f.Undo(odell, f.p.ID)
	require.NoError(t, err)
	_, err = f.Undo(ines, f.p.ID)
	require.NoError(t, err, "his is taken back: hers is in nobody's way")
	assert.Equal(t, was[0], label(0))

	// In a reel: different tracks, then time that is put in over everything.
	r, err := f.Store.ReelOf(f.ctx, f.p.ID)
	require.NoError(t, err)
	r, err = edited(f.LayTakes(ines, r.ID, []uuid.UUID{f.takes()[0].ID}))
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
	_, err = f.Undo(ines, f.p.ID)
	require.NoError(t, err)
	now, err := f.Store.ReelOf(f.ctx, f.p.ID)
	require.NoError(t, err)
	assert.Empty(t, now.Doc.Weave.Sends[first.ID])
	assert.NotEmpty(t, now.Doc.Weave.Sends[second.ID], "his stays")
	change("ines", edit.Action{Move: &edit.Move{Clips: []string{first.Clips[0].ID}, By: 48000}})
	change("odell", edit.Action{InsertTime: &edit.InsertTime{At: first.Clips[0].At, By: 4800}})
	_, err = f.Undo(ines, f.p.ID)
	assert.Equal(t, "changed_since", code(err), "everything lies elsewhere since")
	_, err = f.Undo(odell, f.p.ID)
	require.NoError(t, err)
	_, err = f.Undo(ines, f.p.ID)
	require.NoError(t, err)

	// What nobody in particular has done is everybody's.
	require.NoError(t, f.EditSheet(f.ctx, f.p.ID, "label three", []app.Cell{cell(st[2].ID, "label", "X")}))
	what, err = f.Undo(odell, f.p.ID)
	require.NoError(t, err)
	assert.Equal(t, "label three", what)
}
