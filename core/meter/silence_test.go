package meter

import (
	"math"
	"testing"

	"github.com/stretchr/testify/require"
)

// The short way through silence gives the same bits as the long one.
func TestSilenceBetweenSamples(t *testing.T) {
	fast, slow := newOversampler(48000), newOversampler(48000)
	for i := range 5000 {
		v := 0.0
		if i < 100 || i > 1000 && i < 1003 || i == 1040 || i > 4000 {
			v = math.Sin(float64(i))
		}
		var a, b []float64
		fast.add(v, func(x float64) { a = append(a, x) })
		slow.quiet = -1 << 40
		slow.add(v, func(x float64) { b = append(b, x) })
		for k := range b {
			require.Equal(t, b[k], a[k]+0, "sample %d", i)
		}
		require.Len(t, a, len(b))
	}
}
