package delivery_test

import (
	"context"
	"encoding/binary"
	"fmt"
	"math"
	"math/rand/v2"
	"os"
	"path/filepath"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/audio"
	"zestyloom/core/delivery"
	"zestyloom/core/mix"
	"zestyloom/core/readiness"
	"zestyloom/core/reel"
	"zestyloom/core/snag"
	"zestyloom/core/source"
	"zestyloom/core/timecode"
	"zestyloom/core/wave"
	"zestyloom/core/waveform"
	"zestyloom/core/weave"
)

const start = 3830400000

// fixture is a reel of three poly files of 24-bit noise, and the samples they were made from.
type fixture struct {
	reel    reel.Reel
	sound   map[string][]int32 // by strand
	resolve mix.Sources
	dir     string
}

func newFixture(t testing.TB, level float64) fixture {
	t.Helper()
	f := fixture{sound: map[string][]int32{}, dir: t.TempDir(), reel: reel.New()}
	places := map[string]mix.Source{}
	rnd := rand.New(rand.NewPCG(8, 8))
	for n, c := range []struct{ at, length int64 }{{start + 100, 30000}, {start + 20000, 25000}, {start + 60001, 17}} {
		path := filepath.Join(f.dir, fmt.Sprintf("take%d.wav", n))
		file, err := os.Create(path)
		require.NoError(t, err)
		w, err := wave.NewWriter(file, wave.Options{Format: wave.Format{Coding: audio.S24, SampleRate: 48000, Channels: 3}})
		require.NoError(t, err)
		raw := make([]byte, 0, c.length*9)
		for range c.length {
			for ch := range 3 {
				v := int32((rnd.Float64()*2 - 1) * level * (1<<23 - 1))
				id := fmt.Sprint(n, "/", ch)
				f.sound[id] = append(f.sound[id], v)
				raw = append(raw, byte(v), byte(v>>8), byte(v>>16))
				places[id] = mix.Source{Path: path, Channel: ch}
			}
		}
		_, err = w.Write(raw)
		require.NoError(t, err)
		require.NoError(t, w.Close())
		require.NoError(t, file.Close())
		for ch := range 3 {
			id := fmt.Sprint(n, "/", ch)
			f.reel.Tracks = append(f.reel.Tracks, reel.Track{ID: id, Label: id, Layout: "mono", Clips: []reel.Clip{{ID: "c" + id, Strands: []string{id}, Name: "t", At: c.at, In: 0, Length: c.length}}})
		}
	}
	first := int64(start)
	f.reel.Start = &first
	f.resolve = func(s string) (mix.Source, error) { return places[s], nil }
	return f
}

func (f *fixture) route(id, stem string, gain float64, p weave.Preset) {
	f.reel.Weave.Sends[id] = []weave.Send{{To: stem, GainDB: gain, Patch: weave.Patch{Preset: p}}}
}

func (f *fixture) plan(t *testing.T, p string) delivery.Plan {
	t.Helper()
	plan, err := delivery.Make(delivery.Order{
		Spec: delivery.ThreeStereoStems(), Packing: p, Titles: delivery.Titles{Production: "Lantern Ferry", Episode: "Ep 2", Reel: "Reel 1"}, Date: "2026-03-14", Time: "10:00:00",
	}, f.reel, timecode.Rate{Num: 25, Den: 1}, 48000)
	require.NoError(t, err)
	return plan
}

func read(t *testing.T, path string) (*source.Source, [][]int32) {
	t.Helper()
	s, err := source.Open(path)
	require.NoError(t, err)
	t.Cleanup(func() { s.Close() })
	raw := make([]byte, s.Frames*int64(s.Format.FrameBytes()))
	n, err := s.ReadFrames(raw, 0)
	require.NoError(t, err)
	require.EqualValues(t, s.Frames, n)
	out := make([][]int32, s.Format.Channels)
	for i := 0; i < len(raw); i += 3 {
		c := i / 3 % len(out)
		out[c] = append(out[c], int32(binary.LittleEndian.Uint32([]byte{0, raw[i], raw[i+1], raw[i+2]}))>>8)
	}
	return s, out
}

