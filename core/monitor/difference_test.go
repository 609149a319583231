package monitor_test

import (
	"context"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/monitor"
	"zestyloom/core/snag"
)

// What is the same leaves nothing, at any level and polarity; what is a sample late leaves something.
func TestDifference(t *testing.T) {
	x := sine(441, 0.5, 9600)
	half := make([]float64, len(x))
	for i := range x {
		half[i] = -x[i] / 2
	}
	p := recorded(t, x, half)
	differ := func(at float64, from, to int64) monitor.Difference {
		d, err := monitor.Differ(context.Background(), [2]monitor.Input{input(p[0], 0), input(p[1], at)}, rate, from, to, 100)
		require.NoError(t, err)
		require.Len(t, d.Columns, 100)
		return d
	}
	d := differ(0, 0, 9600)
	assert.Less(t, d.LeftDB, -120.0)
	assert.InDelta(t, 6.02, d.ScaleDB, 0.01)
	assert.True(t, d.Turned)
	late := differ(1, 0, 9600)
	assert.Greater(t, late.LeftDB, -30.0)
	assert.Greater(t, late.Columns[50].Max, d.Columns[50].Max)
	assert.Zero(t, differ(20000, 0, 9600).LeftDB, "nothing in common: all is left")
	assert.Zero(t, differ(0, 20000, 30000).Columns[3], "nothing at all there")
	assert.Equal(t, differ(0, -500, 500).Turned, true, "from before the reference on")
	for _, bad := range [][2]int64{{5, 5}, {0, monitor.MostDifference + 1}} {
		_, err := monitor.Differ(context.Background(), [2]monitor.Input{input(p[0], 0), input(p[1], 0)}, rate, bad[0], bad[1], 10)
		assert.Equal(t, "bad_range", snag.Of(err).Code)
	}
}
