package weave_test

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/snag"
	"zestyloom/core/weave"
)

func TestDefault(t *testing.T) {
	w := weave.Default()
	require.NoError(t, w.Check())
	var names []string
	for _, o := range w.Outputs {
		names = append(names, o.Name)
	}
	assert.Equal(t, []string{"DX L", "DX R", "MX L", "MX R", "FX L", "FX R"}, names)
	_, ok := w.Stem("VO")
	assert.True(t, ok, "voice-over is there, and on no output")
}

func TestWeights(t *testing.T) {
	stereo, mono := weave.Stem{ID: "S", Layout: "stereo"}, weave.Stem{ID: "M", Layout: "mono"}
	half := math.Sqrt2 / 2
	for _, c := range []struct {
		stem weave.Stem
		gain float64
		pos  weave.Position
		want []float64
	}{
		{stereo, 0, weave.Both, []float64{1, 1}}, {stereo, 0, weave.BothMinus, []float64{half, half}}, {stereo, 0, weave.Left, []float64{1, 0}},
		{stereo, 0, weave.Right, []float64{0, 1}}, {stereo, -20, weave.Both, []float64{0.1, 0.1}}, {mono, 20, weave.Left, []float64{10}},
		{stereo, weave.MinGain, weave.Both, []float64{0, 0}},
	} {
		assert.InDeltaSlice(t, c.want, weave.Route{Stem: c.stem.ID, GainDB: c.gain, Position: c.pos}.Weights(c.stem), 1e-15, "%+v", c)
	}
	assert.Equal(t, []float64{1, 1}, weave.Route{Position: weave.Both}.Weights(stereo), "unity is exactly 1")
}

// The product is what multiplying the two grids out by hand gives.
func TestMatrixIsTheProduct(t *testing.T) {
	w := weave.Default()
	w.Routes["a"] = weave.Route{Stem: "DX", GainDB: -6, Position: weave.BothMinus}
	w.Routes["b"] = weave.Route{Stem: "FX", Position: weave.Right}
	w.Routes["c"] = weave.Route{Stem: "VO", Position: weave.Both}
	tracks := []string{"a", "b", "c", "none"}
	m := w.Matrix(tracks)
	require.Len(t, m, 6)
	for o, out := range w.Outputs {
		for k, id := range tracks {
			want := 0.0
			for _, s := range w.Stems {
				for c := range s.Speakers() {
					r, ok := w.Routes[id]
					first, second := 0.0, 0.0
					if ok && r.Stem == s.ID {
						first = r.Weights(s)[c]
					}
					if out.Stem == s.ID && out.Channel == c {
						second = 1
					}
					want += first * second
				}
			}
			assert.Equal(t, want, m[o][k], "output %d track %s", o+1, id)
		}
	}
}

func TestResizeKeepsWhatStays(t *testing.T) {
	w := weave.Default()
	w.Outputs[1].Name = "My own"
	for _, n := range []int{8, 2, 6, 64, 1} {
		outs, err := w.Resize(n)
		require.NoError(t, err)
		require.Len(t, outs, n)
		require.NoError(t, w.CheckOutputs(outs))
		assert.Equal(t, w.Outputs[:min(n, 6)], outs[:min(n, 6)])
	}
	outs, err := w.Resize(9)
	require.NoError(t, err)
	assert.Equal(t, "VO", outs[6].Stem, "new outputs take what none carries")
	assert.Empty(t, outs[8].Stem, "and then silence")
	for _, n := range []int{0, -1, 65} {
		_, err := w.Resize(n)
		assert.Error(t, err)
	}
}

func TestRefusals(t *testing.T) {
	w := weave.Default()
	for code, err := range map[string]error{
		"no_such_stem": w.CheckRoute(weave.Route{Stem: "nope", Position: weave.Both}),
		"bad_gain":     w.CheckRoute(weave.Route{Stem: "DX", GainDB: math.NaN(), Position: weave.Both}),
		"bad_position": w.CheckRoute(weave.Route{Stem: "DX", Position: "above"}),
		"bad_output":   w.CheckOutputs([]weave.Output{{Name: "a"}, {Name: "a"}}),
	} {
		if assert.Error(t, err, code) {
			assert.Equal(t, code, snag.Of(err).Code)
		}
	}
	assert.Error(t, w.CheckOutputs([]weave.Output{{Name: "a", Stem: "DX", Channel: 2}}))
	assert.Error(t, w.CheckOutputs([]weave.Output{{Name: ""}}))
	assert.Error(t, w.CheckOutputs(make([]weave.Output, 65)))
}
