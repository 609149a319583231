package reel_test

import (
	"encoding/json"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/reel"
	"zestyloom/core/weave"
)

func TestHeardAlone(t *testing.T) {
	clip := func(id string, at int64) reel.Clip {
		return reel.Clip{ID: id, Strands: []string{"s"}, At: at, Length: 10}
	}
	r := reel.New()
	w := &r.Weave
	w.Buses = append(w.Buses, weave.Bus{ID: "ines", Name: "Ines", Role: weave.Part, Of: "DX", Layout: "stereo"})
	both := weave.Patch{Preset: weave.Both}
	w.Sends["ines"] = []weave.Send{{To: "DX"}}
	w.Sends["a"] = []weave.Send{{To: "ines", Patch: both}}
	w.Sends["b"] = []weave.Send{{To: "FX", Patch: both}, {To: "DX", Patch: both}}
	w.Sends["c"] = []weave.Send{{To: "MX", Patch: both}}
	r.Tracks = []reel.Track{
		{ID: "a", Label: "a", Layout: "mono", Clips: []reel.Clip{clip("a1", 0), clip("a2", 20)}},
		{ID: "b", Label: "b", Layout: "mono", Clips: []reel.Clip{clip("b1", 0)}},
		{ID: "c", Label: "c", Layout: "mono", Off: true, Clips: []reel.Clip{clip("c1", 0)}},
	}
	require.NoError(t, r.Check())
	before, err := json.Marshal(r)
	require.NoError(t, err)
	for name, k := range map[string]struct {
		solo, mute []string
		want       map[string][]string // what each clip that sounds is sent into
	}{
		"all":                   {nil, nil, map[string][]string{"a1": {"ines"}, "a2": {"ines"}, "b1": {"FX", "DX"}}},
		"a track":               {[]string{"b"}, nil, map[string][]string{"b1": {"FX", "DX"}}},
		"a clip":                {[]string{"a2"}, nil, map[string][]string{"a2": {"ines"}}},
		"a stem, with its part": {[]string{"DX"}, nil, map[string][]string{"a1": {"ines"}, "a2": {"ines"}, "b1": {"DX"}}},
		"a part":                {[]string{"ines"}, nil, map[string][]string{"a1": {"ines"}, "a2": {"ines"}}},
		"a clip and a stem":     {[]string{"a2", "FX"}, nil, map[string][]string{"a2": {"ines"}, "b1": {"FX"}}},
		"one that is off":       {[]string{"c"}, nil, map[string][]string{}},
		"without a track":       {nil, []string{"b"}, map[string][]string{"a1": {"ines"}, "a2": {"ines"}}},
		"without a clip":        {nil, []string{"a1"}, map[string][]string{"a2": {"ines"}, "b1": {"FX", "DX"}}},
		"without a part":        {nil, []string{"ines"}, map[string][]string{"b1": {"FX", "DX"}}},
		"without a stem":        {nil, []string{"FX"}, map[string][]string{"a1": {"ines"}, "a2": {"ines"}, "b1": {"DX"}}},
		"alone, but for a clip": {[]string{"a"}, []string{"a1"}, map[string][]string{"a2": {"ines"}}},
	} {
		heard := r.Heard(k.solo, k.mute)
		got := map[string][]string{}
		for _, tr := range heard.Tracks {
			for _, c := range tr.Clips {
				for _, s := range heard.Weave.Sends[tr.ID] {
					if !tr.Off {
						got[c.ID] = append(got[c.ID], s.To)
					}
				}
			}
		}
		assert.Equal(t, k.want, got, name)
		assert.NoError(t, heard.Check(), name)
		start, end := heard.Span()
		assert.Equal(t, [2]int64{0, 30}, [2]int64{start, end}, name)
		after, err := json.Marshal(r)
		require.NoError(t, err)
		assert.Equal(t, string(before), string(after), "the reel is left alone")
	}
}
