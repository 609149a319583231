package delivery_test

import (
	"context"
	"math"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/adm"
	"zestyloom/core/audio"
	"zestyloom/core/delivery"
	"zestyloom/core/snag"
	"zestyloom/core/source"
	"zestyloom/core/weave"
)

// What a BW64 file says of its channels is what stands in them: beds in the order that the file has them, a sound field, mixes, with
// what is heard in each and the loudness that was measured.
func TestADescribedMaster(t *testing.T) {
	f := newFixture(t, 0.05)
	f.surround()
	w := &f.reel.Weave
	w.Buses = append(w.Buses, weave.Bus{ID: "AMB", Name: "Deck field", Role: weave.Stem, Kind: "FX", Layout: "ambisonic 1 SN3D"}, weave.Bus{ID: "ME", Name: "Music alone", Role: weave.Mix, Layout: "5.1"})
	w.Sends["MX"] = append(w.Sends["MX"], weave.Send{To: "ME"})
	// Without loudness of a second bed, the only one is measured: a film order on top.
	bed := custom(delivery.FileRule{Container: "bw64", Name: "bed", Order: "film", Groups: []delivery.Group{{Layout: "5.1", Bus: "Full mix"}}})
	bed.Metadata = delivery.Metadata{ADM: true, Loudness: true}
	plan, dir, proof := f.made(t, delivery.Order{Spec: bed})
	require.True(t, proof.Passed, proof.Failures())
	src, err := source.Open(filepath.Join(dir, "bed.wav"))
	require.NoError(t, err)
	defer src.Close()
	assert.Equal(t, "BW64", src.Container)
	scene, err := src.Scene()
	require.NoError(t, err)
	require.Len(t, scene.Elements, 1)
	assert.Equal(t, []int{0, 2, 1, 5, 3, 4}, scene.Elements[0].Tracks, "L R C LFE Ls Rs of a file in the order L C R Ls Rs LFE")
	assert.Equal(t, adm.Mix, scene.Elements[0].Content)
	assert.Equal(t, plan.Frames, scene.Frames)
	require.NotNil(t, scene.Loudness)
	assert.InDelta(t, float64(src.Bext.Loudness[0])/100, scene.Loudness.Integrated, 0.006)
	assert.InDelta(t, float64(src.Bext.Loudness[2])/100, scene.Loudness.TruePeak, 0.006)
	assert.True(t, math.IsNaN(scene.Loudness.ShortTerm), "less than three seconds have none, and nothing is made up")

	all := custom(delivery.FileRule{Container: "bw64", Name: "all", Groups: []delivery.Group{
		{Layout: "5.1", Bus: "DX"}, {Layout: "5.1", Bus: "MX"}, {Layout: "ambisonic 1 SN3D", Bus: "Deck field"}, {Layout: "stereo", Bus: "Full mix stereo"}, {Layout: "5.1", Bus: "Ines"}, {Layout: "5.1", Bus: "Music alone"},
	}})
	all.Metadata = delivery.Metadata{ADM: true, Loudness: true}
	plan, dir, proof = f.made(t, delivery.Order{Spec: all})
	require.True(t, proof.Passed, proof.Failures())
	assert.Empty(t, plan.Problems)
	src, err = source.Open(filepath.Join(dir, "all.wav"))
	require.NoError(t, err)
	defer src.Close()
	scene, err = src.Scene()
	require.NoError(t, err)
	var says []string
	for _, e := range scene.Elements {
		says = append(says, e.Name+" "+e.Layout.Name+" "+string(e.Content))
	}
	assert.Equal(t, []string{"DX 5.1 dialogue", "MX 5.1 music", "Deck field ambisonic 1 SN3D effects", "Full mix stereo stereo mixed", "Ines 5.1 dialogue", "Music alone 5.1 mixed"}, says)
	// Each content has the loudness that was measured of it, the programme none: it is no mix of them.
	assert.Nil(t, scene.Loudness)
	for i, e := range scene.Elements {
		k := slices.IndexFunc(proof.Measures, func(m delivery.Measure) bool { return m.Name == e.Name })
		require.GreaterOrEqual(t, k, 0, e.Name)
		if want := proof.Measures[k].Integrated; want == nil {
			assert.True(t, math.IsNaN(e.Loudness.Integrated), e.Name)
		} else if assert.NotNil(t, e.Loudness, "%d %s", i, e.Name) {
			assert.InDelta(t, *want, e.Loudness.Integrated, 0.0051, e.Name)
		}
	}
	facts := src.Gather("all.wav")
	require.Len(t, facts.Groups, 6)
	assert.Equal(t, []int{13, 14, 15, 16}, facts.Groups[2].Channels)

	// One that says another loudness is not what was ordered.
	said, err := os.ReadFile(filepath.Join(dir, "all.wav"))
	require.NoError(t, err)
	k := strings.Index(string(said), "<integratedLoudness>-") + len("<integratedLoudness>-")
	other := append([]byte{}, said...)
	other[k] = '9' - other[k] + '0'
	require.NoError(t, os.WriteFile(filepath.Join(dir, "all.wav"), other, 0o600))
	wrong, err := delivery.Prove(context.Background(), plan, dir, delivery.Options{Sources: f.resolve})
	require.NoError(t, err)
	assert.Contains(t, strings.Join(wrong.Failures(), "\n"), "loudness in the description (ADM)")
	require.NoError(t, os.WriteFile(filepath.Join(dir, "all.wav"), said, 0o600))

	// A file whose table names other tracks is not the one that was ordered.
	path := filepath.Join(dir, "all.wav")
	b, err := os.ReadFile(path)
	require.NoError(t, err)
	at := strings.Index(string(b), "chna") + 8 + 4
	b[at], b[at+40] = b[at+40], b[at] // the first two tracks change places
	require.NoError(t, os.WriteFile(path, b, 0o600))
	again, err := delivery.Prove(context.Background(), plan, dir, delivery.Options{Sources: f.resolve})
	require.NoError(t, err)
	assert.False(t, again.Passed)
	assert.Contains(t, strings.Join(again.Failures(), "\n"), "description (ADM)")
}

func TestWhatCantBeDescribed(t *testing.T) {
	f := newFixture(t, 0.1)
	f.reel.Weave.Outputs = append(f.reel.Weave.Outputs, weave.Output{Name: "Spare", Bus: "DX"})
	f.reel.Weave.Buses = append(f.reel.Weave.Buses, weave.Bus{ID: "MS", Name: "Room M-S", Role: weave.Stem, Kind: "Room", Layout: "mid-side"})
	s := custom(delivery.FileRule{Container: "bw64", Name: "x", Groups: []delivery.Group{{Layout: "stereo", Outputs: []string{"DX L", "DX R"}}, {Layout: "mid-side", Bus: "Room M-S"}}})
	s.Metadata.ADM = true
	plan, err := delivery.Make(delivery.Order{Spec: s}, f.reel, pal, 48000)
	require.NoError(t, err)
	require.Len(t, plan.Problems, 1)
	assert.Equal(t, "no_place", plan.Problems[0].Code)
	assert.Contains(t, plan.Problems[0].Message, "Room M-S")
	assert.False(t, plan.Problems[0].Stops)

	s.Packings[0].Files[0].Container = "wav"
	assert.Equal(t, "bad_spec", snag.Of(s.Check()).Code, "there is no BW64 to describe")
	l, err := audio.ParseLayout("mid-side")
	require.NoError(t, err)
	assert.Error(t, adm.Can(l))
}
