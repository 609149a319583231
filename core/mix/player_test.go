package mix_test

import (
	"context"
	"errors"
	"os"
	"path/filepath"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/audio"
	"zestyloom/core/mix"
	"zestyloom/core/reel"
	"zestyloom/core/snag"
	"zestyloom/core/wave"
	"zestyloom/core/weave"
)

// ramp writes a mono file whose samples are their own numbers.
func ramp(t *testing.T, name string, frames, rate int) string {
	t.Helper()
	path := filepath.Join(t.TempDir(), name)
	f, err := os.Create(path)
	require.NoError(t, err)
	defer f.Close()
	w, err := wave.NewWriter(f, wave.Options{Format: wave.Format{Coding: audio.S24, SampleRate: rate, Channels: 1}})
	require.NoError(t, err)
	for i := range frames {
		_, err = w.Write([]byte{byte(i), byte(i >> 8), byte(i >> 16)})
		require.NoError(t, err)
	}
	require.NoError(t, w.Close())
	return path
}

func oneTrack(clips ...reel.Clip) reel.Reel {
	r := reel.New()
	r.Tracks = []reel.Track{{ID: "t", Label: "t", Layout: "mono", Clips: clips}}
	r.Weave.Sends["t"] = to("DX", weave.Left, 0)
	return r
}

func to(bus string, p weave.Preset, gain float64) []weave.Send {
	return []weave.Send{{To: bus, GainDB: gain, Patch: weave.Patch{Preset: p}}}
}

// play prepares a reel's outputs at 48 kHz.
func play(t testing.TB, r reel.Reel, sources mix.Sources, signals ...mix.Signal) *mix.Player {
	t.Helper()
	p, err := mix.Compile(r, 48000, sources)
	require.NoError(t, err)
	if signals == nil {
		signals = []mix.Signal{mix.All()}
	}
	pl, err := p.Play(signals...)
	require.NoError(t, err)
	t.Cleanup(pl.Close)
	return pl
}

// Wherever a rendering begins and however it is divided, each sample is that of its place.
func TestPlacesOfSamples(t *testing.T) {
	path := ramp(t, "a.wav", 50000, 48000)
	resolve := func(string) (mix.Source, error) { return mix.Source{Path: path}, nil }
	r := oneTrack(reel.Clip{ID: "1", Strands: []string{"a"}, At: 1000, In: 0, Length: 20000}, reel.Clip{ID: "2", Strands: []string{"a"}, At: 30000, In: 12345, Length: 30000})
	want := func(at int64) float64 {
		switch {
		case at >= 1000 && at < 21000:
			return float64(at-1000) / (1 << 23)
		case at >= 30000 && at < 60000:
			return float64(at-30000+12345) / (1 << 23)
		}
		return 0
	}
	for _, span := range [][2]int64{{0, 70000}, {999, 1002}, {20990, 30010}, {40000, 40000}, {59999, 60005}} {
		n := play(t, r, resolve)
		next := span[0]
		require.NoError(t, n.Run(context.Background(), span[0], span[1], func(b audio.Block, at int64) error {
			require.Equal(t, next, at)
			for i, v := range b[0] {
				require.Equal(t, want(at+int64(i)), v, "at %d", at+int64(i))
				require.Zero(t, b[1][i])
			}
			next += int64(b.Frames())
			return nil
		}))
		assert.Equal(t, span[1], next)
	}
}

func TestWhatIsOffIsNotEvenOpened(t *testing.T) {
	r := oneTrack(reel.Clip{ID: "1", Strands: []string{"gone"}, At: 0, Length: 10})
	missing := func(string) (mix.Source, error) { return mix.Source{}, errors.New("asked for") }
	for name, change := range map[string]func(*reel.Reel){
		"off":            func(r *reel.Reel) { r.Tracks[0].Off = true },
		"no stem":        func(r *reel.Reel) { delete(r.Weave.Sends, "t") },
		"on no output":   func(r *reel.Reel) { r.Weave.Sends["t"] = to("VO", weave.Both, 0) },
		"out of earshot": func(r *reel.Reel) { r.Tracks[0].Clips[0].At = 5000 },
		"turned down all": func(r *reel.Reel) {
			r.Weave.Sends["t"] = to("DX", weave.Both, weave.MinGain)
		},
		"track turned down": func(r *reel.Reel) { r.Tracks[0].GainDB = weave.MinGain },
		"clip turned down":  func(r *reel.Reel) { r.Tracks[0].Clips[0].GainDB = weave.MinGain },
		"bus into a mix alone": func(r *reel.Reel) {
			r.Weave.Sends["t"], r.Weave.Sends["VO"] = to("VO", weave.Both, 0), to("DX", weave.Plain, weave.MinGain)
		},
	} {
		c := oneTrack(slices.Clone(r.Tracks[0].Clips)...)
		change(&c)
		_, err := play(t, c, missing).Read(context.Background(), 0, 100)
		assert.NoError(t, err, name)
	}
	_, err := play(t, r, missing).Read(context.Background(), 0, 100)
	assert.ErrorContains(t, err, "asked for")
}

func TestWrongSourcesAreSaid(t *testing.T) {
	short := ramp(t, "short.wav", 50, 48000)
	for code, place := range map[string]mix.Source{
		"cut_short": {Path: short}, "no_such_channel": {Path: short, Channel: 1}, "not_found": {Path: short + ".none"},
	} {
		_, err := play(t, oneTrack(reel.Clip{ID: "1", Strands: []string{"a"}, Length: 100}), func(string) (mix.Source, error) { return place, nil }).Read(context.Background(), 0, 100)
		if assert.Error(t, err, code) {
			assert.Equal(t, code, snag.Of(err).Code)
		}
	}
	n := play(t, reel.New(), nil)
	assert.Error(t, n.Run(context.Background(), 10, 5, func(audio.Block, int64) error { return nil }))
	assert.Error(t, n.Run(context.Background(), 0, 5), "a tap a signal")
}
