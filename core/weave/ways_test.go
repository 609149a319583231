package weave_test

import (
	"testing"

	"github.com/google/uuid"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/audio"
	"zestyloom/core/take"
	"zestyloom/core/weave"
)

// There is a default for whatever has one, it is the first that is offered, and all that is offered can be done.
func TestWays(t *testing.T) {
	for _, c := range []struct {
		from, to string
		law      float64
		first    weave.Preset
	}{
		{"mono", "stereo", 0, weave.Both}, {"mono", "stereo", -3, weave.BothMinus}, {"mono", "stereo", -4.5, weave.Pan}, {"mono", "stereo", 7, weave.Both},
		{"mono", "mono", -3, weave.Plain}, {"mono", "5.1", 0, weave.Centre}, {"mono", "quad", 0, weave.Both}, {"mono", "ambisonic 1 SN3D", 0, weave.Placed},
		{"stereo", "stereo", 0, weave.Plain}, {"stereo", "5.1", 0, weave.BySpeaker}, {"stereo", "mono", 0, weave.Folded}, {"stereo", "7.1.4", 0, weave.BySpeaker},
		{"stereo", "ambisonic 1 SN3D", 0, weave.Encoded}, {"5.1", "stereo", 0, weave.Folded}, {"5.1", "5.1", 0, weave.Plain}, {"5.1", "7.1", 0, weave.Folded},
		{"ambisonic 1 SN3D", "ambisonic 2 SN3D", 0, weave.Field}, {"ambisonic 1 FuMa", "stereo", 0, weave.Decoded}, {"discrete 4", "discrete 4", 0, weave.Plain},
	} {
		from, to := fieldLayout(t, c.from), fieldLayout(t, c.to)
		ways := weave.Ways(from, to, c.law)
		require.NotEmpty(t, ways, "%s into %s", c.from, c.to)
		if c.from != "5.1" || c.to != "7.1" {
			assert.Equal(t, c.first, ways[0].Preset, "%s into %s", c.from, c.to)
		}
		assert.Equal(t, weave.Custom, ways[len(ways)-1].Preset)
		seen := map[weave.Preset]bool{}
		for _, p := range ways {
			assert.False(t, seen[p.Preset], "%s into %s: %s twice", c.from, c.to, p.Preset)
			seen[p.Preset] = true
			m, err := p.Between(from, to)
			require.NoError(t, err)
			require.NoError(t, m.Check(to.Count, from.Count))
		}
	}
	pan := weave.Ways(fieldLayout(t, "mono"), fieldLayout(t, "stereo"), -4.5)[0]
	l, r := pan.Sides(0)
	assert.InDelta(t, -4.5, audio.Decibels(l), 0.02)
	assert.Equal(t, l, r)
	_, ok := weave.Way(fieldLayout(t, "discrete 3"), fieldLayout(t, "stereo"), 0)
	assert.False(t, ok, "a matrix is nobody's default")
}

// A narration is summed into nothing, and no stem carries two languages.
func TestSpeechFindsItsOwnStem(t *testing.T) {
	mono, _ := audio.ParseLayout("mono")
	track := func(label string) weave.Track {
		return weave.Track{ID: label, Label: label, Layout: mono, Kind: take.StemKind(label), Language: take.Language(label)}
	}
	template := func(name string) weave.Template {
		for _, tp := range weave.Shipped() {
			if tp.Name == name {
				return tp
			}
		}
		t.Fatal(name)
		return weave.Template{}
	}
	routed := func(tp weave.Template, labels ...string) (map[string]string, []string) {
		var tracks []weave.Track
		for _, l := range labels {
			tracks = append(tracks, track(l))
		}
		w, lost, err := weave.Weave{Sends: map[string][]weave.Send{}}.Changed(weave.Change{Use: &weave.Use{Template: tp}}, tracks, uuid.NewString)
		require.NoError(t, err)
		out := map[string]string{}
		for _, l := range labels {
			if b, ok := w.StemOf(l); ok {
				out[l] = b.Name
			}
		}
		return out, lost
	}
	to, lost := routed(template("Stereo stems DX MX FX"), "Boom DX", "VO EN", "VO PT", "Score")
	assert.Equal(t, map[string]string{"Boom DX": "DX", "Score": "MX"}, to)
	require.Len(t, lost, 2)
	assert.Contains(t, lost[0], "VO EN has no place")

	to, lost = routed(template("Two languages, MX, FX, M&E"), "Narrator english", "VO_por", "VO")
	assert.Equal(t, map[string]string{"Narrator english": "VO EN", "VO_por": "VO PT"}, to)
	assert.Len(t, lost, 1, "which of the two is not known")

	to, lost = routed(template("Full mix, DX, VO, MX on six channels"), "VO EN", "VO DE")
	assert.Empty(t, to, "one stem would carry two languages")
	assert.Len(t, lost, 2)
	to, _ = routed(template("Full mix, DX, VO, MX on six channels"), "VO EN")
	assert.Equal(t, map[string]string{"VO EN": "VO"}, to)
}

// What a stem's outputs carry goes on when it becomes narrower or wider.
func TestOutputsStayFedWhenAStemChangesItsWidth(t *testing.T) {
	w := weave.Default()
	mono := "mono"
	now, lost, err := w.Changed(weave.Change{SetBus: &weave.SetBus{ID: "MX", Layout: &mono}}, nil, uuid.NewString)
	require.NoError(t, err)
	assert.Empty(t, lost)
	assert.Equal(t, []string{"MX", "MX"}, []string{now.Outputs[2].Bus, now.Outputs[3].Bus})
	assert.Equal(t, []int{0, 0}, []int{now.Outputs[2].Channel, now.Outputs[3].Channel})
	stereo := "stereo"
	_, lost, err = now.Changed(weave.Change{SetBus: &weave.SetBus{ID: "MX", Layout: &stereo}}, nil, uuid.NewString)
	require.NoError(t, err)
	assert.Empty(t, lost)
}
