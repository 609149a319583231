package monitor_test

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/audio"
	"zestyloom/core/monitor"
	"zestyloom/core/weave"
)

func TestLayoutsAreFoldedDown(t *testing.T) {
	h := math.Sqrt2 / 2
	for name, c := range map[string]struct {
		matrix [][2]float64
		says   string
	}{
		"mono":             {[][2]float64{{1, 1}}, "mono, on both sides at 0 dB"},
		"stereo":           {[][2]float64{{1, 0}, {0, 1}}, "left and right, at 0 dB"},
		"LCR":              {[][2]float64{{1, 0}, {h, h}, {0, 1}}, "LCR folded down (BS.775: C and surrounds at -3.0 dB)"},
		"5.1":              {[][2]float64{{1, 0}, {0, 1}, {h, h}, {0, 0}, {h, 0}, {0, h}}, "5.1 folded down (BS.775: C and surrounds at -3.0 dB, LFE left out)"},
		"ambisonic 1 SN3D": {[][2]float64{{0.5, 0.5}, {0.5, -0.5}, {0, 0}, {0, 0}}, "ambisonic as two cardioids to the sides"},
		"ambisonic 1 FuMa": {[][2]float64{{0.5 / h, 0.5 / h}, {0, 0}, {0.5, -0.5}, {0, 0}}, "ambisonic as two cardioids to the sides"},
		"discrete 4":       {[][2]float64{{0.5, 0.5}, {0.5, 0.5}, {0.5, 0.5}, {0.5, 0.5}}, "4 channels on both sides, each at -6.0 dB"},
	} {
		l, err := audio.ParseLayout(name)
		require.NoError(t, err, name)
		f := monitor.FoldLayout(l)
		assert.Equal(t, c.matrix, f.Matrix, name)
		assert.Equal(t, c.says, f.Says)
	}
}

// A mix rides on further outputs and is the sum of the stems: heard with them it would be twice as loud.
func TestOutputsAreFoldedDown(t *testing.T) {
	w := weave.Default()
	w.Buses = append(w.Buses, weave.Bus{ID: "full", Name: "Full mix", Role: weave.Mix, Layout: "stereo"})
	w.Outputs = append(w.Outputs, weave.Output{Name: "silence"}, weave.Output{Name: "again", Bus: "DX", Channel: 1},
		weave.Output{Name: "Mix L", Bus: "full"}, weave.Output{Name: "Mix R", Bus: "full", Channel: 1})
	f := monitor.FoldOutputs(w)
	assert.Equal(t, [][2]float64{{1, 0}, {0, 1}, {1, 0}, {0, 1}, {1, 0}, {0, 1}, {}, {}, {}, {}}, f.Matrix)
	assert.Equal(t, "DX, MX, FX, folded down to two sides and added up at 0 dB; Full mix left out, being made of the others", f.Says)
	w.Outputs = w.Outputs[8:]
	f = monitor.FoldOutputs(w)
	assert.Equal(t, [][2]float64{{1, 0}, {0, 1}}, f.Matrix)
	// A fold-down beside what it is made of would be the same sound again.
	w.Buses = append(w.Buses, weave.Bus{ID: "wide", Name: "Wide mix", Role: weave.Mix, Layout: "5.1"})
	w.Sends["wide"] = []weave.Send{{To: "full", Patch: weave.Patch{Preset: weave.Folded}}}
	w.Outputs = append(w.Outputs, weave.Output{Name: "Wide L", Bus: "wide"})
	f = monitor.FoldOutputs(w)
	assert.Equal(t, [][2]float64{{}, {}, {1, 0}}, f.Matrix)
	assert.Equal(t, "Wide mix, folded down to two sides and added up at 0 dB; Full mix left out, being made of the others", f.Says)
	w.Outputs = []weave.Output{{Name: "silence"}}
	assert.Equal(t, "nothing: every output carries silence", monitor.FoldOutputs(w).Says)
}

// Some outputs alone: a mix that is left out among all is heard by itself, a channel of a pair on its side with others and on both
// by itself, and places that are not there are passed over.
func TestSomeOutputsAreFoldedDown(t *testing.T) {
	w := weave.Default()
	w.Buses = append(w.Buses, weave.Bus{ID: "full", Name: "Full mix", Role: weave.Mix, Layout: "stereo"})
	w.Outputs = append(w.Outputs, weave.Output{Name: "Mix L", Bus: "full"}, weave.Output{Name: "Mix R", Bus: "full", Channel: 1})
	was := w.Clone()
	f := monitor.FoldSome(w, []int{7, 6})
	assert.Equal(t, [][2]float64{{}, {}, {}, {}, {}, {}, {1, 0}, {0, 1}}, f.Matrix)
	assert.Equal(t, "Full mix, folded down to two sides and added up at 0 dB", f.Says)
	assert.Equal(t, [][2]float64{{}, {0, 1}, {1, 0}, {}, {}, {}, {}, {}}, monitor.FoldSome(w, []int{1, 2}).Matrix)
	f = monitor.FoldSome(w, []int{3, 3, -1, 99})
	assert.Equal(t, [][2]float64{{}, {}, {}, {1, 1}, {}, {}, {}, {}}, f.Matrix)
	assert.Equal(t, "MX R on both sides at 0 dB", f.Says)
	assert.Equal(t, was, w, "the weave is as it was")
}
