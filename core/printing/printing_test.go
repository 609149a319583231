package printing_test

import (
	"context"
	"fmt"
	"math"
	"math/rand/v2"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/audio"
	"zestyloom/core/automation"
	"zestyloom/core/delivery"
	"zestyloom/core/edit"
	"zestyloom/core/mix"
	"zestyloom/core/printing"
	"zestyloom/core/reel"
	"zestyloom/core/snag"
	"zestyloom/core/timecode"
	"zestyloom/core/wave"
	"zestyloom/core/weave"
)

const (
	rate  = 48000
	start = 3600 * rate
	long  = 20000 // samples of a take
)

var pal = timecode.Rate{Num: 25, Den: 1}

type fixture struct {
	t       *testing.T
	sources map[string]mix.Source
	reel    reel.Reel
	ids     int
}

func (f *fixture) id() string { f.ids++; return fmt.Sprint("id", f.ids) }

func (f *fixture) take(name string, channels int, seed uint64) {
	path := filepath.Join(f.t.TempDir(), name+".wav")
	file, err := os.Create(path)
	require.NoError(f.t, err)
	w, err := wave.NewWriter(file, wave.Options{Format: wave.Format{Coding: audio.S24, SampleRate: rate, Channels: channels}})
	require.NoError(f.t, err)
	rnd := rand.New(rand.NewPCG(seed, 1))
	raw := make([]byte, long*channels*3)
	for i := 0; i < len(raw); i += 3 {
		v := int32((rnd.Float64()*2 - 1) * 0.3 * (1<<23 - 1))
		raw[i], raw[i+1], raw[i+2] = byte(v), byte(v>>8), byte(v>>16)
	}
	_, err = w.Write(raw)
	require.NoError(f.t, err)
	require.NoError(f.t, w.Close())
	require.NoError(f.t, file.Close())
	for c := range channels {
		f.sources[fmt.Sprint(name, "/", c)] = mix.Source{Path: path, Channel: c}
	}
}

func (f *fixture) resolve(id string) (mix.Source, error) {
	s, ok := f.sources[id]
	if !ok {
		return s, fmt.Errorf("no strand %q", id)
	}
	return s, nil
}

// setup is a reel of two takes on two mono tracks and one in stereo: cuts, gains, envelopes, fades, ranges off, a crossfade from one
// take into the other.
func setup(t *testing.T) *fixture {
	f := &fixture{t: t, sources: map[string]mix.Source{}, reel: reel.New()}
	f.take("A", 2, 1)
	f.take("B", 2, 2)
	f.take("S", 2, 3)
	clip := func(id, take string, ch int, at, in, length int64, tie string) reel.Clip {
		return reel.Clip{ID: id, Name: take, Strands: []string{fmt.Sprint(take, "/", ch)}, At: start + at, In: in, Length: length, Tie: tie}
	}
	half := &reel.Fade{Length: 400, Shape: reel.EqualPower}
	a0, b0 := clip("a0", "A", 0, 0, 100, 9000, "a"), clip("b0", "B", 0, 8600, 50, 9000, "b")
	a0.FadeOut, b0.FadeIn = *half, *half
	a0.FadeIn, a0.GainDB = reel.Fade{Length: 300}, -3
	a0.Gain = automation.Curve{{At: 500, Value: 0}, {At: 3000, Value: -12}}
	a1, b1 := clip("a1", "A", 1, 0, 100, 8600, "a"), clip("b1", "B", 1, 8600, 50, 9000, "b")
	a1.Off, a1.Invert = []reel.Range{{From: 2000, To: 4000, Ramp: 100}}, true
	b1.GainDB = 9
	st := reel.Clip{ID: "s", Name: "S", Strands: []string{"S/0", "S/1"}, At: start + 1000, Length: 15000, GainDB: -1, Layout: "stereo"}
	f.reel.Tracks = []reel.Track{
		{ID: "t0", Label: "Boom", Layout: "mono", GainDB: -2, Gain: automation.Curve{{At: start, Value: 0}, {At: start + 9000, Value: -6}}, Clips: []reel.Clip{a0, b0}},
		{ID: "t1", Label: "Lav", Layout: "mono", Clips: []reel.Clip{a1, b1}},
		{ID: "t2", Label: "Score", Layout: "stereo", Clips: []reel.Clip{st}},
	}
	f.reel.Weave.Sends["t0"] = []weave.Send{{To: "DX", GainDB: -1, Patch: weave.Patch{Preset: weave.Both}}}
	f.reel.Weave.Sends["t1"] = []weave.Send{{To: "DX", Patch: weave.Patch{Preset: weave.Left}}}
	f.reel.Weave.Sends["t2"] = []weave.Send{{To: "MX"}}
	f.reel.Weave.Levels = map[string]weave.Level{"DX": {GainDB: -4}}
	require.NoError(t, f.reel.Check())
	return f
}

