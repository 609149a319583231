package readings_test

import (
	"context"
	"fmt"
	"math"
	"math/rand/v2"
	"path/filepath"
	"testing"
	"time"

	lru "github.com/hashicorp/golang-lru/v2"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/audio"
	"zestyloom/core/automation"
	"zestyloom/core/delivery"
	"zestyloom/core/loudness"
	"zestyloom/core/mix"
	"zestyloom/core/readings"
	"zestyloom/core/reel"
	"zestyloom/core/snag"
	"zestyloom/core/weave"
	"zestyloom/internal/testmedia"
)

const (
	rate   = 48000
	start  = 36000 * rate // ten o'clock
	length = 11*rate + 777
)

// fixture is a reel of four mono tracks: speech with pauses, music, a burst in the middle, and a rumble for the LFE. They go to
// stems in 5.1, of which there are a full mix and one without speech.
type fixture struct {
	reel    reel.Reel
	sources mix.Sources
	kept    *lru.Cache[string, loudness.Chunk]
}

func newFixture(t *testing.T) *fixture {
	t.Helper()
	rnd := rand.New(rand.NewPCG(14, 14))
	sound := make([][]float64, 4)
	for c := range sound {
		sound[c] = make([]float64, length)
	}
	for i := range length {
		at := float64(i) / rate
		if i/rate%4 < 2 { // speech, two seconds of four
			sound[0][i] = 0.1 * rnd.NormFloat64()
		}
		sound[1][i] = 0.06 * math.Sin(2*math.Pi*440*at) * (1 + 0.5*math.Sin(at))
		if i > 5*rate && i < 5*rate+4800 {
			sound[2][i] = 0.9 * math.Sin(2*math.Pi*12000*at+0.7)
		}
		sound[3][i] = 0.1 * math.Sin(2*math.Pi*50*at)
	}
	path := filepath.Join(t.TempDir(), "x.wav")
	testmedia.Write(t, path, audio.F32, rate, sound...)
	f := &fixture{reel: reel.New()}
	f.sources = func(s string) (mix.Source, error) {
		var c int
		_, err := fmt.Sscan(s, &c)
		return mix.Source{Path: path, Channel: c}, err
	}
	w := weave.Weave{Sends: map[string][]weave.Send{}, Buses: []weave.Bus{
		{ID: "DX", Name: "DX", Role: weave.Stem, Kind: "DX", Layout: "5.1"}, {ID: "MX", Name: "MX", Role: weave.Stem, Kind: "MX", Layout: "5.1"},
		{ID: "FX", Name: "FX", Role: weave.Stem, Kind: "FX", Layout: "5.1"}, {ID: "FM", Name: "Full mix", Role: weave.Mix, Layout: "5.1"},
		{ID: "ME", Name: "M&E", Role: weave.Mix, Layout: "5.1"}, {ID: "AM", Name: "Room", Role: weave.Stem, Kind: "AM", Layout: "ambisonic 1 SN3D"},
	}}
	w.Sends["DX"] = []weave.Send{{To: "FM"}}
	w.Sends["MX"] = []weave.Send{{To: "FM"}, {To: "ME"}}
	w.Sends["FX"] = []weave.Send{{To: "FM"}, {To: "ME"}}
	for c, to := range []string{"DX", "MX", "FX", "FX"} {
		id := fmt.Sprint(c)
		f.reel.Tracks = append(f.reel.Tracks, reel.Track{ID: "t" + id, Label: id, Layout: "mono", Clips: []reel.Clip{{ID: "c" + id, Strands: []string{id}, Name: "x", At: start, Length: length}}})
		m := audio.Matrix{{0}, {0}, {0}, {0}, {0}, {0}}
		m[[]int{2, 0, 1, 3}[c]][0] = 1
		w.Sends["t"+id] = []weave.Send{{To: to, Patch: weave.Patch{Preset: weave.Custom, Matrix: m}}}
	}
	for n, bus := range []string{"DX", "FM"} {
		for _, c := range []int{0, 2, 1, 4, 5, 3} { // film order; the second is trimmed
			w.Outputs = append(w.Outputs, weave.Output{Name: fmt.Sprint(bus, c), Bus: bus, Channel: c, Group: fmt.Sprint("g", n), TrimDB: float64(n * -6)})
		}
		w.Groups = append(w.Groups, weave.Group{ID: fmt.Sprint("g", n), Layout: "5.1"})
	}
	f.reel.Weave = w
	require.NoError(t, f.reel.Check())
	var err error
	f.kept, err = lru.New[string, loudness.Chunk](1000)
	require.NoError(t, err)
	return f
}