// Mixing at unity is exact: every sample of every output is the integer sum of the samples that
// were laid there, computed apart from the renderer.
func TestUnityMixIsExact(t *testing.T) {
	f := newFixture(t, 0.24)
	f.route("0/0", "DX", 0, weave.Both)
	f.route("0/1", "DX", 0, weave.Left)
	f.route("0/2", "MX", 0, weave.Right)
	f.route("1/0", "DX", 0, weave.Both)
	f.route("1/1", "FX", 0, weave.Both)
	f.route("2/0", "FX", 0, weave.Left)
	f.route("2/1", "VO", 0, weave.Both) // on no output
	f.route("1/2", "FX", 0, weave.Both)
	f.reel.Tracks[5].Off = true // 1/2
	plan := f.plan(t, "poly")
	want := make([][]int32, 6)
	for o := range want {
		want[o] = make([]int32, plan.Frames)
	}
	for _, c := range []struct {
		strand string
		at     int64
		outs   []int
	}{{"0/0", 100, []int{0, 1}}, {"0/1", 100, []int{0}}, {"0/2", 100, []int{3}}, {"1/0", 20000, []int{0, 1}}, {"1/1", 20000, []int{4, 5}}, {"2/0", 60001, []int{4}}} {
		for i, v := range f.sound[c.strand] {
			for _, o := range c.outs {
				want[o][c.at+int64(i)] += v
			}
		}
	}
	require.EqualValues(t, 60018, plan.Frames)
	dir := t.TempDir()
	written, err := delivery.Write(context.Background(), plan, dir, delivery.Options{Sources: f.resolve})
	require.NoError(t, err)
	assert.Equal(t, make([]int64, 6), written.Clipped)
	s, got := read(t, filepath.Join(dir, "Lantern Ferry_Ep 2_Reel 1_STEMS.wav"))
	for o := range want {
		assert.Equal(t, want[o], got[o], "output %d", o+1)
	}
	facts := s.Gather("x.wav")
	assert.EqualValues(t, start, facts.Start)
	assert.Equal(t, "MX R", facts.Tracks[3].Label)
	assert.Zero(t, s.Format.Mask, "stems have no speakers")

	proof, err := delivery.Prove(context.Background(), plan, dir, delivery.Options{Sources: f.resolve})
	require.NoError(t, err)
	assert.True(t, proof.Passed, "%+v", proof)
	assert.Nil(t, proof.Files[0].Channels[2].PeakDBFS, "MX L is silence")

	mono := f.plan(t, "mono")
	_, err = delivery.Write(context.Background(), mono, dir, delivery.Options{Sources: f.resolve})
	require.NoError(t, err)
	_, six := read(t, filepath.Join(dir, "Lantern Ferry_Ep 2_Reel 1_STEMS_05_FX L.wav"))
	assert.Equal(t, want[4], six[0])
	proof, err = delivery.Prove(context.Background(), mono, dir, delivery.Options{Sources: f.resolve})
	require.NoError(t, err)
	assert.True(t, proof.Passed)
	assert.Len(t, proof.Files, 6)
}

// With gains, each sample is the rounded sum of products: within half a step of an independent
// computation in float64.
func TestGainsAndPositions(t *testing.T) {
	f := newFixture(t, 0.3)
	f.route("0/0", "DX", -4.5, weave.BothMinus)
	f.route("1/0", "DX", 3, weave.Left)
	plan := f.plan(t, "poly")
	dir := t.TempDir()
	_, err := delivery.Write(context.Background(), plan, dir, delivery.Options{Sources: f.resolve})
	require.NoError(t, err)
	_, got := read(t, filepath.Join(dir, plan.Files[0].Name))
	g1, g2 := math.Pow(10, -4.5/20)/math.Sqrt(2), math.Pow(10, 3.0/20)
	for i := range got[0] {
		l, r := 0.0, 0.0
		if k := i - 100; k >= 0 && k < 30000 {
			l, r = g1*float64(f.sound["0/0"][k]), g1*float64(f.sound["0/0"][k])
		}
		if k := i - 20000; k >= 0 && k < 25000 {
			l += g2 * float64(f.sound["1/0"][k])
		}
		if math.Abs(l-float64(got[0][i])) > 0.5+1e-6 || math.Abs(r-float64(got[1][i])) > 0.5+1e-6 {
			t.Fatalf("frame %d: %d, %d instead of %.3f, %.3f", i, got[0][i], got[1][i], l, r)
		}
	}
}

