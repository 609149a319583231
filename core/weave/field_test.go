package weave_test

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/ambisonic"
	"zestyloom/core/audio"
	"zestyloom/core/automation"
	"zestyloom/core/spatial"
	"zestyloom/core/weave"
)

func fieldLayout(t *testing.T, name string) audio.Layout {
	t.Helper()
	l, err := audio.ParseLayout(name)
	require.NoError(t, err)
	return l
}

func through(m audio.Matrix, x []float64) []float64 {
	out := make([]float64, len(m))
	for i, row := range m {
		for k, f := range row {
			out[i] += f * x[k]
		}
	}
	return out
}

// A source that is placed in a sound field, turned, converted, decoded and heard again is where it was put.
func TestASoundFieldFromEndToEnd(t *testing.T) {
	field, fuma, ring := fieldLayout(t, "ambisonic 3 SN3D"), fieldLayout(t, "ambisonic 3 FuMa"), fieldLayout(t, "7.0")
	for az := -170.0; az < 180; az += 20 {
		place := weave.Patch{Preset: weave.Placed, Places: []weave.Place{{Position: spatial.Position{Azimuth: az}}}}
		in, err := place.Between(fieldLayout(t, "mono"), field)
		require.NoError(t, err)
		turn := weave.Patch{Preset: weave.Field, Mirror: ambisonic.LeftRight, Turn: &ambisonic.Turn{Yaw: 40}}
		turned, err := turn.Between(field, fuma)
		require.NoError(t, err)
		out, err := weave.Patch{Preset: weave.Decoded, Decoding: ambisonic.ModeMatching}.Between(fuma, ring)
		require.NoError(t, err)
		speakers := through(out, through(turned, through(in, []float64{1})))
		x, y := 0.0, 0.0
		for i, g := range speakers {
			d, _ := ring.Direction(i)
			s, c := math.Sincos(d.Azimuth * math.Pi / 180)
			x, y = x+g*c, y+g*s
		}
		assert.InDelta(t, 0, math.Remainder(math.Atan2(y, x)*180/math.Pi-(40-az), 360), 0.01, "mirrored, then turned by 40°, from %g°", az)
	}
}

