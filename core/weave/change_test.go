package weave_test

import (
	"encoding/json"
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/audio"
	"zestyloom/core/weave"
)

func counter() func() string {
	n := 0
	return func() string {
		n++
		return fmt.Sprint("new", n)
	}
}

func tracksOf(t *testing.T) []weave.Track {
	return []weave.Track{{ID: "boom", Label: "Boom", Layout: layout(t, "mono")}, {ID: "lav", Label: "Lav Ines", Layout: layout(t, "mono")},
		{ID: "score", Label: "Score", Layout: layout(t, "stereo")}, {ID: "deck", Label: "Deck", Layout: layout(t, "5.1")}, {ID: "en", Label: "Narration", Layout: layout(t, "mono")}}
}

func start(t *testing.T) weave.Weave {
	w := weave.Default()
	w.Sends["boom"] = []weave.Send{{To: "DX", Patch: weave.Patch{Preset: weave.BothMinus}}}
	w.Sends["lav"] = []weave.Send{{To: "DX", GainDB: -3, Patch: weave.Patch{Preset: weave.Both}}}
	w.Sends["score"] = []weave.Send{{To: "MX"}}
	w.Sends["en"] = []weave.Send{{To: "VO", Patch: weave.Patch{Preset: weave.Both}}}
	return w
}

func change(t *testing.T, w weave.Weave, c weave.Change) (weave.Weave, []string) {
	t.Helper()
	before, err := json.Marshal(w)
	require.NoError(t, err)
	now, lost, err := w.Changed(c, tracksOf(t), counter())
	require.NoError(t, err)
	after, _ := json.Marshal(w)
	require.Equal(t, string(before), string(after), "the weave itself is not changed")
	return now, lost
}

func outputs(w weave.Weave) string {
	var out []string
	for _, o := range w.Outputs {
		out = append(out, o.Name)
	}
	return strings.Join(out, ", ")
}

// A stem becomes wider and narrower again: what has a place keeps it, what has not is named.
func TestAnotherLayout(t *testing.T) {
	w := start(t)
	wide := "5.1"
	now, lost := change(t, w, weave.Change{SetBus: &weave.SetBus{ID: "DX", Layout: &wide}})
	assert.Empty(t, lost)
	assert.Equal(t, weave.BothMinus, now.Sends["boom"][0].Patch.Preset)
	assert.Equal(t, []int{0, 1}, []int{now.Outputs[0].Channel, now.Outputs[1].Channel})
	now, lost = change(t, now, weave.Change{InsertOutputs: &weave.InsertOutputs{At: 6, Bus: "DX"}})
	assert.Empty(t, lost)
	assert.Equal(t, "DX L, DX R, MX L, MX R, FX L, FX R, DX L 2, DX R 2, DX C, DX LFE, DX Ls, DX Rs", outputs(now))
	one := "mono"
	_, lost = change(t, now, weave.Change{SetBus: &weave.SetBus{ID: "DX", Layout: &one}})
	assert.Len(t, lost, 7, "all outputs but that of C: %v", lost)
	field := "ambisonic 1 SN3D"
	now, lost = change(t, w, weave.Change{SetBus: &weave.SetBus{ID: "MX", Layout: &field}})
	assert.Equal(t, weave.Encoded, now.Sends["score"][0].Patch.Preset, "a pair is encoded into a sound field")
	assert.Contains(t, strings.Join(lost, "; "), "output 3 (MX L) carries silence")
	narrow := "discrete 3"
	_, lost = change(t, w, weave.Change{SetBus: &weave.SetBus{ID: "MX", Layout: &narrow}})
	assert.Contains(t, strings.Join(lost, "; "), "Score is not sent to MX any more: choose how its stereo enters discrete 3")
	assert.Contains(t, strings.Join(lost, "; "), "output 3 (MX L) carries silence")
}