func (f *fixture) measured(t *testing.T) readings.Measurement {
	t.Helper()
	m, err := readings.Measure(context.Background(), f.reel, rate, f.sources, f.kept, time.Time{})
	require.NoError(t, err)
	require.True(t, m.Complete())
	return m
}

func bus(t *testing.T, m readings.Measurement, id string) readings.Measured {
	t.Helper()
	v, ok := m.Bus(id)
	require.True(t, ok, id)
	return v
}

// heard renders a bus and measures it in one go.
func (f *fixture) heard(t *testing.T, ids ...string) ([]audio.Block, []loudness.Result) {
	t.Helper()
	p, err := mix.Compile(f.reel, rate, f.sources)
	require.NoError(t, err)
	var signals []mix.Signal
	for _, id := range ids {
		signals = append(signals, mix.Of(id))
	}
	pl, err := p.Play(signals...)
	require.NoError(t, err)
	defer pl.Close()
	out := make([]audio.Block, len(ids))
	var taps []mix.Tap
	for i := range ids {
		out[i] = make(audio.Block, 6)
		taps = append(taps, func(b audio.Block, _ int64) error {
			for c := range b {
				out[i][c] = append(out[i][c], b[c]...)
			}
			return nil
		})
	}
	require.NoError(t, pl.Run(context.Background(), start, start+length, taps...))
	var results []loudness.Result
	l, err := audio.ParseLayout("5.1")
	require.NoError(t, err)
	for _, b := range out {
		m, err := loudness.NewMeter(l, rate, loudness.Options{})
		require.NoError(t, err)
		m.Add(b)
		results = append(results, m.Result())
	}
	return out, results
}

// A reel in chunks reads as it does in one go; groups of outputs read as what they carry.
func TestAReelIsMeasured(t *testing.T) {
	t.Parallel()
	f := newFixture(t)
	m := f.measured(t)
	assert.EqualValues(t, start, m.Start)
	ids := []string{"DX", "FM", "ME"}
	_, whole := f.heard(t, ids...)
	for i, id := range ids {
		v := bus(t, m, id)
		assert.InDelta(t, whole[i].Integrated, v.Result.Integrated, 1e-6, id)
		assert.InDelta(t, whole[i].TruePeak.Value, v.Result.TruePeak.Value, 1e-6, id)
		assert.Equal(t, whole[i].TruePeak.At, v.Result.TruePeak.At, id)
		assert.InDelta(t, whole[i].Range, v.Result.Range, 1e-6, id)
		assert.Nil(t, v.Before)
	}
	assert.Contains(t, m.Of[5].How, "decoded to 7.1.4")
	groups := m.Of[6:]
	require.Len(t, groups, 2)
	assert.Equal(t, "Outputs 1–6", groups[0].Name)
	assert.Equal(t, "DX", groups[0].As)
	assert.Equal(t, bus(t, m, "DX").Result.Integrated, groups[0].Result.Integrated)
	assert.Equal(t, "C", groups[0].Result.Channels[1].Name, "in the order of the outputs")
	assert.InDelta(t, bus(t, m, "DX").Result.Channels[2].TruePeak, groups[0].Result.Channels[1].TruePeak, 1e-12)
	assert.Empty(t, groups[1].As, "an output is trimmed")
	assert.InDelta(t, whole[1].Integrated-6, groups[1].Result.Integrated, 1e-6)
	assert.InDelta(t, bus(t, m, "FM").Result.Channels[0].TruePeak-6, groups[1].Result.Channels[0].TruePeak, 1e-6)

	// Speech: two of four seconds, and the mix lies above it by what else sounds there.
	d := bus(t, m, "FM").Dialogue
	require.NotNil(t, d)
	assert.InDelta(t, 6.0/11, d.Share, 0.15)
	assert.InDelta(t, bus(t, m, "DX").Result.Integrated, d.Speech, 0.01)
	assert.Greater(t, d.Over, 0.0)
	assert.Less(t, d.Over, 3.0)
	assert.Nil(t, bus(t, m, "ME").Dialogue, "nobody speaks in it")
}