func (f *fixture) context() printing.Context {
	return printing.Context{
		Titles: delivery.Titles{Production: "Lantern Ferry", Reel: "Reel 1"}, Rate: pal, Samples: rate, Date: "2026-03-14", Time: "10:00:00", NewID: f.id,
		TakeOf: func(strand string) (string, string) {
			take, _, _ := strings.Cut(strand, "/")
			return take, "take " + take
		},
	}
}

// heard is what the outputs of a reel carry.
func (f *fixture) heard(r reel.Reel) audio.Block {
	f.t.Helper()
	program, err := mix.Compile(r, rate, f.resolve)
	require.NoError(f.t, err)
	player, err := program.Play(mix.All())
	require.NoError(f.t, err)
	defer player.Close()
	out := make(audio.Block, len(r.Weave.Outputs))
	require.NoError(f.t, player.Run(context.Background(), start, start+18000, func(b audio.Block, _ int64) error {
		for c := range out {
			out[c] = append(out[c], b[c]...)
		}
		return nil
	}))
	return out
}

// print makes prints, reads them back, and lays them.
func (f *fixture) print(r reel.Reel, o printing.Order) (reel.Reel, []printing.Print, []edit.Planned) {
	f.t.Helper()
	prints, err := printing.Make(r, o, f.context())
	require.NoError(f.t, err)
	var done []edit.Planned
	for _, p := range prints {
		dir := f.t.TempDir()
		written, err := delivery.Write(context.Background(), p.Plan, dir, delivery.Options{Sources: f.resolve})
		require.NoError(f.t, err)
		proof, err := delivery.Prove(context.Background(), p.Plan, dir, delivery.Options{Sources: f.resolve, Hashes: written.Hashes, OwnReader: true})
		require.NoError(f.t, err)
		require.True(f.t, proof.Passed, "%v", proof.Failures())
		file := p.Plan.Files[0]
		base := f.id()
		laid := p.Laid(func(ch int) string {
			id := fmt.Sprint(base, "/", ch)
			f.sources[id] = mix.Source{Path: filepath.Join(dir, file.Name), Channel: ch}
			return id
		})
		planned, err := edit.Plan(r, []edit.Action{{Printed: &laid}}, edit.Context{NewID: f.id, Frames: func([]string) (map[string]int64, error) { return nil, nil }})
		require.NoError(f.t, err)
		require.NoError(f.t, planned.After.Check())
		back, _, err := reel.Apply(planned.After, planned.Undo)
		require.NoError(f.t, err)
		assert.Equal(f.t, r.Tracks, back.Tracks, "it is undone exactly")
		assert.Equal(f.t, r.Weave, back.Weave)
		done = append(done, planned)
		r = planned.After
	}
	return r, prints, done
}

// alike holds that two reels are heard alike, but for what a float of 32 bits leaves out.
func (f *fixture) alike(a, b reel.Reel, within float64) {
	f.t.Helper()
	x, y := f.heard(a), f.heard(b)
	worst := 0.0
	for c := range x {
		for i := range x[c] {
			worst = max(worst, math.Abs(x[c][i]-y[c][i]))
		}
	}
	assert.LessOrEqual(f.t, worst, within)
}

// half a step of a 24-bit mantissa at full scale, doubled for sums of two, and gains on the way of at most 9 dB
const close = 1.0 / (1 << 22)

