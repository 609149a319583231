package weave_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/weave"
)

func TestPartsAreNamedByLabels(t *testing.T) {
	for label, part := range map[string]string{
		"Lav Ines": "Ines", "lav_Ines-2": "Ines", "Ines boom": "Ines", "Boom": "", "Boom 2": "", "Lav 3": "", "Score L": "Score", "Ferry": "Ferry",
		"Plant wheelhouse": "wheelhouse", "Åsa (radio)": "Åsa", "Old Man Lav": "Old Man", "": "", "MixL": "", "Strand 7": "", "R2D": "R2D", "  ": "",
	} {
		assert.Equal(t, part, weave.PartNamed(label), label)
	}
}

// Tracks go into the parts that their labels propose, as they were sent into the stem: what is heard stays, and what says nothing
// stays where it is.
func TestPartsByLabel(t *testing.T) {
	w, all := start(t), tracksOf(t)
	all = append(all, weave.Track{ID: "more", Label: "ines lav 2", Layout: layout(t, "mono")})
	w.Sends["more"] = []weave.Send{{To: "DX", GainDB: -1, Patch: weave.Patch{Preset: weave.Left}}}
	before, err := w.Product(all)
	require.NoError(t, err)
	byLabel := weave.Change{PartsByLabel: &weave.PartsByLabel{Stem: "DX"}}
	now, lost, err := w.Changed(byLabel, all, counter())
	require.NoError(t, err)
	assert.Empty(t, lost)
	require.Len(t, now.Buses, len(w.Buses)+1)
	assert.Equal(t, "Ines", now.Buses[1].Name)
	assert.Equal(t, weave.Part, now.Buses[1].Role)
	assert.Equal(t, "DX", now.Sends["boom"][0].To, "a boom is nobody's")
	part := now.Buses[1].ID
	assert.Equal(t, part, now.Sends["lav"][0].To)
	assert.Equal(t, weave.Send{To: part, GainDB: -1, Patch: weave.Patch{Preset: weave.Left}}, now.Sends["more"][0])
	after, err := now.Product(all)
	require.NoError(t, err)
	assert.Equal(t, before, after)
	_, _, err = now.Changed(byLabel, all, counter())
	assert.ErrorContains(t, err, "says whose it is", "there is no more to do")
	// A part that is there is used; a name that is another's is told apart by its stem.
	now.Sends["lav"][0].To = "DX"
	again, _, err := now.Changed(byLabel, all, counter())
	require.NoError(t, err)
	assert.Len(t, again.Buses, len(now.Buses))
	taken := w.Clone()
	taken.Buses = append(taken.Buses, weave.Bus{ID: "x", Name: "Ines", Role: weave.Mix, Layout: "stereo"})
	told, _, err := taken.Changed(byLabel, all, counter())
	require.NoError(t, err)
	assert.Equal(t, "DX Ines", told.Buses[1].Name)
	_, _, err = taken.Changed(weave.Change{PartsByLabel: &weave.PartsByLabel{Stem: "x"}}, all, counter())
	assert.ErrorContains(t, err, "no stem")
}
