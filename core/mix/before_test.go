package mix_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/automation"
	"zestyloom/core/mix"
	"zestyloom/core/reel"
	"zestyloom/core/treat"
	"zestyloom/core/weave"
)

// What is heard before a treatment is what goes into it, without the gain that comes after; of a bus, with all that comes before.
func TestBeforeATreatment(t *testing.T) {
	_, sources := strandsOf(t, 1, 1, modelFrames)
	r := oneTrack(reel.Clip{ID: "1", Strands: []string{"0/0"}, Length: modelFrames})
	plain := all(t, r, sources, modelFrames, mix.Of("t"))
	r.Tracks[0].Treat, r.Tracks[0].GainDB, r.Tracks[0].Gain = voice, -7, automation.Curve{{At: 0, Value: -3}, {At: 900, Value: 3}}
	r.Tracks[0].TreatMoves = treat.Moves{"band_1": {{At: 5, Value: 3}}}
	before, id := r.Before("t")
	require.Equal(t, "t", id)
	assert.Equal(t, plain, all(t, before, sources, modelFrames, mix.Of(id)))
	into := all(t, r, sources, modelFrames, mix.Of("DX"))
	r.Weave.Levels = map[string]weave.Level{"DX": {GainDB: 5, Treat: voice}}
	before, id = r.Before("DX")
	require.NoError(t, before.Check())
	assert.Equal(t, into, all(t, before, sources, modelFrames, mix.Of(id)))
	same, id := r.Before("nobody")
	assert.Equal(t, "nobody", id)
	assert.Equal(t, r, same)
}
