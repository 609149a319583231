package delivery_test

import (
	"context"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/audio"
	"zestyloom/core/delivery"
	"zestyloom/core/picture"
	"zestyloom/core/snag"
	"zestyloom/core/take"
	"zestyloom/core/weave"
)

// A sound field, the pair that does not turn with it, and a stem beside them: the first two are one stream, marked as what it is, and
// all of it is bit for bit what was ordered. Taken in again it is the field and the pair.
func TestAFieldWithItsHeadLockedPair(t *testing.T) {
	for _, order := range []int{1, 2, 3} {
		f := newFixture(t, 0.1)
		l, err := audio.AmbisonicLayout(order, audio.SN3D)
		require.NoError(t, err)
		w := &f.reel.Weave
		w.Buses = append(w.Buses, weave.Bus{ID: "AMB", Name: "Field", Role: weave.Stem, Kind: "FX", Layout: l.Name})
		f.route("1/1", "MX", -3, weave.Both)
		w.Sends["0/0"] = []weave.Send{{To: "AMB", Patch: weave.Patch{Preset: weave.Placed, Places: []weave.Place{{}}}}}
		s := custom(delivery.FileRule{Container: "mov", Name: "field", Groups: []delivery.Group{
			{Layout: l.Name, Bus: "Field"}, {Layout: "stereo", Outputs: []string{"MX L", "MX R"}, HeadLocked: true}, {Layout: "stereo", Outputs: []string{"DX L", "DX R"}},
		}})
		s.Programme.WholeFrames = true
		plan, dir, proof := f.made(t, delivery.Order{Spec: s})
		require.True(t, proof.Passed, proof.Failures())
		info, err := picture.Probe(context.Background(), filepath.Join(dir, "field.mov"))
		require.NoError(t, err)
		assert.Equal(t, []int{l.Count + 2, 2}, info.Groups())
		require.NotNil(t, info.Sound[0].Field)
		assert.Equal(t, picture.Field{Order: order, HeadLocked: true}, *info.Sound[0].Field)
		assert.Nil(t, info.Sound[1].Field)
		readings := take.GroupReadings([]take.StreamGroup{{Channels: l.Count + 2, Field: true, HeadLocked: true}, {Channels: 2}})
		require.Len(t, readings, 3)
		assert.Equal(t, []int{l.Count + 1, l.Count + 2}, readings[1].Positions)

		// One without the pair in it is not what was ordered, and it is said what is missing.
		apart := plan
		apart.Files = slices.Clone(plan.Files)
		apart.Files[0].Groups = slices.Clone(plan.Files[0].Groups)
		apart.Files[0].Groups[1].HeadLocked = false
		_, err = delivery.Write(context.Background(), apart, filepath.Join(dir, "apart"), delivery.Options{Sources: f.resolve})
		require.NoError(t, err)
		again, err := delivery.Prove(context.Background(), plan, filepath.Join(dir, "apart"), delivery.Options{Sources: f.resolve})
		require.NoError(t, err)
		assert.False(t, again.Passed)
		assert.Contains(t, strings.Join(again.Failures(), "\n"), "sound streams")
	}
}

func TestHeadLockedPairsThatCantBe(t *testing.T) {
	field := delivery.Group{Layout: "ambisonic 1 SN3D", Bus: "F"}
	pair := delivery.Group{Layout: "stereo", Bus: "P", HeadLocked: true}
	for name, rule := range map[string]delivery.FileRule{
		"before the field":   {Container: "mov", Groups: []delivery.Group{pair, field}},
		"of another width":   {Container: "mov", Groups: []delivery.Group{field, {Layout: "mono", Bus: "P", HeadLocked: true}}},
		"after a bed":        {Container: "mov", Groups: []delivery.Group{{Layout: "5.1", Bus: "F"}, pair}},
		"after FuMa":         {Container: "mov", Groups: []delivery.Group{{Layout: "ambisonic 1 FuMa", Bus: "F"}, pair}},
		"after another pair": {Container: "mov", Groups: []delivery.Group{field, pair, pair}},
		"in a WAV":           {Container: "wav", Groups: []delivery.Group{field, pair}},
		"in an MXF":          {Container: "mxf", Groups: []delivery.Group{field, pair}},
		"apart":              {Container: "mov", Groups: []delivery.Group{field, pair}, Split: true},
	} {
		rule.Name = "x"
		err := custom(rule).Check()
		require.Error(t, err, name)
		assert.Equal(t, "bad_spec", snag.Of(err).Code, name)
		assert.Contains(t, err.Error(), "head-locked", name)
	}
	assert.NoError(t, custom(delivery.FileRule{Container: "mov", Name: "x", Groups: []delivery.Group{field, pair}}).Check())
}
