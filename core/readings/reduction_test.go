package readings_test

import (
	"math"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/audio"
	"zestyloom/core/mix"
	"zestyloom/core/readings"
	"zestyloom/core/reel"
	"zestyloom/core/treat"
	"zestyloom/core/weave"
	"zestyloom/internal/testmedia"
)

// What is shown of dynamics is what they do: beside the static curve where a level stands, and sample by sample beside what comes
// out, from anywhere on.
func TestReductions(t *testing.T) {
	const rate, frames, at = 48000, 400_000, 30_000
	x := make([]float64, frames)
	for i := range x {
		level := 0.03
		if i >= 150_000 && i < 250_000 {
			level = 0.5 // -6 dBFS
		}
		x[i] = level * math.Sin(2*math.Pi*1000/rate*float64(i))
	}
	path := filepath.Join(t.TempDir(), "x.wav")
	testmedia.Write(t, path, audio.F64, rate, x)
	sources := func(string) (mix.Source, error) { return mix.Source{Path: path}, nil }
	chain := treat.Chain{Compressor: treat.Compressor{Threshold: -26, Ratio: 4, Attack: 5, Release: 60, Makeup: 6}}
	r := reel.New()
	r.Tracks = []reel.Track{{ID: "t", Label: "T", Layout: "mono", Treat: chain, GainDB: -3, Clips: []reel.Clip{{ID: "c", Strands: []string{"s"}, At: at, Length: frames}}}}
	r.Weave.Sends["t"] = []weave.Send{{To: "DX", Patch: weave.Patch{Preset: weave.Both}}}
	r.Weave.Levels = map[string]weave.Level{"DX": {GainDB: 9, Treat: treat.Chain{Expander: treat.Expander{Threshold: -40, Ratio: 2, Range: 20, Attack: 1, Release: 30}}}}
	of := func(id string, from, to int64, points int) readings.Reduction {
		got, err := readings.Reductions(t.Context(), r, rate, sources, id, from, to, points)
		require.NoError(t, err)
		return got
	}
	got := of("t", at, at+frames, 400)
	require.Nil(t, got.DeEsser)
	require.Nil(t, got.Expander)
	require.Len(t, got.Compressor, 400)
	want := chain.Compressor.Gain(20 * math.Log10(0.5))
	assert.InDelta(t, want, got.Compressor[220], 0.3, "a steady level is turned down as the curve says")
	assert.InDelta(t, 0, got.Compressor[100], 0.05)
	assert.Less(t, got.Compressor[151], -3.0, "within a hundredth of a second of attack")
	assert.InDelta(t, 0, got.Compressor[350], 0.05)
	assert.InDelta(t, 20*math.Log10(0.5), got.Level[200], 0.1)
	// Another stretch says the same of the same places.
	half := of("t", at+200_000, at+300_000, 100)
	for i := range half.Compressor {
		require.Equal(t, got.Compressor[200+i], half.Compressor[i], "part %d", i)
	}
	// What comes out is what went in, by that much and the makeup.
	p, err := mix.Compile(r, rate, sources)
	require.NoError(t, err)
	pl, err := p.Play(mix.Of("t"))
	require.NoError(t, err)
	defer pl.Close()
	blocks, err := pl.Read(t.Context(), at+220_000, 1000)
	require.NoError(t, err)
	peak := 0.0
	for _, v := range blocks[0][0] {
		peak = max(peak, math.Abs(v))
	}
	assert.InDelta(t, 20*math.Log10(0.5)+got.Compressor[220]+6-3, 20*math.Log10(peak), 0.3)
	// A bus is looked at after what its tracks come to, and silence is turned down by an expander, too.
	bus := of("DX", at+frames-1000, at+frames+48_000, 10)
	require.Nil(t, bus.Compressor)
	assert.InDelta(t, -20, bus.Expander[9], 0.01)
	assert.Equal(t, -100.0, bus.Level[9])

	for name, c := range map[string]struct {
		of       string
		from, to int64
		points   int
	}{
		"nobody": {"x", 0, 1000, 10}, "backwards": {"t", 10, 10, 1}, "before midnight": {"t", -1, 100, 1},
		"too long": {"t", 0, 121 * rate, 10}, "no part": {"t", 0, 1000, 0}, "too many": {"t", 0, 1e6, 2001}, "finer than samples": {"t", 0, 10, 11},
	} {
		_, err := readings.Reductions(t.Context(), r, rate, sources, c.of, c.from, c.to, c.points)
		assert.Error(t, err, name)
	}
}
