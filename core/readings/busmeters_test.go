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
	"zestyloom/core/weave"
	"zestyloom/internal/testmedia"
)

// A steady sine reads its peak on both meters, on each bus by what it is sent with; one that stops falls back as a programme meter
// does; another stretch reads the same of the same places.
func TestBusMeters(t *testing.T) {
	const rate, at = 48000, 48000
	x := make([]float64, 10*rate)
	for i := range x {
		if i < 5*rate {
			x[i] = 0.25 * math.Sin(2*math.Pi*1000/rate*float64(i))
		}
	}
	path := filepath.Join(t.TempDir(), "x.wav")
	testmedia.Write(t, path, audio.F64, rate, x)
	sources := func(string) (mix.Source, error) { return mix.Source{Path: path}, nil }
	r := reel.New()
	r.Tracks = []reel.Track{{ID: "t", Label: "T", Layout: "mono", Clips: []reel.Clip{{ID: "c", Strands: []string{"s"}, At: at, Length: 10 * rate}}}}
	r.Weave.Buses = append(r.Weave.Buses, weave.Bus{ID: "full", Name: "Full mix", Role: weave.Mix, Layout: "stereo"})
	r.Weave.Sends["t"] = []weave.Send{{To: "DX", Patch: weave.Patch{Preset: weave.Left}}}
	r.Weave.Sends["DX"] = []weave.Send{{To: "full", GainDB: -6}}
	r.Weave.Levels = map[string]weave.Level{"full": {GainDB: 24}}
	of := func(from, to int64, parts int) map[string]readings.BusMeter {
		list, err := readings.BusMeters(t.Context(), r, rate, sources, from, to, parts)
		require.NoError(t, err)
		require.Len(t, list, 5)
		out := map[string]readings.BusMeter{}
		for _, m := range list {
			out[m.Bus] = m
		}
		return out
	}
	got := of(at, at+10*rate, 100)
	assert.InDelta(t, -12.0, got["DX"].Peak[0][30], 0.1)
	assert.InDelta(t, -12.0, got["DX"].PPM[0][30], 0.15)
	assert.Equal(t, -100.0, got["DX"].Peak[1][30], "left only")
	assert.InDelta(t, 6.0, got["full"].Peak[0][30], 0.1, "after its gains")
	assert.Equal(t, []bool{true, false}, got["full"].Over)
	assert.Equal(t, []bool{false, false}, got["DX"].Over)
	assert.Equal(t, -100.0, got["MX"].PPM[0][10])
	assert.Equal(t, -100.0, got["DX"].Peak[0][60], "it has ended")
	assert.InDelta(t, -12-24.0/2.8*1.9, got["DX"].PPM[0][69], 1, "24 dB in 2.8 s, at the beginning of the part")
	later := of(at+4*rate, at+7*rate, 30)
	for i := range later["DX"].PPM[0] {
		require.InDelta(t, got["DX"].PPM[0][40+i], later["DX"].PPM[0][i], 0.3, "part %d", i)
		require.Equal(t, got["DX"].Peak[0][40+i], later["DX"].Peak[0][i])
	}
	odd := of(at, at+10_007, 13) // parts of no whole number of samples
	assert.InDelta(t, -12.0, odd["DX"].Peak[0][12], 0.1)
	for name, c := range map[string]struct {
		from, to int64
		parts    int
	}{"backwards": {9, 9, 1}, "before midnight": {-9, 9, 1}, "too long": {0, 31 * rate, 9}, "no part": {0, 900, 0}, "too many": {0, 90000, 1001}} {
		_, err := readings.BusMeters(t.Context(), r, rate, sources, c.from, c.to, c.parts)
		assert.Error(t, err, name)
	}
}