// Mixes are sums of stems, members keep how they enter, and a removed stem says what it took along.
func TestMixesAndParts(t *testing.T) {
	w := start(t)
	w, _ = change(t, w, weave.Change{AddBus: &weave.AddBus{Bus: weave.Bus{ID: "M&E", Name: "M&E", Role: weave.Mix, Layout: "stereo"}, Members: []weave.Member{{Bus: "MX"}, {Bus: "FX", GainDB: -2}}}})
	assert.Equal(t, []weave.Member{{Bus: "MX"}, {Bus: "FX", GainDB: -2}}, w.Members("M&E"))
	w, _ = change(t, w, weave.Change{SetMembers: &weave.SetMembers{ID: "M&E", Members: []weave.Member{{Bus: "MX", GainDB: -1}, {Bus: "VO"}}}})
	assert.Equal(t, []weave.Member{{Bus: "MX", GainDB: -1}, {Bus: "VO"}}, w.Members("M&E"))
	_, _, err := w.Changed(weave.Change{SetMembers: &weave.SetMembers{ID: "MX", Members: []weave.Member{{Bus: "M&E"}}}}, tracksOf(t), counter())
	assert.ErrorContains(t, err, "into itself")
	w, _ = change(t, w, weave.Change{AddBus: &weave.AddBus{Bus: weave.Bus{ID: "ines", Name: "Ines", Role: weave.Part, Of: "DX"}}})
	w.Sends["lav"] = []weave.Send{{To: "ines", Patch: weave.Patch{Preset: weave.Both}}}
	stem, ok := w.StemOf("lav")
	assert.True(t, ok)
	assert.Equal(t, "DX", stem.Name)
	now, lost := change(t, w, weave.Change{RemoveBus: &weave.RemoveBus{ID: "DX"}})
	assert.Equal(t, []string{"Boom is not sent to DX any more", "Lav Ines is not sent to DX any more", "output 1 (DX L) carries silence", "output 2 (DX R) carries silence"}, lost)
	_, there := now.Bus("ines")
	assert.False(t, there, "its part goes with it")
	assert.Equal(t, 2, w.Paths("score", "M&E")+1)
	_, _, err = w.Changed(weave.Change{AddBus: &weave.AddBus{Bus: weave.Bus{Name: " MX ", Role: weave.Stem, Layout: "mono"}}}, nil, counter())
	assert.ErrorContains(t, err, "already")
	name := "Music"
	now, _ = change(t, w, weave.Change{SetBus: &weave.SetBus{ID: "MX", Name: &name}})
	assert.Equal(t, "DX L, DX R, Music L, Music R, FX L, FX R", outputs(now), "outputs that are named after it go along")
}