// The proof notices a single changed sample, a cut file, a missing one and another name.
func TestProofFails(t *testing.T) {
	f := newFixture(t, 0.24)
	f.route("0/0", "DX", 0, weave.Both)
	plan := f.plan(t, "poly")
	dir := t.TempDir()
	path := filepath.Join(dir, plan.Files[0].Name)
	prove := func() delivery.Proof {
		p, err := delivery.Prove(context.Background(), plan, dir, delivery.Options{Sources: f.resolve})
		require.NoError(t, err)
		return p
	}
	assert.False(t, prove().Passed, "no file")
	_, err := delivery.Write(context.Background(), plan, dir, delivery.Options{Sources: f.resolve})
	require.NoError(t, err)
	require.True(t, prove().Passed)
	whole, err := os.ReadFile(path)
	require.NoError(t, err)

	one := append([]byte{}, whole...)
	one[len(one)-18*1000+3] ^= 1 // the second channel, 1000 frames from the end
	require.NoError(t, os.WriteFile(path, one, 0o600))
	p := prove()
	assert.False(t, p.Passed)
	assert.Equal(t, []any{int64(0), int64(1), plan.Frames - 1000}, []any{p.Files[0].Channels[0].Differs, p.Files[0].Channels[1].Differs, p.Files[0].Channels[1].FirstAt})

	require.NoError(t, os.WriteFile(path, whole[:len(whole)-1800], 0o600))
	p = prove()
	assert.False(t, p.Passed)
	assert.EqualValues(t, 100, p.Files[0].Channels[5].Differs, "what is missing differs, silence or not")

	renamed := plan
	renamed.Files = slices.Clone(plan.Files)
	renamed.Files[0].Channels = slices.Clone(plan.Files[0].Channels)
	renamed.Files[0].Channels[0].Name = "Other"
	require.NoError(t, os.WriteFile(path, whole, 0o600))
	plan = renamed
	assert.False(t, prove().Passed)
}

func TestClippingIsFoundExactly(t *testing.T) {
	f := newFixture(t, 0.7)
	f.route("0/0", "DX", 0, weave.Both)
	f.route("1/0", "DX", 0, weave.Left)
	f.route("1/1", "FX", -3, weave.Both)
	plan := f.plan(t, "poly")
	var clipped, first int64 = 0, -1
	for i := range f.sound["0/0"] {
		k := i + 100 - 20000
		if k < 0 {
			continue
		}
		if v := f.sound["0/0"][i] + f.sound["1/0"][k]; v > 1<<23-1 || v < -1<<23 {
			if clipped == 0 {
				first = start + int64(i) + 100
			}
			clipped++
		}
	}
	require.Positive(t, clipped)
	program, err := mix.Compile(f.reel, 48000, f.resolve)
	require.NoError(t, err)
	overs, err := program.Clippings(context.Background(), func(s string) (*waveform.Summary, int, error) { return f.summary(t, s), 0, nil })
	require.NoError(t, err)
	require.Len(t, overs, 1)
	assert.Equal(t, []int64{0, clipped, first}, []int64{int64(overs[0].Output), overs[0].Count, overs[0].At})
	dir := t.TempDir()
	written, err := delivery.Write(context.Background(), plan, dir, delivery.Options{Sources: f.resolve})
	require.NoError(t, err)
	assert.Equal(t, clipped, written.Clipped[0])
	found := readiness.Plan(plan, overs)
	assert.Contains(t, codes(found), "clips")
}

