package weave_test

import (
	"fmt"
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/ambisonic"
	"zestyloom/core/audio"
	"zestyloom/core/automation"
	"zestyloom/core/weave"
)

// turned is what a patch makes of a field at each of n samples.
func turned(t *testing.T, p weave.Patch, from, to audio.Layout, x []float64, at int64, n, block int) [][]float64 {
	t.Helper()
	mover, still, err := p.Mover(from, to)
	require.NoError(t, err)
	require.NotNil(t, mover)
	dst := make([][]float64, len(mover.Cells))
	for i := range dst {
		dst[i] = make([]float64, block)
	}
	moving := map[[2]int]int{}
	for k, c := range mover.Cells {
		moving[c] = k
	}
	var out [][]float64
	for done := 0; done < n; done += block {
		size := min(block, n-done)
		mover.Fill(dst, at+int64(done), size)
		for j := range size {
			y := make([]float64, to.Count)
			for i, row := range still {
				for k, f := range row {
					if c, ok := moving[[2]int{i, k}]; ok {
						require.LessOrEqual(t, math.Abs(dst[c][j]), 1+1e-9, "what stands still bounds what moves")
						f *= dst[c][j]
					}
					y[i] += f * x[k]
				}
			}
			out = append(out, y)
		}
	}
	return out
}

// A source in a field that turns over time is at each sample where the turn of that sample puts it, in every norm, at any speed.
func TestAFieldTurnsOverTime(t *testing.T) {
	yaw := automation.Curve{{At: 0, Value: -90}, {At: 96000, Value: 270}} // once around in two seconds
	pitch := automation.Curve{{At: 0, Value: 0}, {At: 48000, Value: 60}}
	roll := automation.Curve{{At: 1000, Value: -30}, {At: 90000, Value: 200}}
	for _, c := range []struct {
		from, to string
		off      float64
	}{{"ambisonic 1 SN3D", "ambisonic 1 SN3D", 1e-5}, {"ambisonic 3 SN3D", "ambisonic 3 N3D", 3e-5}, {"ambisonic 3 FuMa", "ambisonic 3 SN3D", 3e-5}, {"ambisonic 3 N3D", "ambisonic 1 FuMa", 1e-5}, {"ambisonic 7 SN3D", "ambisonic 7 SN3D", 6e-5}} {
		from, to := fieldLayout(t, c.from), fieldLayout(t, c.to)
		p := weave.Patch{Preset: weave.Field, Turning: &weave.Turning{Yaw: yaw, Pitch: pitch, Roll: roll}}
		x := ambisonic.Encode(from, 40, 20, 0)
		got := turned(t, p, from, to, x, 30000, 200, 200)
		for j := 0; j < len(got); j += 7 {
			at := int64(30000 + j)
			turn := ambisonic.Turn{Yaw: yaw.Value(at), Pitch: pitch.Value(at), Roll: roll.Value(at)}
			m, err := weave.Patch{Preset: weave.Field, Turn: &turn}.Between(from, to)
			require.NoError(t, err)
			want := through(m, x)
			for i := range want {
				assert.InDelta(t, want[i], got[j][i], c.off*math.Abs(ambisonic.Scale(to, i))*2, "%s to %s, channel %d", c.from, c.to, i)
			}
		}
		// However it is cut, it is the same.
		assert.Equal(t, got, turned(t, p, from, to, x, 30000, 200, 37), c.from)
	}
}

// A curve of one angle goes with the others at rest, and a mirror before it.
func TestOneAngleMoves(t *testing.T) {
	l := fieldLayout(t, "ambisonic 2 SN3D")
	p := weave.Patch{Preset: weave.Field, Mirror: ambisonic.LeftRight, Turn: &ambisonic.Turn{Pitch: 25, Yaw: 11}, Turning: &weave.Turning{Yaw: automation.Curve{{At: 0, Value: 30}}}}
	x := ambisonic.Encode(l, 70, -10, 0)
	got := turned(t, p, l, l, x, 0, 10, 10)
	want, err := weave.Patch{Preset: weave.Field, Mirror: p.Mirror, Turn: &ambisonic.Turn{Pitch: 25, Yaw: 30}}.Between(l, l)
	require.NoError(t, err)
	assert.InDeltaSlice(t, through(want, x), got[5], 1e-12)
	assert.True(t, p.Moves())
	moved := p.Curves(func(c automation.Curve) automation.Curve { return c.Moved(500) })
	assert.Equal(t, int64(500), moved.Turning.Yaw[0].At, "inserted time takes it along")
	assert.Equal(t, int64(0), p.Turning.Yaw[0].At)
	assert.False(t, p.Equal(moved))
	assert.True(t, weave.Patch{Preset: weave.Field}.Equal(weave.Patch{Preset: weave.Field, Turning: &weave.Turning{}}))
	for _, bad := range []weave.Turning{{Yaw: automation.Curve{{At: 0, Value: 1e6}}}, {Roll: automation.Curve{{At: 5, Value: 0}, {At: 5, Value: 1}}}, {Pitch: automation.Curve{{At: 0, Value: math.NaN()}}}} {
		_, err := weave.Patch{Preset: weave.Field, Turning: &bad}.Between(l, l)
		assert.Error(t, err)
	}
}

func BenchmarkTurning(b *testing.B) {
	for _, order := range []int{1, 3, 7} {
		b.Run(fmt.Sprint("order ", order), func(b *testing.B) {
			l, err := audio.AmbisonicLayout(order, audio.SN3D)
			require.NoError(b, err)
			p := weave.Patch{Preset: weave.Field, Turning: &weave.Turning{Yaw: automation.Curve{{At: 0, Value: 0}, {At: 480000, Value: 300}}}}
			mover, _, err := p.Mover(l, l)
			require.NoError(b, err)
			dst := make([][]float64, len(mover.Cells))
			for i := range dst {
				dst[i] = make([]float64, 8192)
			}
			b.ResetTimer()
			for n := range b.N {
				mover.Fill(dst, int64(n)*8192, 8192)
			}
			b.ReportMetric(8192/48000.0*float64(b.N)/b.Elapsed().Seconds(), "×realtime")
		})
	}
}