// Outputs: moved as a group, torn groups let go, other orders, names by a rule.
func TestOutputsChange(t *testing.T) {
	w := start(t)
	now, _ := change(t, w, weave.Change{MoveOutputs: &weave.MoveOutputs{At: 0, Count: 2, To: 4}})
	assert.Equal(t, "MX L, MX R, FX L, FX R, DX L, DX R", outputs(now))
	assert.Len(t, now.Groups, 3)
	torn, _ := change(t, w, weave.Change{MoveOutputs: &weave.MoveOutputs{At: 0, Count: 1, To: 3}})
	assert.Len(t, torn.Groups, 2, "DX is torn")
	_, lost := change(t, w, weave.Change{RemoveOutputs: &weave.RemoveOutputs{At: 1, Count: 2}})
	assert.Len(t, lost, 2)
	now, _ = change(t, w, weave.Change{InsertOutputs: &weave.InsertOutputs{At: 2, Silence: 2}})
	assert.Equal(t, "DX L, DX R, Out 3, Out 4, MX L, MX R, FX L, FX R", outputs(now))

	wide := "5.1"
	w, _ = change(t, w, weave.Change{SetBus: &weave.SetBus{ID: "FX", Layout: &wide}})
	w, _ = change(t, w, weave.Change{InsertOutputs: &weave.InsertOutputs{At: 6, Bus: "FX"}})
	group := w.Outputs[6].Group
	w, _ = change(t, w, weave.Change{OrderGroup: &weave.OrderGroup{Group: group, Order: "film"}})
	assert.Equal(t, "DX L, DX R, MX L, MX R, FX L, FX R, FX L 2, FX C, FX R 2, FX Ls, FX Rs, FX LFE", outputs(w))
	w, _ = change(t, w, weave.Change{OrderGroup: &weave.OrderGroup{Group: group, Order: "broadcast"}})
	assert.Equal(t, "FX LFE", w.Outputs[9].Name)
	assert.Equal(t, "5.1", w.Groups[len(w.Groups)-1].Layout)
	w, _ = change(t, w, weave.Change{NameOutputs: &weave.NameOutputs{Rule: "{number} {bus}.{channel}"}})
	assert.Equal(t, "10 FX.LFE", w.Outputs[9].Name)
	w, _ = change(t, w, weave.Change{NameOutputs: &weave.NameOutputs{Rule: "{bus} {channel}"}})
	assert.Equal(t, "FX L 2", w.Outputs[6].Name, "no two are named alike")
	_, _, err := w.Changed(weave.Change{NameOutputs: &weave.NameOutputs{Rule: "{nobody}"}}, nil, counter())
	assert.Error(t, err)
	delay, trim := 480, -3.0
	w, _ = change(t, w, weave.Change{SetOutput: &weave.SetOutput{At: 0, Delay: &delay, TrimDB: &trim}})
	assert.Equal(t, 480, w.Outputs[0].Delay)
	delay = -1
	_, _, err = w.Changed(weave.Change{SetOutput: &weave.SetOutput{At: 0, Delay: &delay}}, nil, counter())
	assert.Error(t, err)
}

// Every way of a track to an output, with each gain on it, and what they come to is the product.
func TestTraces(t *testing.T) {
	w, all := start(t), tracksOf(t)
	w, _ = change(t, w, weave.Change{AddBus: &weave.AddBus{Bus: weave.Bus{ID: "full", Name: "Full mix", Role: weave.Mix, Layout: "stereo"}, Members: []weave.Member{{Bus: "DX", GainDB: -2}, {Bus: "MX"}}}})
	w, _ = change(t, w, weave.Change{InsertOutputs: &weave.InsertOutputs{At: 6, Bus: "full"}})
	w, _ = change(t, w, weave.Change{SetLevels: &weave.SetLevels{Levels: map[string]weave.Level{"DX": {GainDB: -1}}}})
	trim := 0.5
	w, _ = change(t, w, weave.Change{SetOutput: &weave.SetOutput{At: 6, TrimDB: &trim}})
	ways := w.Traces(all[1], 6)
	require.Len(t, ways, 1)
	sum := 0.0
	var into []string
	for _, s := range ways[0] {
		into = append(into, s.Into)
		sum += s.GainDB
	}
	assert.Equal(t, []string{"DX", "DX", "Full mix", "output 7 Full mix L"}, into)
	assert.InDelta(t, -3-1-2+0.5, sum, 1e-9)
	product, err := w.Product(all)
	require.NoError(t, err)
	assert.InDelta(t, audio.Gain(sum), product[6][1][0], 1e-9)
	assert.Empty(t, w.Traces(all[3], 6))
	assert.Empty(t, w.Traces(all[0], 99))
	w.Sends["lav"] = append(w.Sends["lav"], weave.Send{To: "full", Patch: weave.Patch{Preset: weave.Left}})
	assert.Len(t, w.Traces(all[1], 6), 2)
}

