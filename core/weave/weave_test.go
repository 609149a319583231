package weave_test

import (
	"fmt"
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/audio"
	"zestyloom/core/automation"
	"zestyloom/core/snag"
	"zestyloom/core/weave"
)

func layout(t *testing.T, name string) audio.Layout {
	t.Helper()
	l, err := audio.ParseLayout(name)
	require.NoError(t, err)
	return l
}

func TestDefault(t *testing.T) {
	w := weave.Default()
	require.NoError(t, w.Check(nil))
	var names []string
	for _, o := range w.Outputs {
		names = append(names, o.Name)
	}
	assert.Equal(t, []string{"DX L", "DX R", "MX L", "MX R", "FX L", "FX R"}, names)
	_, ok := w.StemNamed("VO")
	assert.True(t, ok, "voice-over is there, and on no output")
}

// One channel goes to the speakers that a position names, in any layout that has them, and into none that has not.
func TestPositions(t *testing.T) {
	half := math.Sqrt2 / 2
	want := map[weave.Preset]map[audio.Speaker]float64{
		weave.Both: {"L": 1, "R": 1}, weave.BothMinus: {"L": half, "R": half}, weave.Left: {"L": 1}, weave.Right: {"R": 1}, weave.Centre: {"C": 1},
	}
	mono := layout(t, "mono")
	all := append(audio.Beds(), layout(t, "ambisonic 1 SN3D"), layout(t, "discrete 4"), layout(t, "custom R L Top@0/90"))
	for _, to := range all {
		for preset, factors := range want {
			m, err := weave.Patch{Preset: preset}.Between(mono, to)
			if to.Name == "mono" {
				require.NoError(t, err)
				assert.Equal(t, audio.Unity(1), m)
				continue
			}
			has := true
			for s := range factors {
				has = has && to.Index(s) >= 0
			}
			if require.Equal(t, has, err == nil, "%s into %s: %v", preset, to.Name, err); !has {
				assert.Equal(t, "bad_patch", snag.Of(err).Code)
				continue
			}
			require.NoError(t, m.Check(to.Count, 1))
			for i, s := range to.Speakers {
				assert.Equal(t, factors[s], m[i][0], "%s into %s: %s", preset, to.Name, s)
			}
		}
	}
	assert.Equal(t, 1.0, weave.Factor(0), "unity is exactly 1")
	assert.Zero(t, weave.Factor(weave.MinGain))
	assert.InDelta(t, 0.1, weave.Factor(-20), 1e-15)
}

// The laws against their formulas, from left to right: mirrored, exact at the ends and in the middle.
func TestPanLaws(t *testing.T) {
	centre := map[float64]float64{0: 1, -3: math.Sqrt2 / 2, -4.5: math.Pow(10, -4.5154499/20), -6: 0.5}
	for _, db := range weave.Laws {
		p := weave.Patch{Preset: weave.Pan, Law: db}
		l, r := p.Sides(-1)
		assert.Equal(t, []float64{1, 0}, []float64{l, r})
		l, r = p.Sides(0)
		assert.InDelta(t, centre[db], l, 1e-8, "%g dB", db)
		assert.Equal(t, l, r)
		for n := -100; n <= 100; n++ {
			at := float64(n) / 100
			l, r := p.Sides(at)
			mr, ml := p.Sides(-at)
			assert.Equal(t, []float64{l, r}, []float64{ml, mr}, "mirrored")
			a := (at + 1) * math.Pi / 4
			cos, lin := math.Cos(a), (1-at)/2
			assert.InDelta(t, map[float64]float64{0: min(1, 1-at), -3: cos, -4.5: math.Sqrt(cos * lin), -6: lin}[db], l, 1e-8, "%g dB at %g", db, at)
			if db == -3 {
				assert.InDelta(t, 1, l*l+r*r, 1e-12)
			}
		}
	}
}

