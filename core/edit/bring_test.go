package edit_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/automation"
	"zestyloom/core/edit"
	"zestyloom/core/reel"
	"zestyloom/core/treat"
	"zestyloom/core/weave"
)

func bring(t *testing.T, r reel.Reel, b edit.Bringing) (reel.Reel, []edit.Brought) {
	t.Helper()
	p, rows, err := edit.Bring(r, b, context())
	require.NoError(t, err)
	require.NoError(t, p.After.Check())
	back, _, err := reel.Apply(p.After, p.Undo)
	require.NoError(t, err)
	assert.Equal(t, r, back, "all of it is undone")
	return p.After, rows
}

// What was edited in a copy of a reel comes back into it: tracks are the same ones, by their identity, and what is there
// already stays as it is.
func TestBroughtBackFromACopy(t *testing.T) {
	r := scene(t)
	label, level := "Boom 1", automation.Curve{{At: 5, Value: -3}}
	chain, moves := treat.Chain{HighPass: treat.Pass{Hz: 80, Slope: 12}}, treat.Moves{"high_pass": {{At: 5, Value: 40}}}
	from := do(t, r, edit.Action{SetTrack: &reel.SetTrack{ID: r.Tracks[0].ID, Label: &label, Gain: &level, Treat: &chain, TreatMoves: &moves}},
		edit.Action{SetSends: &reel.SetSends{From: r.Tracks[1].ID, Sends: []weave.Send{{To: "FX", GainDB: -4, Patch: weave.Patch{Preset: weave.Left}}}}},
		edit.Action{Move: &edit.Move{Clips: []string{r.Tracks[0].Clips[0].ID}, By: 60}})
	all := edit.Bringing{From: from, Clips: true, Labels: true, Levels: true, Routes: true}
	now, rows := bring(t, r, all)
	assert.Equal(t, heard(from), heard(now))
	assert.Equal(t, from.Weave.Sends, now.Weave.Sends)
	assert.Equal(t, "Boom 1", now.Tracks[0].Label)
	assert.Equal(t, level, now.Tracks[0].Gain)
	inSync(t, now)
	require.Len(t, rows, len(from.Tracks))
	assert.Equal(t, moves, now.Tracks[0].TreatMoves)
	assert.Equal(t, []string{"labelled Boom 1 instead of Boom", "level over time of 1 points instead of 0", "treatment high-pass 80 Hz 12 dB/oct; over time: high-pass instead of nothing"}, rows[0].Says)
	assert.Equal(t, 1, rows[0].Clips, "one clip was moved, the others are here")
	assert.Equal(t, 1, rows[0].Changed)
	assert.Equal(t, 0, rows[0].Over)
	assert.Contains(t, rows[1].Says[0], "FX, left only, 0 dB, -4.0 dB instead of: sent nowhere")

	again, rows := bring(t, now, all)
	assert.Equal(t, now, again, "once it is here, nothing more comes")
	for _, row := range rows {
		assert.True(t, row.Nothing(), "%+v", row)
	}
	only, rows := bring(t, r, edit.Bringing{From: from, Tracks: []string{r.Tracks[1].ID}, Clips: true})
	assert.Len(t, rows, 1)
	assert.Equal(t, r.Weave.Sends, only.Weave.Sends, "routes come when they are asked for")
	assert.Equal(t, heard(r)["0Boom"], heard(only)["0Boom"])
}

// In a reel that is no copy, tracks are found by label and layout and made where there is none; ways lead to the bus of the
// same name or kind, and those that have no place are named.
func TestBroughtFromAnotherReel(t *testing.T) {
	from := scene(t)
	from = do(t, from, edit.Action{SetSends: &reel.SetSends{From: from.Tracks[0].ID, Sends: []weave.Send{{To: "VO", Patch: weave.Patch{Preset: weave.Right}}}}},
		edit.Action{SetSends: &reel.SetSends{From: from.Tracks[1].ID, Sends: []weave.Send{{To: "MX", Patch: weave.Patch{Preset: weave.Right}}}}},
		edit.Action{SetSends: &reel.SetSends{From: from.Tracks[2].ID, Sends: []weave.Send{{To: "FX", Patch: weave.Patch{Preset: weave.Left}}}}})
	here := reel.New()
	here.Weave.Buses = []weave.Bus{
		{ID: "1", Name: "Dialogue", Role: weave.Stem, Kind: "DX", Layout: "5.1"},
		{ID: "2", Name: "Effects", Role: weave.Stem, Kind: "FX", Layout: "ambisonic 1 SN3D"},
	}
	here.Weave.Outputs, here.Weave.Groups, here.Weave.Sends = []weave.Output{{Name: "1"}}, nil, map[string][]weave.Send{}
	require.NoError(t, here.Check())
	here = do(t, here, edit.Action{AddTrack: &reel.AddTrack{Track: reel.Track{ID: "mine", Label: " boom ", Layout: "mono"}}})

	now, rows := bring(t, here, edit.Bringing{From: from, Clips: true, Routes: true})
	require.Len(t, now.Tracks, 3)
	assert.Equal(t, "mine", now.Tracks[0].ID)
	assert.Equal(t, "boom", rows[0].Onto)
	assert.True(t, rows[1].Made)
	assert.Empty(t, now.Weave.Sends["mine"], "a narration is not dialogue")
	assert.Equal(t, []string{"no bus here is VO: that way stays behind"}, rows[0].Lost)
	assert.Empty(t, now.Weave.Sends[now.Tracks[1].ID])
	assert.Equal(t, []string{"no bus here is MX: that way stays behind"}, rows[1].Lost)
	assert.Equal(t, weave.Placed, now.Weave.Sends[now.Tracks[2].ID][0].Patch.Preset)
	assert.Contains(t, rows[2].Lost[0], "Effects is ambisonic 1 SN3D here and stereo there")
	assert.Len(t, heard(now), len(heard(from)))
	inSync(t, now)

	_, rows = bring(t, here, edit.Bringing{From: from, Labels: true})
	assert.Len(t, rows, 1, "labels alone make no tracks")
	require.ErrorContains(t, edit.Bringing{From: from, Tracks: []string{"gone"}}.Check(), "not in the other reel")
}
