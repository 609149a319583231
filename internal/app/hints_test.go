package app_test

import (
	"encoding/json"
	"testing"

	"github.com/google/uuid"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/edit"
	"zestyloom/core/take"
	"zestyloom/internal/store"
)

// What a person has typed outranks every hint: its label stays, what it names is read as no pair, and all that was accepted is one
// undo.
func TestHintsLeaveAloneWhatWasTyped(t *testing.T) {
	f := setup(t)
	f.take("poly8_s24.wav", "a.wav")
	tk := f.takes()[0]
	st := f.strands(tk)
	require.NoError(t, f.edit(cell(st[0].ID, "label", "Boom")))
	hint := func(s take.Suggestion) uuid.UUID {
		row := store.Suggestion{ID: store.NewID(), ProductionID: f.p.ID, TakeID: tk.ID, State: "open", Body: s}
		require.NoError(t, f.Store.InsertSuggestion(f.ctx, row))
		return row.ID
	}
	ids := []uuid.UUID{
		hint(take.Suggestion{Kind: "mix", Positions: []int{1, 2, 3}, Says: "mixes", Edits: []take.Change{{Position: 1, Field: "label", Value: "Mix 1"}, {Position: 2, Field: "label", Value: "Mix 2"}}}),
		hint(take.Suggestion{Kind: "pair", Positions: []int{1, 3}, Says: "a pair", Edits: []take.Change{}, Read: &take.Reading{Kind: take.Stereo, Positions: []int{1, 3}, Order: nil}}),
	}
	preview, err := f.DecideSuggestions(f.ctx, f.p.ID, ids, true, true)
	require.NoError(t, err)
	assert.Equal(t, "", f.strands(tk)[1].Label, "a preview changes nothing")
	rows, err := f.DecideSuggestions(f.ctx, f.p.ID, ids, true, false)
	require.NoError(t, err)
	assert.Equal(t, preview, rows)
	kept := 0
	for _, r := range rows {
		if r.Kept != "" {
			kept++
		}
	}
	assert.Equal(t, 2, kept)
	st = f.strands(tk)
	assert.Equal(t, []string{"Boom", "Mix 2"}, []string{st[0].Label, st[1].Label})
	assert.Equal(t, []string{"typed", "hint"}, []string{st[0].LabelSource, st[1].LabelSource})
	assert.Empty(t, f.takes()[0].Readings)
	f.undo()
	st = f.strands(tk)
	assert.Equal(t, []string{"Boom", ""}, []string{st[0].Label, st[1].Label})
	assert.Equal(t, []string{"typed", ""}, []string{st[0].LabelSource, st[1].LabelSource}, "and what it came from")
}

// Tracks follow the labels of what lies on them, and labels that make a pair of two channels are one; a track that was renamed by
// hand stays as it is.
func TestTracksFollowLabels(t *testing.T) {
	f := setup(t)
	f.take("poly8_s24.wav", "a.wav")
	tk := f.takes()[0]
	st := f.strands(tk)
	r, err := f.Store.ReelOf(f.ctx, f.p.ID)
	require.NoError(t, err)
	r, err = edited(f.LayTakes(f.ctx, r.ID, []uuid.UUID{tk.ID}, false))
	require.NoError(t, err)
	assert.Equal(t, "a 1", r.Doc.Tracks[0].Label)
	mine := "Mine"
	var set edit.Action
	require.NoError(t, json.Unmarshal([]byte(`{"set_track":{"id":"`+r.Doc.Tracks[1].ID+`","label":"Mine"}}`), &set))
	_, err = f.EditReel(f.ctx, r.ID, r.Version, "rename", []edit.Action{set})
	require.NoError(t, err)
	require.NoError(t, f.edit(cell(st[0].ID, "label", "Boom"), cell(st[1].ID, "label", "Lav")))
	r, err = f.Store.Reel(f.ctx, r.ID)
	require.NoError(t, err)
	assert.Equal(t, []string{"Boom", mine}, []string{r.Doc.Tracks[0].Label, r.Doc.Tracks[1].Label})
	f.undo()
	r, err = f.Store.Reel(f.ctx, r.ID)
	require.NoError(t, err)
	assert.Equal(t, "a 1", r.Doc.Tracks[0].Label)

	require.NoError(t, f.edit(cell(st[4].ID, "label", "Score L"), cell(st[5].ID, "label", "Score R")))
	require.Len(t, f.takes()[0].Readings, 1)
	assert.Equal(t, []any{take.Stereo, take.FromLabels}, []any{f.takes()[0].Readings[0].Kind, f.takes()[0].Readings[0].From})
	f.undo()
	assert.Empty(t, f.takes()[0].Readings)
}