func TestWaysOfSoundFields(t *testing.T) {
	for _, c := range []struct {
		from, to string
		preset   weave.Preset
		says     string
	}{
		{"ambisonic 1 FuMa", "ambisonic 1 SN3D", weave.Field, "converted to ambisonic 1 SN3D"},
		{"ambisonic 3 SN3D", "ambisonic 1 SN3D", weave.Field, "converted to ambisonic 1 SN3D, orders 2 to 3 are left out: directions are less sharp, by 12 channels"},
		{"ambisonic 1 SN3D", "5.1", weave.Decoded, "decoded to 5.1, fitted, order 1, directions within 0.1° and levels within 0.1 dB, what is above and below left out"},
		{"ambisonic 3 SN3D", "7.1.4", weave.Decoded, "decoded to 7.1.4, fitted, order 3, directions within 0.3°, above within 3.6°, and levels within 0.1 dB"},
		{"ambisonic 2 SN3D", "stereo", weave.Decoded, "two virtual cardioids, 90° to the left and to the right"},
		{"5.1", "ambisonic 2 N3D", weave.Encoded, "encoded where its speakers stand, LFE left out"},
		{"mono", "ambisonic 1 SN3D", weave.Placed, "placed at 0°"},
		{"mono", "stereo total", weave.Folded, "folded down: matrixed"},
		{"stereo", "stereo total", weave.Folded, "folded down: matrixed"},
		{"stereo total", "stereo total", weave.Plain, "as it is"},
		{"7.1.4", "stereo total", weave.Folded, "folded down: matrixed, Lss Rss Lsr Rsr Ltr Rtr 90° ahead, at -1.8 and -4.8 dB, LFE left out"},
		{"ambisonic 1 SN3D", "ambisonic 1 SN3D", weave.Plain, "as it is"},
	} {
		from, to := fieldLayout(t, c.from), fieldLayout(t, c.to)
		p, ok := weave.Way(from, to, 0)
		require.True(t, ok, "%s into %s", c.from, c.to)
		assert.Equal(t, c.preset, p.Preset, "%s into %s", c.from, c.to)
		assert.Equal(t, c.says, p.Says(from, to))
		m, err := p.Between(from, to)
		require.NoError(t, err)
		require.NoError(t, m.Check(to.Count, from.Count))
	}
	// A patch of before there was a fit is what it was.
	assert.Equal(t, "decoded to 5.1, all-round, order 1, max-rE, what is above and below left out", weave.Patch{Preset: weave.Decoded}.Says(fieldLayout(t, "ambisonic 1 SN3D"), fieldLayout(t, "5.1")))
	// Orders of channels that are only moved are moved bit for bit.
	m, err := weave.Patch{Preset: weave.Field}.Between(fieldLayout(t, "ambisonic 1 FuMa"), fieldLayout(t, "ambisonic 1 SN3D"))
	require.NoError(t, err)
	assert.Equal(t, []float64{0, 0, 1, 0}, m[1])
	wide := 90.0
	p := weave.Patch{Preset: weave.Encoded, Spread: &wide}
	assert.Contains(t, p.Says(fieldLayout(t, "5.1"), fieldLayout(t, "ambisonic 2 SN3D")), "spread over 90°")
	tilt := weave.Patch{Preset: weave.Field, Mirror: ambisonic.UpDown, Turn: &ambisonic.Turn{Yaw: 10, Pitch: -20, Roll: 5}}
	assert.Equal(t, "mirrored up-down, turned by 10°, tilted by -20°, rolled by 5°", tilt.Says(fieldLayout(t, "ambisonic 1 SN3D"), fieldLayout(t, "ambisonic 1 SN3D")))
	far, neg := 400.0, ambisonic.Turn{Yaw: 500}
	for _, bad := range []struct {
		from, to string
		p        weave.Patch
	}{
		{"5.1", "stereo", weave.Patch{Preset: weave.Decoded}}, {"ambisonic 1 SN3D", "discrete 4", weave.Patch{Preset: weave.Decoded}},
		{"ambisonic 1 SN3D", "5.1", weave.Patch{Preset: weave.Decoded, Decoding: "x"}}, {"5.1", "ambisonic 1 SN3D", weave.Patch{Preset: weave.Encoded, Spread: &far}},
		{"ambisonic 1 SN3D", "ambisonic 1 SN3D", weave.Patch{Preset: weave.Field, Turn: &neg}}, {"ambisonic 1 SN3D", "ambisonic 1 SN3D", weave.Patch{Preset: weave.Field, Mirror: "x"}},
		{"mono", "discrete 2", weave.Patch{Preset: weave.Placed, Places: []weave.Place{{}}}}, {"discrete 2", "ambisonic 1 SN3D", weave.Patch{Preset: weave.Encoded}},
	} {
		_, err := bad.p.Between(fieldLayout(t, bad.from), fieldLayout(t, bad.to))
		assert.Error(t, err, "%s into %s", bad.from, bad.to)
	}
}

// A source moves through a sound field: at each sample its factors are those of where it is then.
func TestMovingInASoundField(t *testing.T) {
	l := fieldLayout(t, "ambisonic 2 N3D")
	around := automation.Curve{{At: 0, Value: -180}, {At: 16000, Value: 180}}
	p := weave.Patch{Preset: weave.Placed, Places: []weave.Place{{Moving: &weave.Path{Azimuth: around}}}}
	mover, _, err := p.Mover(fieldLayout(t, "mono"), l)
	require.NoError(t, err)
	require.Len(t, mover.Cells, 9)
	dst := make([][]float64, 9)
	for i := range dst {
		dst[i] = make([]float64, 1600)
	}
	mover.Fill(dst, 4000, 1600)
	for n := 0; n < 1600; n += 160 {
		want := ambisonic.Encode(l, around.Value(int64(4000+n)), 0, 0)
		for i := range dst {
			assert.InDelta(t, want[i], dst[i][n], 1e-9)
		}
	}
}