func TestPatchesOfMoreChannels(t *testing.T) {
	film := layout(t, "custom L C R Ls Rs LFE")
	m, err := weave.Patch{}.Between(film, layout(t, "5.1"))
	require.NoError(t, err, "the same speakers in another order enter by name")
	for i, s := range layout(t, "5.1").Speakers {
		assert.Equal(t, 1.0, m[i][film.Index(s)], "%s", s)
	}
	stereo := layout(t, "stereo")
	m, err = weave.Patch{Preset: weave.Exchanged}.Between(stereo, layout(t, "LCR"))
	require.NoError(t, err)
	assert.Equal(t, audio.Matrix{{0, 1}, {0, 0}, {1, 0}}, m)
	m, err = weave.Patch{Preset: weave.MidSide}.Between(layout(t, "mid-side"), stereo)
	require.NoError(t, err)
	assert.Equal(t, audio.Matrix{{1, 1}, {1, -1}}, m)
	m, err = weave.Patch{Preset: weave.Custom, Matrix: audio.Matrix{{0.5, 0.5}}}.Between(stereo, layout(t, "mono"))
	require.NoError(t, err)
	assert.Equal(t, audio.Matrix{{0.5, 0.5}}, m)
	for i, c := range []struct {
		p        weave.Patch
		from, to string
	}{
		{weave.Patch{}, "mono", "stereo"}, {weave.Patch{}, "5.1", "stereo"}, {weave.Patch{}, "ambisonic 1 FuMa", "ambisonic 1 SN3D"}, {weave.Patch{}, "stereo", "stereo total"},
		{weave.Patch{Preset: weave.Both}, "stereo", "5.1"}, {weave.Patch{Preset: weave.MidSide}, "LCR", "stereo"}, {weave.Patch{Preset: weave.Exchanged}, "stereo", "quad 2"},
		{weave.Patch{Preset: weave.Custom}, "mono", "stereo"}, {weave.Patch{Preset: weave.Custom, Matrix: audio.Matrix{{1}, {math.NaN()}}}, "mono", "stereo"},
		{weave.Patch{Preset: weave.Pan, Law: -1}, "mono", "stereo"}, {weave.Patch{Preset: weave.Pan, Position: 1.1}, "mono", "stereo"},
		{weave.Patch{Preset: weave.Pan, Moving: automation.Curve{{Value: -2}}}, "mono", "stereo"},
	} {
		from, _ := audio.ParseLayout(c.from)
		to, _ := audio.ParseLayout(c.to)
		_, err := c.p.Between(from, to)
		assert.Error(t, err, "%d", i)
	}
}

// many is a weave with parts, stems and mixes that feed each other.
func many(rnd *rand.Rand) (weave.Weave, []weave.Track) {
	w := weave.Weave{Sends: map[string][]weave.Send{}}
	add := func(role weave.Role, n int) {
		for i := range n {
			b := weave.Bus{ID: fmt.Sprint(role, i), Name: fmt.Sprint(role, i), Role: role, Layout: []string{"mono", "stereo", "5.1", "discrete 3"}[rnd.IntN(4)]}
			if role == weave.Part {
				b.Of = "stem0"
			}
			w.Buses = append(w.Buses, b)
		}
	}
	add(weave.Mix, 3) // in the list before what they are made of
	add(weave.Stem, 4)
	add(weave.Part, 3)
	patch := func(from, to audio.Layout) weave.Patch {
		m := make(audio.Matrix, to.Count)
		for i := range m {
			m[i] = make([]float64, from.Count)
			for j := range m[i] {
				m[i][j] = float64(rnd.IntN(3) - 1)
			}
		}
		return weave.Patch{Preset: weave.Custom, Matrix: m}
	}
	into := func(id string, from audio.Layout, buses []weave.Bus) {
		for _, b := range buses {
			if rnd.IntN(2) == 0 {
				w.Sends[id] = append(w.Sends[id], weave.Send{To: b.ID, GainDB: float64(rnd.IntN(2)) * weave.MinGain, Patch: patch(from, b.Channels())})
			}
		}
	}
	for i := 1; i < len(w.Buses); i++ { // each into some before it
		into(w.Buses[i].ID, w.Buses[i].Channels(), w.Buses[:i])
	}
	var tracks []weave.Track
	for i := range 5 {
		l := w.Buses[rnd.IntN(len(w.Buses))].Channels()
		tracks = append(tracks, weave.Track{ID: fmt.Sprint("track", i), Layout: l})
		into(tracks[i].ID, l, w.Buses)
	}
	for i := range 12 {
		b := w.Buses[rnd.IntN(len(w.Buses))]
		w.Outputs = append(w.Outputs, weave.Output{Name: fmt.Sprint(i), Bus: b.ID, Channel: rnd.IntN(b.Channels().Count)})
	}
	w.Outputs[3].Bus = ""
	return w, tracks
}

// The product is what going along every way by hand gives.
func TestProductIsTheSumOverAllWays(t *testing.T) {
	rnd := rand.New(rand.NewPCG(6, 6))
	for range 100 {
		w, tracks := many(rnd)
		layouts := map[string]audio.Layout{}
		for _, tr := range tracks {
			layouts[tr.ID] = tr.Layout
		}
		require.NoError(t, w.Check(layouts))
		order, err := w.Order()
		require.NoError(t, err)
		place := map[string]int{}
		for n, i := range order {
			place[w.Buses[i].ID] = n
		}
		for id, sends := range w.Sends {
			for _, s := range sends {
				if from, bus := place[id]; bus {
					assert.Less(t, from, place[s.To])
				}
			}
		}
		var ways func(from string, channel int, to string, at int) float64
		ways = func(from string, channel int, to string, at int) (sum float64) {
			for _, s := range w.Sends[from] {
				b, _ := w.Bus(s.To)
				for c := range b.Channels().Count {
					f := s.Patch.Matrix[c][channel] * weave.Factor(s.GainDB)
					if f == 0 {
						continue
					}
					if s.To == to && c == at {
						sum += f
					}
					sum += f * ways(s.To, c, to, at)
				}
			}
			return sum
		}
		got, err := w.Product(tracks)
		require.NoError(t, err)
		for o, out := range w.Outputs {
			for k, tr := range tracks {
				for c := range tr.Layout.Count {
					want := 0.0
					if out.Bus != "" {
						want = ways(tr.ID, c, out.Bus, out.Channel)
					}
					require.InDelta(t, want, got[o][k][c], 1e-9, "output %d track %d channel %d", o, k, c)
				}
			}
		}
	}
}

