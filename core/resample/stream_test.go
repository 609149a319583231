package resample_test

import (
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/resample"
)

// A stream makes of blocks of any lengths what is made of the whole at once, and as many samples.
func TestStreamIsTheWhole(t *testing.T) {
	rnd := rand.New(rand.NewPCG(4, 41))
	for _, rates := range [][2]int{{48000, 44100}, {44100, 48000}, {48000, 96000}, {96000, 48000}, {48000, 48000}, {8000, 384000}} {
		c, err := resample.New(rates[0], rates[1])
		require.NoError(t, err)
		for _, n := range []int{0, 1, 17, 5000, 20011} {
			x := make([]float64, n)
			for i := range x {
				x[i] = rnd.Float64()*2 - 1
			}
			want := make([]float64, c.Frames(int64(n)))
			if n > 0 {
				from, to := c.Needs(0, len(want))
				in := make([]float64, to-from)
				copy(in[-from:], x)
				c.Convert(want, in, 0)
			}
			s := c.Stream()
			got := []float64{}
			for rest := x; len(rest) > 0; {
				k := min(len(rest), 1+rnd.IntN(3000))
				got = s.Add(got, rest[:k])
				rest = rest[k:]
			}
			got = s.End(got)
			assert.Equal(t, want, got, "%v, %d samples", rates, n)
		}
	}
}