// What a newsroom sees in words, and turns from one into another.
func TestWaysInWords(t *testing.T) {
	w, all := start(t), tracksOf(t)
	assert.Equal(t, "DX, mono on both sides, -3 dB", w.Ways(all[0]))
	assert.Equal(t, "DX, mono on both sides, 0 dB, -3.0 dB", w.Ways(all[1]))
	assert.Equal(t, "sent nowhere", w.Ways(all[3]))
	w, _ = change(t, w, weave.Change{SetWay: &weave.SetWay{Tracks: []string{"boom", "lav"}, Way: "split"}})
	assert.Equal(t, "DX, left only, 0 dB", w.Ways(all[0]))
	assert.Equal(t, "DX, right only, 0 dB, -3.0 dB", w.Ways(all[1]))
	ways, pairs := w.AllWays(all)
	assert.Equal(t, "DX, left only, 0 dB; split mono", ways["boom"], "their gains are not the same")
	assert.Equal(t, "DX, right only, 0 dB, -3.0 dB; split mono", ways["lav"])
	assert.Empty(t, pairs)
	even := w.Clone()
	even.Sends["lav"] = []weave.Send{{To: "DX", Patch: weave.Patch{Preset: weave.Right}}}
	ways, pairs = even.AllWays(all)
	assert.Equal(t, map[string]string{"boom": "lav", "lav": "boom"}, pairs)
	assert.Equal(t, pairs, even.Pairs(all))
	assert.Equal(t, "DX, left only, 0 dB; one side of a stereo pair with "+all[1].Label, ways["boom"])
	assert.Empty(t, even.Pairs([]weave.Track{all[1], all[0]}), "right and then left is none")
	_, _, err := w.Changed(weave.Change{SetWay: &weave.SetWay{Tracks: []string{"boom"}, Way: "split"}}, all, counter())
	assert.ErrorContains(t, err, "two mono tracks")
	_, _, err = w.Changed(weave.Change{SetWay: &weave.SetWay{Tracks: []string{"score"}, Way: "left"}}, all, counter())
	assert.Error(t, err, "a pair has no side")
	_, _, err = w.Changed(weave.Change{SetWay: &weave.SetWay{Tracks: []string{"deck"}, Way: "left"}}, all, counter())
	assert.ErrorContains(t, err, "no stem")
}

// Every template that is shipped can be used, says what it does to each track, and can be used again without a change.
func TestShippedTemplates(t *testing.T) {
	all := tracksOf(t)
	for _, tpl := range weave.Shipped() {
		require.NoError(t, tpl.Check(), tpl.Name)
		b, err := json.Marshal(tpl)
		require.NoError(t, err)
		again, err := weave.ParseTemplate(b)
		require.NoError(t, err)
		w := start(t)
		now, lost := change(t, w, weave.Change{Use: &weave.Use{Template: again}})
		for _, g := range now.Groups {
			assert.NotEmpty(t, g.Layout)
		}
		for _, track := range all {
			if _, was := w.Send(track.ID); !was || tpl.PerTrack {
				continue
			}
			_, is := now.Send(track.ID)
			named := slices.ContainsFunc(lost, func(l string) bool { return strings.Contains(l, track.Label) })
			assert.NotEqual(t, is, named, "%s: %s", tpl.Name, track.Label)
		}
		twice, _ := change(t, now, weave.Change{Use: &weave.Use{Template: tpl}})
		for _, r := range weave.Compare(now, twice, all) {
			assert.Equal(t, "kept", r.State, "%s: %v", tpl.Name, r)
		}
	}
	w := start(t)
	now, _ := change(t, w, weave.Change{Use: &weave.Use{Template: weave.Shipped()[3]}})
	rows := weave.Compare(w, now, all)
	assert.Contains(t, rows, weave.Row{What: "bus", Name: "M&E", State: "added", Says: "mix, stereo"})
	assert.Contains(t, rows, weave.Row{What: "bus", Name: "VO", State: "gone", Says: "stem, stereo"})
	assert.Contains(t, rows, weave.Row{What: "track", Name: "Boom", State: "kept", Says: "DX, mono on both sides, -3 dB"})
	assert.Contains(t, rows, weave.Row{What: "output", Name: "8 M&E R", State: "added", Says: "M&E R"})
	for _, bad := range []string{`{}`, `{"format": 9, "name": "x", "weave": {"buses": []}}`, `[]`, `{"format": 1, "name": "x", "weave": {"buses": [{"id": "a", "name": "a", "role": "stem", "layout": "9.9"}]}}`} {
		_, err := weave.ParseTemplate([]byte(bad))
		assert.Error(t, err, bad)
	}
}

