package monitor_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/monitor"
)

// One output sounds at a time, in their order, each heard on both sides.
func TestIdentify(t *testing.T) {
	inputs, fold, err := monitor.Identify(3, 48000)
	require.NoError(t, err)
	require.Len(t, inputs, 3)
	assert.Equal(t, [2]float64{1, 1}, fold.Matrix[2])
	for c, v := range inputs {
		s, err := v.Open(48000)
		require.NoError(t, err)
		defer s.Close()
		for slot := range 3 {
			x := make([]float64, 4800)
			require.NoError(t, s.Read(x, int64(slot)*6*48000+4800))
			loud := 0.0
			for _, w := range x {
				loud = max(loud, w)
			}
			assert.Equal(t, slot == c, loud > 0.1, "input %d in slot %d", c, slot)
		}
	}
	_, _, err = monitor.Identify(0, 48000)
	assert.Error(t, err)
}