// As far as it comes, and again until all is known; after an edit but what it touches.
func TestOnlyWhatIsNew(t *testing.T) {
	t.Parallel()
	f := newFixture(t)
	rounds := 0
	for {
		m, err := readings.Measure(context.Background(), f.reel, rate, f.sources, f.kept, time.Unix(1, 0))
		require.NoError(t, err)
		if rounds == 0 {
			assert.Zero(t, m.Done)
			assert.Equal(t, 7*2, m.Total, "six buses and a group, in chunks of ten seconds")
		}
		if rounds++; m.Complete() || rounds > 1 {
			break
		}
	}
	f.measured(t)
	known := f.kept.Len()
	assert.Equal(t, 14, known)
	f.reel.Tracks[0].Clips[0].Gain = automation.Curve{{At: 10.5 * rate, Value: 0}, {At: 11 * rate, Value: -6}}
	f.measured(t)
	// DX, the full mix and the group of it, from the chunk that the points are in: one of each.
	assert.Equal(t, known+3, f.kept.Len())
}

// A mix in 5.1 that is corrected with its stems is what was asked for, is still their sum, and is as it was without; what was
// foreseen is what is measured.
func TestACorrectionIsCarriedToStems(t *testing.T) {
	t.Parallel()
	f := newFixture(t)
	before := bus(t, f.measured(t), "FM")
	integrated, short, peak := -16.0, -14.5, -6.0
	for _, o := range []readings.Order{
		{Bus: "FM", Stems: true, Target: loudness.Target{Integrated: &integrated, ShortTerm: &short, TruePeak: &peak}},
		{Bus: "FM", Stems: true, FreeLFE: true, Target: loudness.Target{Integrated: &integrated, TruePeak: &peak}},
		{Bus: "FM", Target: loudness.Target{TruePeak: &peak}},
	} {
		f.reel.Weave.Corrections = nil
		p, err := readings.Correct(context.Background(), f.reel, rate, f.sources, f.kept, o)
		require.NoError(t, err)
		assert.NotEmpty(t, p.Peaks)
		assert.Equal(t, before.Result.Integrated, p.Before.Integrated)
		c := p.Correction
		c.ID = "c"
		f.reel.Weave.Corrections = []weave.Correction{c}
		require.NoError(t, f.reel.Check())
		m := f.measured(t)
		now := bus(t, m, "FM")
		if o.Target.Integrated != nil {
			assert.InDelta(t, integrated, now.Result.Integrated, 0.1)
		}
		if o.Target.ShortTerm != nil {
			assert.LessOrEqual(t, now.Result.MaxShortTerm.Value, short)
		}
		assert.InDelta(t, p.Foreseen.Integrated, now.Result.Integrated, 0.1)
		for _, ch := range now.Result.Channels {
			if ch.Name != "LFE" || !o.FreeLFE {
				assert.LessOrEqual(t, ch.TruePeak, peak+0.05, ch.Name)
			}
		}
		require.NotNil(t, now.Before)
		assert.InDelta(t, before.Result.Integrated, now.Before.Result.Integrated, 1e-9)
		require.NotNil(t, now.Correction)
		assert.False(t, now.Correction.Stale)
		if !o.Stems {
			continue
		}
		assert.Equal(t, []string{"DX", "FX", "MX"}, p.Buses)
		assert.Equal(t, []string{"M&E"}, now.Correction.Also)
		assert.NotNil(t, bus(t, m, "ME").Before, "it changes with them")
		blocks, _ := f.heard(t, "FM", "DX", "MX", "FX")
		for c := range blocks[0] {
			worst, steps := 0.0, 0.0
			written := func(v float64) float64 { return math.RoundToEven(v * (1 << 23)) }
			for i, v := range blocks[0][c] {
				worst = max(worst, math.Abs(v-blocks[1][c][i]-blocks[2][c][i]-blocks[3][c][i]))
				steps = max(steps, math.Abs(written(v)-written(blocks[1][c][i])-written(blocks[2][c][i])-written(blocks[3][c][i])))
			}
			assert.Less(t, worst, 1e-12, "channel %d", c)
			assert.LessOrEqual(t, steps, 1.0, "as they are written in 24 bits, channel %d", c)
		}
	}
}