func (f *fixture) summary(t *testing.T, strand string) *waveform.Summary {
	file, err := os.Create(filepath.Join(t.TempDir(), "s"))
	require.NoError(t, err)
	t.Cleanup(func() { file.Close() })
	x := make([]float64, len(f.sound[strand]))
	for i, v := range f.sound[strand] {
		x[i] = float64(v) / (1 << 23)
	}
	b, err := waveform.NewBuilder(file, 1, int64(len(x)))
	require.NoError(t, err)
	require.NoError(t, b.Add([][]float64{x}))
	require.NoError(t, b.Close())
	s, err := waveform.Open(file)
	require.NoError(t, err)
	return s
}

func codes(fs []readiness.Finding) (out []string) {
	for _, f := range fs {
		out = append(out, f.Code)
	}
	return out
}

func TestPreflight(t *testing.T) {
	f := newFixture(t, 0.1)
	f.route("0/0", "DX", 0, weave.Both)
	f.route("0/1", "VO", 0, weave.Both)
	f.reel.Tracks[2].Off = true
	late := int64(start + 200)
	f.reel.Start = &late
	f.reel.Tracks[0].Clips[0].Unplaced = true
	f.reel.Tracks[2].Clips[0].Unplaced = true // on a track that is off: it is not heard, so it is no matter
	found := readiness.Plan(f.plan(t, "poly"), nil)
	assert.False(t, readiness.Stops(found))
	lost := slices.DeleteFunc(slices.Clone(found), func(f readiness.Finding) bool { return f.Code != "unplaced" })
	if assert.Len(t, lost, 1) {
		assert.Equal(t, f.reel.Tracks[0].ID, lost[0].Track)
	}
	for _, code := range []string{"no_stem", "track_off", "stem_not_out", "before_start", "output_silent"} {
		assert.Contains(t, codes(found), code)
	}
	f.reel.Weave.Outputs[0], f.reel.Weave.Outputs[1] = f.reel.Weave.Outputs[1], f.reel.Weave.Outputs[0]
	found = readiness.Plan(f.plan(t, "poly"), nil)
	assert.True(t, readiness.Stops(found))
	assert.Contains(t, codes(found), "order")
	f.reel.Weave.Outputs = f.reel.Weave.Outputs[:5]
	assert.Contains(t, codes(readiness.Plan(f.plan(t, "mono"), nil)), "width")
	empty, err := delivery.Make(delivery.Order{Spec: delivery.ThreeStereoStems(), Packing: "poly"}, reel.New(), timecode.Rate{Num: 25, Den: 1}, 48000)
	require.NoError(t, err)
	assert.Equal(t, "empty_reel", readiness.Plan(empty, nil)[0].Code)
}

func TestPlansThatCantBe(t *testing.T) {
	f := newFixture(t, 0.1)
	for code, o := range map[string]delivery.Order{
		"names_clash": {Packing: "mono", Pattern: "{production}"}, "bad_pattern": {Packing: "poly", Pattern: "{nothing}"}, "bad_packing": {Packing: "tape"},
	} {
		o.Spec = delivery.ThreeStereoStems()
		_, err := delivery.Make(o, f.reel, timecode.Rate{Num: 25, Den: 1}, 48000)
		if assert.Error(t, err, code) {
			assert.Equal(t, code, snag.Of(err).Code)
		}
	}
}

func TestACancelledDeliveryLeavesNothing(t *testing.T) {
	f := newFixture(t, 0.1)
	f.route("0/0", "DX", 0, weave.Both)
	ctx, cancel := context.WithCancel(context.Background())
	dir := t.TempDir()
	_, err := delivery.Write(ctx, f.plan(t, "mono"), dir, delivery.Options{Sources: f.resolve, Progress: func(int64) { cancel() }})
	require.ErrorIs(t, err, context.Canceled)
	left, err := os.ReadDir(dir)
	require.NoError(t, err)
	assert.Empty(t, left)
}

func TestAChangedSourceIsSaidNotSilenced(t *testing.T) {
	f := newFixture(t, 0.1)
	f.route("0/0", "DX", 0, weave.Both)
	require.NoError(t, os.Truncate(filepath.Join(f.dir, "take0.wav"), 5000))
	_, err := delivery.Write(context.Background(), f.plan(t, "poly"), t.TempDir(), delivery.Options{Sources: f.resolve})
	require.Error(t, err)
	assert.Equal(t, "cut_short", snag.Of(err).Code)
}
