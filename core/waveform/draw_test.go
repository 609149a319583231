package waveform_test

import (
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/waveform"
)

// Columns drawn from samples agree with the extent found sample by sample.
func TestDraw(t *testing.T) {
	rng := rand.New(rand.NewPCG(1, 2))
	x := make([]float64, 200_000)
	for i := range x {
		x[i] = rng.Float64()*1.8 - 0.9
	}
	for _, c := range []struct {
		from, to int64
		n        int
	}{{0, 200_000, 512}, {-5000, 3000, 100}, {199_000, 260_000, 37}, {70_000, 70_040, 400}, {300_000, 300_100, 4}, {65_530, 65_550, 20}} {
		got, err := waveform.Draw(c.from, c.to, int64(len(x)), c.n, func(dst []float64, frame int64) error {
			require.GreaterOrEqual(t, frame, int64(0))
			require.Equal(t, len(dst), copy(dst, x[frame:]))
			return nil
		})
		require.NoError(t, err)
		require.Len(t, got, c.n)
		for i, p := range got {
			a := c.from + (c.to-c.from)*int64(i)/int64(c.n)
			b := max(c.from+(c.to-c.from)*int64(i+1)/int64(c.n), a+1)
			want := waveform.Pair{}
			if a, b = max(a, 0), min(b, int64(len(x))); a < b {
				lo, hi := x[a], x[a]
				for _, v := range x[a:b] {
					lo, hi = min(lo, v), max(hi, v)
				}
				want = waveform.Pair{Min: int16(math.Floor(lo * waveform.Scale)), Max: int16(math.Ceil(hi * waveform.Scale))}
			}
			require.Equal(t, want, p, "%+v column %d", c, i)
		}
	}
	none, err := waveform.Draw(0, 10, 0, 3, func([]float64, int64) error { return assert.AnError })
	require.NoError(t, err)
	assert.Equal(t, make([]waveform.Pair, 3), none)
}