// A weave made a template and used in another reel routes tracks by their labels.
func TestTemplatesKnowLabels(t *testing.T) {
	w := start(t)
	tpl := w.TemplateOf("House", "ours", tracksOf(t))
	require.NoError(t, tpl.Check())
	assert.Len(t, tpl.Routes, 4)
	other := []weave.Track{{ID: "x", Label: "lav ines", Layout: layout(t, "mono")}, {ID: "y", Label: "Boom", Layout: layout(t, "stereo")}}
	now, lost, err := weave.Default().Changed(weave.Change{Use: &weave.Use{Template: tpl}}, other, counter())
	require.NoError(t, err)
	assert.Equal(t, "DX, mono on both sides, 0 dB, -3.0 dB", now.Ways(other[0]))
	assert.Empty(t, now.Sends["y"], "one channel's way is none for two")
	assert.Empty(t, lost, "it was sent nowhere")
}

// Whatever is done in whatever order, the weave is one that Check lets pass, or the change is refused.
func TestRandomChanges(t *testing.T) {
	rng := rand.New(rand.NewPCG(13, 9))
	all := tracksOf(t)
	layouts := []string{"mono", "stereo", "5.1", "7.1.4", "ambisonic 1 SN3D", "discrete 3"}
	known := map[string]audio.Layout{}
	for _, track := range all {
		known[track.ID] = track.Layout
	}
	for range 40 {
		w, ids := start(t), counter()
		done := 0
		for range 60 {
			bus := func() string { return w.Buses[rng.IntN(len(w.Buses))].ID }
			at, l := rng.IntN(len(w.Outputs)+1), layouts[rng.IntN(len(layouts))]
			var group string
			if len(w.Groups) > 0 {
				group = w.Groups[rng.IntN(len(w.Groups))].ID
			}
			if len(w.Buses) < 2 {
				break
			}
			c := []weave.Change{
				{AddBus: &weave.AddBus{Bus: weave.Bus{Name: fmt.Sprint("b", rng.IntN(30)), Role: []weave.Role{weave.Stem, weave.Mix}[rng.IntN(2)], Layout: l}}},
				{AddBus: &weave.AddBus{Bus: weave.Bus{Name: fmt.Sprint("p", rng.IntN(30)), Role: weave.Part, Of: bus()}}},
				{SetBus: &weave.SetBus{ID: bus(), Layout: &l}},
				{RemoveBus: &weave.RemoveBus{ID: bus()}},
				{MoveBus: &weave.MoveBus{ID: bus(), Index: rng.IntN(9)}},
				{SetMembers: &weave.SetMembers{ID: bus(), Members: []weave.Member{{Bus: bus()}, {Bus: bus(), GainDB: -1}}}},
				{InsertOutputs: &weave.InsertOutputs{At: at, Bus: bus()}},
				{InsertOutputs: &weave.InsertOutputs{At: at, Silence: 1 + rng.IntN(3)}},
				{RemoveOutputs: &weave.RemoveOutputs{At: at, Count: 1 + rng.IntN(4)}},
				{MoveOutputs: &weave.MoveOutputs{At: at, Count: 1 + rng.IntN(3), To: rng.IntN(len(w.Outputs) + 1)}},
				{GroupOutputs: &weave.GroupOutputs{At: at, Layout: l}},
				{Ungroup: &weave.Ungroup{Group: group}},
				{OrderGroup: &weave.OrderGroup{Group: group, Order: "film"}},
				{NameOutputs: &weave.NameOutputs{Rule: "{bus} {channel}"}},
				{SetWay: &weave.SetWay{Tracks: []string{"boom", "lav"}, Way: "split"}},
			}[rng.IntN(15)]
			now, _, err := w.Changed(c, all, ids)
			if err != nil {
				continue
			}
			done++
			require.NoError(t, now.Check(known))
			w = now
		}
		assert.Greater(t, done, 2)
	}
}