// A correction says when the sound has changed, is worked out anew from the sound without it, and is of something that sounds.
func TestCorrectionsGrowStale(t *testing.T) {
	t.Parallel()
	f := newFixture(t)
	target := -20.0
	o := readings.Order{Bus: "FM", Stems: true, Target: loudness.Target{Integrated: &target}}
	p, err := readings.Correct(context.Background(), f.reel, rate, f.sources, f.kept, o)
	require.NoError(t, err)
	p.Correction.ID = "c"
	f.reel.Weave.Corrections = []weave.Correction{p.Correction}
	f.reel.Weave.Levels = map[string]weave.Level{"DX": {GainDB: -3}}
	assert.True(t, bus(t, f.measured(t), "FM").Correction.Stale)
	again, err := readings.Correct(context.Background(), f.reel, rate, f.sources, f.kept, o)
	require.NoError(t, err)
	assert.Equal(t, "c", again.Correction.ID)
	assert.Greater(t, again.GainDB, p.GainDB)
	f.reel.Weave.Corrections = []weave.Correction{again.Correction}
	now := bus(t, f.measured(t), "FM")
	assert.False(t, now.Correction.Stale)
	assert.InDelta(t, target, now.Result.Integrated, 0.05)

	for id, code := range map[string]string{"AM": "nothing_to_measure", "nobody": "no_such_stem"} {
		o.Bus = id
		_, err := readings.Correct(context.Background(), f.reel, rate, f.sources, f.kept, o)
		assert.Equal(t, code, snag.Of(err).Code)
	}
	ctx, cancel := context.WithCancel(context.Background())
	cancel()
	f.reel.Weave.Levels["MX"] = weave.Level{GainDB: 1}
	_, err = readings.Measure(ctx, f.reel, rate, f.sources, f.kept, time.Time{})
	assert.ErrorIs(t, err, context.Canceled)
}

// What is asked of what: mixes where there are some; what a spec names.
func TestWhatIsAsked(t *testing.T) {
	t.Parallel()
	f := newFixture(t)
	m := f.measured(t)
	named := func(a readings.Asking) (names []string) {
		for _, v := range m.Of {
			if l, ok := a.Of(m, v); ok {
				names = append(names, v.Name+" "+l.Name)
			}
		}
		return names
	}
	l := loudness.Known()["r128"]
	assert.Equal(t, []string{"Full mix EBU R 128", "M&E EBU R 128"}, named(readings.Everywhere(l)))
	spec := delivery.Spec{Name: "s", Limits: []delivery.Asked{{Of: "mixes", Limits: l}, {Of: "DX", Limits: loudness.Limits{Name: "speech"}}}}
	assert.Equal(t, []string{"DX speech", "Full mix EBU R 128", "M&E EBU R 128"}, named(readings.BySpec(spec)))
	for i := range m.Of {
		if m.Of[i].Role == weave.Mix {
			m.Of[i].Result.Integrated = math.Inf(-1)
		}
	}
	assert.Equal(t, []string{"DX EBU R 128", "MX EBU R 128", "FX EBU R 128", "Room EBU R 128"}, named(readings.Everywhere(l)))
}