func TestResizeKeepsWhatStays(t *testing.T) {
	w := weave.Default()
	w.Outputs[1].Name = "My own"
	for _, n := range []int{8, 2, 6, 64, 128, 1, 3} {
		outs, groups, err := w.Resize(n)
		require.NoError(t, err)
		require.Len(t, outs, n)
		require.NoError(t, w.CheckOutputs(outs, groups))
		for i := range min(n, 6) {
			assert.Equal(t, w.Outputs[i].Name, outs[i].Name)
			assert.Equal(t, w.Outputs[i].Bus, outs[i].Bus)
		}
		assert.Len(t, groups, min(n, 6)/2, "a pair that lost a side is one no more")
	}
	outs, _, err := w.Resize(9)
	require.NoError(t, err)
	assert.Equal(t, "VO", outs[6].Bus, "new outputs take what none carries")
	assert.Empty(t, outs[8].Bus, "and then silence")
	for _, n := range []int{0, -1, 129} {
		_, _, err := w.Resize(n)
		assert.Error(t, err)
	}
}

func TestRefusals(t *testing.T) {
	w := weave.Default()
	mono := layout(t, "mono")
	one := func(change func(*weave.Send)) error {
		s := weave.Send{To: "DX", Patch: weave.Patch{Preset: weave.Both}}
		change(&s)
		return w.CheckSends(mono, []weave.Send{s})
	}
	changed := func(change func(*weave.Weave)) error {
		c := w.Clone()
		change(&c)
		return c.Check(nil)
	}
	require.NoError(t, one(func(*weave.Send) {}))
	for i, c := range []struct {
		code string
		err  error
	}{
		{"no_such_stem", one(func(s *weave.Send) { s.To = "nope" })},
		{"bad_gain", one(func(s *weave.Send) { s.GainDB = math.NaN() })},
		{"bad_gain", one(func(s *weave.Send) { s.Gain = automation.Curve{{Value: 30}} })},
		{"bad_position", one(func(s *weave.Send) { s.Patch.Preset = "above" })},
		{"bad_patch", one(func(s *weave.Send) { s.Patch.Preset = weave.Plain })},
		{"bad_output", changed(func(w *weave.Weave) { w.Outputs[0].Name = w.Outputs[1].Name })},
		{"bad_output", changed(func(w *weave.Weave) { w.Outputs[0].Name = "" })},
		{"bad_output", changed(func(w *weave.Weave) { w.Outputs[0].Channel = 2 })},
		{"bad_group", changed(func(w *weave.Weave) { w.Outputs[0].Group = "" })},
		{"bad_group", changed(func(w *weave.Weave) { w.Outputs[0].Group = "none" })},
		{"bad_group", changed(func(w *weave.Weave) { w.Outputs[1], w.Outputs[2] = w.Outputs[2], w.Outputs[1] })},
		{"bad_group", changed(func(w *weave.Weave) { w.Groups[0].Layout = "4.7" })},
		{"bad_group", changed(func(w *weave.Weave) { w.Groups[0].Layout = "5.1" })},
		{"too_many_outputs", changed(func(w *weave.Weave) { w.Outputs = make([]weave.Output, 129) })},
		{"too_many_buses", changed(func(w *weave.Weave) { w.Buses = make([]weave.Bus, 257) })},
		{"bad_stem", changed(func(w *weave.Weave) { w.Buses[0].Layout = "6.1" })},
		{"bad_stem", changed(func(w *weave.Weave) { w.Buses[0].ID = "MX" })},
		{"bad_stem", changed(func(w *weave.Weave) { w.Buses[0].Name = "" })},
		{"bad_stem", changed(func(w *weave.Weave) { w.Buses[0].Role = "lead" })},
		{"bad_stem", changed(func(w *weave.Weave) { w.Buses[0].Role, w.Buses[0].Of = weave.Part, "none" })},
		{"no_such_track", changed(func(w *weave.Weave) { w.Sends["x"] = []weave.Send{{To: "DX"}} })},
		{"sent_twice", changed(func(w *weave.Weave) { w.Sends["DX"] = []weave.Send{{To: "MX"}, {To: "MX"}} })},
		{"circle", changed(func(w *weave.Weave) {
			w.Sends["DX"], w.Sends["MX"], w.Sends["FX"] = []weave.Send{{To: "MX"}}, []weave.Send{{To: "FX"}}, []weave.Send{{To: "DX"}}
		})},
	} {
		if assert.Error(t, c.err, "%d: %s", i, c.code) {
			assert.Equal(t, c.code, snag.Of(c.err).Code, "%d: %v", i, c.err)
		}
	}
}