// Whatever is printed is heard as before: clips, with and without their kin, spans, tracks, buses; a file a take, a channel a track.
func TestAPrintIsHeardAsBefore(t *testing.T) {
	for name, c := range map[string]struct {
		order printing.Order
		files []string
		of    [][]string
	}{
		"a take":       {printing.Order{Clips: []string{"a0"}}, []string{"take A"}, [][]string{{"Boom", "Lav"}}},
		"a clip alone": {printing.Order{Clips: []string{"a0"}, Alone: true}, []string{"take A"}, [][]string{{"Boom"}}},
		"two takes":    {printing.Order{Clips: []string{"a0", "b1"}}, []string{"take A", "take B"}, [][]string{{"Boom", "Lav"}, {"Boom", "Lav"}}},
		"a span":       {printing.Order{Tracks: []string{"t0", "t1"}, From: start + 5000, To: start + 12000}, []string{"take A", "take B"}, [][]string{{"Boom", "Lav"}, {"Boom", "Lav"}}},
		"in stereo":    {printing.Order{Tracks: []string{"t2"}, From: start + 5001, To: start + 5777}, []string{"take S"}, [][]string{{"Score"}}},
		"all":          {printing.Order{Tracks: []string{"t0", "t1", "t2"}}, []string{"take A", "take B", "take S"}, [][]string{{"Boom", "Lav"}, {"Boom", "Lav"}, {"Score"}}},
		"a stem":       {printing.Order{Bus: "DX"}, []string{"DX"}, [][]string{{"DX"}}},
		"of a span":    {printing.Order{Bus: "DX", From: start + 1000, To: start + 2000}, []string{"DX"}, [][]string{{"DX"}}},
	} {
		t.Run(name, func(t *testing.T) {
			f := setup(t)
			now, prints, _ := f.print(f.reel, c.order)
			var files []string
			var of [][]string
			for _, p := range prints {
				files, of = append(files, p.Name), append(of, p.Of)
			}
			assert.Equal(t, c.files, files)
			assert.Equal(t, c.of, of)
			f.alike(f.reel, now, close)
			// What it was made of is there, and off.
			off := 0
			for _, tr := range now.Tracks {
				if tr.Off {
					off += len(tr.Clips)
					assert.Contains(t, tr.Label, ", before print")
				}
			}
			assert.Positive(t, off)
			// Printed once more, it is still the same.
			again, _, _ := f.print(now, again(now, c.order))
			f.alike(f.reel, again, 2*close)
		})
	}
}

// What is printed plain is what was recorded, bit for bit.
func TestAPlainPrintIsTheRecording(t *testing.T) {
	f := setup(t)
	prints, err := printing.Make(f.reel, printing.Order{Clips: []string{"a1"}, Alone: true, Plain: true}, f.context())
	require.NoError(t, err)
	require.Len(t, prints, 1)
	dir := t.TempDir()
	_, err = delivery.Write(context.Background(), prints[0].Plan, dir, delivery.Options{Sources: f.resolve})
	require.NoError(t, err)
	f.sources["plain"] = mix.Source{Path: filepath.Join(dir, prints[0].Plan.Files[0].Name)}
	only := func(strand string, in int64) audio.Block {
		r := reel.New()
		r.Tracks = []reel.Track{{ID: "t", Label: "t", Layout: "mono", Clips: []reel.Clip{{ID: "c", Strands: []string{strand}, At: start, In: in, Length: 8600}}}}
		r.Weave.Sends["t"] = []weave.Send{{To: "DX", Patch: weave.Patch{Preset: weave.Left}}}
		return f.heard(r)
	}
	assert.Equal(t, only("A/1", 100), only("plain", 0))
}

func TestWhatCantBePrinted(t *testing.T) {
	f := setup(t)
	code := func(o printing.Order) string {
		_, err := printing.Make(f.reel, o, f.context())
		require.Error(t, err)
		return snag.Of(err).Code
	}
	assert.Equal(t, "nothing_chosen", code(printing.Order{Tracks: []string{"t0"}, From: start + 17700, To: start + 17800}))
	assert.Equal(t, "nothing_chosen", code(printing.Order{Clips: []string{"none"}}))
	assert.Equal(t, "bad_span", code(printing.Order{Tracks: []string{"t0"}, From: 10, To: 5}))
	assert.Equal(t, "no_such_bus", code(printing.Order{Bus: "none"}))
	assert.Equal(t, "nothing_chosen", code(printing.Order{Bus: "VO"}))
	f.reel.Weave.Sends["t1"] = append(f.reel.Weave.Sends["t1"], weave.Send{To: "FX", Patch: weave.Patch{Preset: weave.Both}})
	assert.Equal(t, "goes_elsewhere", code(printing.Order{Bus: "DX"}))

	// What has been edited since is not covered up.
	f = setup(t)
	prints, err := printing.Make(f.reel, printing.Order{Clips: []string{"a0"}}, f.context())
	require.NoError(t, err)
	laid := prints[0].Laid(func(int) string { return "A/0" })
	f.reel.Tracks[0].Clips[0].GainDB = 0
	_, err = edit.Plan(f.reel, []edit.Action{{Printed: &laid}}, edit.Context{NewID: f.id})
	assert.Equal(t, "changed_since", snag.Of(err).Code)
}

// again is an order of what was printed by another.
func again(now reel.Reel, o printing.Order) printing.Order {
	for _, t := range now.Tracks {
		for _, c := range t.Clips {
			if strings.HasSuffix(c.Name, ", printed") && o.Bus == "" {
				return printing.Order{Clips: []string{c.ID}}
			}
		}
	}
	return o
}
