package render_test

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
	"zestyloom/core/reel"
	"zestyloom/core/render"
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
	r.Tracks = []reel.Track{{ID: "t", Label: "t", Clips: clips}}
	r.Weave.Routes["t"] = weave.Route{Stem: "DX", Position: weave.Left}
	return r
}

// Wherever a rendering begins and however it is divided, each sample is that of its place.
func TestPlacesOfSamples(t *testing.T) {
	path := ramp(t, "a.wav", 50000, 48000)
	resolve := func(string) (render.Place, error) { return render.Place{Path: path}, nil }
	r := oneTrack(reel.Clip{ID: "1", Strand: "a", At: 1000, In: 0, Length: 20000}, reel.Clip{ID: "2", Strand: "a", At: 30000, In: 12345, Length: 30000})
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
		n := render.New(r, 48000, resolve)
		next := span[0]
		require.NoError(t, n.Each(context.Background(), span[0], span[1], func(b audio.Block, at int64) error {
			require.Equal(t, next, at)
			for i, v := range b[0] {
				require.Equal(t, want(at+int64(i)), v, "at %d", at+int64(i))
				require.Zero(t, b[1][i])
			}
			next += int64(b.Frames())
			return nil
		}))
		assert.Equal(t, span[1], next)
		n.Close()
	}
}

func TestWhatIsOffIsNotEvenOpened(t *testing.T) {
	r := oneTrack(reel.Clip{ID: "1", Strand: "gone", At: 0, Length: 10})
	missing := func(string) (render.Place, error) { return render.Place{}, errors.New("asked for") }
	for name, change := range map[string]func(*reel.Reel){
		"off":            func(r *reel.Reel) { r.Tracks[0].Off = true },
		"no stem":        func(r *reel.Reel) { delete(r.Weave.Routes, "t") },
		"on no output":   func(r *reel.Reel) { r.Weave.Routes["t"] = weave.Route{Stem: "VO", Position: weave.Both} },
		"out of earshot": func(r *reel.Reel) { r.Tracks[0].Clips[0].At = 5000 },
		"turned down all": func(r *reel.Reel) {
			r.Weave.Routes["t"] = weave.Route{Stem: "DX", GainDB: weave.MinGain, Position: weave.Both}
		},
	} {
		c := oneTrack(slices.Clone(r.Tracks[0].Clips)...)
		change(&c)
		n := render.New(c, 48000, missing)
		assert.NoError(t, n.Block(audio.NewBlock(6, 100), 0), name)
		n.Close()
	}
	n := render.New(r, 48000, missing)
	defer n.Close()
	assert.ErrorContains(t, n.Block(audio.NewBlock(6, 100), 0), "asked for")
}

func TestWrongSourcesAreSaid(t *testing.T) {
	short := ramp(t, "short.wav", 50, 48000)
	for code, place := range map[string]render.Place{
		"cut_short": {Path: short}, "no_such_channel": {Path: short, Channel: 1}, "not_found": {Path: short + ".none"},
	} {
		n := render.New(oneTrack(reel.Clip{ID: "1", Strand: "a", Length: 100}), 48000, func(string) (render.Place, error) { return place, nil })
		err := n.Block(audio.NewBlock(6, 100), 0)
		if assert.Error(t, err, code) {
			assert.Equal(t, code, snag.Of(err).Code)
		}
		n.Close()
	}
	n := render.New(reel.New(), 48000, nil)
	defer n.Close()
	assert.Error(t, n.Each(context.Background(), 10, 5, nil))
}
