package sync_test

import (
	"math/big"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/sync"
	"zestyloom/core/timecode"
)

func TestByTimecode(t *testing.T) {
	pal := timecode.Rate{Num: 25, Den: 1}
	drop := timecode.Rate{Num: 30000, Den: 1001, Drop: true}
	const hour = 3600
	for name, c := range map[string]struct {
		ref, file sync.Stamp
		day       timecode.Rate
		want      int64
		common    float64
	}{
		"the same":        {sync.Stamp{48000, 48000, 480000}, sync.Stamp{48000, 48000, 480000}, pal, 0, 10},
		"later":           {sync.Stamp{0, 48000, 480000}, sync.Stamp{96001, 48000, 480000}, pal, 96001, 10 - 96001.0/48000},
		"another rate":    {sync.Stamp{10 * 48000, 48000, 480000}, sync.Stamp{11 * 44100, 44100, 441000}, pal, 48000, 9},
		"across midnight": {sync.Stamp{86399 * 48000, 48000, 480000}, sync.Stamp{1 * 48000, 48000, 480000}, pal, 96000, 8},
		"before midnight": {sync.Stamp{1 * 48000, 48000, 480000}, sync.Stamp{86399 * 48000, 48000, 480000}, pal, -96000, 8},
		"apart":           {sync.Stamp{0, 48000, 48000}, sync.Stamp{hour * 48000, 48000, 48000}, pal, hour * 48000, 0},
		// A day of 29.97 drop is 2589408 frames: 86399.9136 s.
		"a day of drop-frame": {sync.Stamp{86399 * 48000, 48000, 480000}, sync.Stamp{0, 48000, 480000}, drop, 43853, 10 - 43853.0/48000},
	} {
		got, ok := sync.ByTimecode(c.ref, c.file, c.day)
		require.True(t, ok, name)
		assert.InDelta(t, c.want, got, 1, name)
		assert.InDelta(t, c.common, sync.Common(c.ref, c.file, c.day), 1e-4, name)
	}
	_, ok := sync.ByTimecode(sync.Stamp{-1, 48000, 1}, sync.Stamp{0, 48000, 1}, pal)
	assert.False(t, ok)
	assert.Zero(t, sync.Common(sync.Stamp{-1, 48000, 1}, sync.Stamp{0, 48000, 1}, pal))
}

// Within a day the result is the nearest sample, by exact fractions.
func TestByTimecodeIsExact(t *testing.T) {
	rng := rand.New(rand.NewPCG(3, 3))
	rates := []int{44100, 47952, 48000, 48048, 96000, 192000}
	for range 5000 {
		a := sync.Stamp{Rate: rates[rng.IntN(len(rates))], Frames: 1}
		b := sync.Stamp{Rate: rates[rng.IntN(len(rates))], Frames: 1}
		a.Start, b.Start = rng.Int64N(int64(a.Rate)*40000), rng.Int64N(int64(b.Rate)*40000)
		got, ok := sync.ByTimecode(a, b, timecode.Rate{Num: 25, Den: 1})
		require.True(t, ok)
		exact := new(big.Rat).Mul(big.NewRat(b.Start, int64(b.Rate)), big.NewRat(int64(a.Rate), 1))
		exact.Sub(exact, big.NewRat(a.Start, 1))
		off := new(big.Rat).Sub(exact, big.NewRat(got, 1))
		require.LessOrEqual(t, off.Abs(off).Cmp(big.NewRat(1, 2)), 0, "%+v %+v", a, b)
	}
}
