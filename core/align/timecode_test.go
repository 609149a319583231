package align_test

import (
	"math/big"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/align"
	"zestyloom/core/timecode"
)

func TestByTimecode(t *testing.T) {
	pal := timecode.Rate{Num: 25, Den: 1}
	drop := timecode.Rate{Num: 30000, Den: 1001, Drop: true}
	const hour = 3600
	for name, c := range map[string]struct {
		ref, file align.Stamp
		day       timecode.Rate
		want      int64
		common    float64
	}{
		"the same":        {align.Stamp{48000, 48000, 480000}, align.Stamp{48000, 48000, 480000}, pal, 0, 10},
		"later":           {align.Stamp{0, 48000, 480000}, align.Stamp{96001, 48000, 480000}, pal, 96001, 10 - 96001.0/48000},
		"another rate":    {align.Stamp{10 * 48000, 48000, 480000}, align.Stamp{11 * 44100, 44100, 441000}, pal, 48000, 9},
		"across midnight": {align.Stamp{86399 * 48000, 48000, 480000}, align.Stamp{1 * 48000, 48000, 480000}, pal, 96000, 8},
		"before midnight": {align.Stamp{1 * 48000, 48000, 480000}, align.Stamp{86399 * 48000, 48000, 480000}, pal, -96000, 8},
		"apart":           {align.Stamp{0, 48000, 48000}, align.Stamp{hour * 48000, 48000, 48000}, pal, hour * 48000, 0},
		// A day of 29.97 drop is 2589408 frames: 86399.9136 s.
		"a day of drop-frame": {align.Stamp{86399 * 48000, 48000, 480000}, align.Stamp{0, 48000, 480000}, drop, 43853, 10 - 43853.0/48000},
	} {
		got, ok := align.ByTimecode(c.ref, c.file, c.day)
		require.True(t, ok, name)
		assert.InDelta(t, c.want, got, 1, name)
		assert.InDelta(t, c.common, align.Common(c.ref, c.file, c.day), 1e-4, name)
	}
	_, ok := align.ByTimecode(align.Stamp{-1, 48000, 1}, align.Stamp{0, 48000, 1}, pal)
	assert.False(t, ok)
	assert.Zero(t, align.Common(align.Stamp{-1, 48000, 1}, align.Stamp{0, 48000, 1}, pal))
}

// Within a day the result is the nearest sample, by exact fractions.
func TestByTimecodeIsExact(t *testing.T) {
	rng := rand.New(rand.NewPCG(3, 3))
	rates := []int{44100, 47952, 48000, 48048, 96000, 192000}
	for range 5000 {
		a := align.Stamp{Rate: rates[rng.IntN(len(rates))], Frames: 1}
		b := align.Stamp{Rate: rates[rng.IntN(len(rates))], Frames: 1}
		a.Start, b.Start = rng.Int64N(int64(a.Rate)*40000), rng.Int64N(int64(b.Rate)*40000)
		got, ok := align.ByTimecode(a, b, timecode.Rate{Num: 25, Den: 1})
		require.True(t, ok)
		exact := new(big.Rat).Mul(big.NewRat(b.Start, int64(b.Rate)), big.NewRat(int64(a.Rate), 1))
		exact.Sub(exact, big.NewRat(a.Start, 1))
		off := new(big.Rat).Sub(exact, big.NewRat(got, 1))
		require.LessOrEqual(t, off.Abs(off).Cmp(big.NewRat(1, 2)), 0, "%+v %+v", a, b)
	}
}
