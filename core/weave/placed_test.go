package weave_test

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"gonum.org/v1/gonum/dsp/fourier"

	"zestyloom/core/audio"
	"zestyloom/core/automation"
	"zestyloom/core/spatial"
	"zestyloom/core/weave"
)

func num(v float64) *float64 { return &v }

// Pairs: balance, width, summed at each law, by their formulas, into every bed that has both sides.
func TestPairPatches(t *testing.T) {
	stereo := layout(t, "stereo")
	for _, to := range audio.Beds() {
		l, r := to.Index("L"), to.Index("R")
		for _, p := range []weave.Patch{{Preset: weave.Balance, Position: 0.3}, {Preset: weave.Balance, Width: num(0)}, {Preset: weave.Balance, Position: -1, Width: num(1.5)}, {Preset: weave.Summed, Law: -6}, {Preset: weave.Summed, Law: -3}} {
			m, err := p.Between(stereo, to)
			if l < 0 || r < 0 {
				assert.Equal(t, to.Count == 1 && p.Preset == weave.Summed, err == nil, "%v into %s", p, to.Name)
				continue
			}
			require.NoError(t, err)
			left, right := 0.7, -0.2
			got := func(i int) float64 { return m[i][0]*left + m[i][1]*right }
			if p.Preset == weave.Summed {
				want := (left + right) * audio.Gain(p.Law)
				assert.InDelta(t, want, got(l), 2e-3)
				assert.Equal(t, got(l), got(r))
				continue
			}
			w := 1.0
			if p.Width != nil {
				w = *p.Width
			}
			mid, side := (left+right)/2, w*(left-right)/2
			assert.InDelta(t, (mid+side)*min(1, 1-p.Position), got(l), 1e-12)
			assert.InDelta(t, (mid-side)*min(1, 1+p.Position), got(r), 1e-12)
			for i := range m {
				if i != l && i != r {
					assert.Equal(t, []float64{0, 0}, m[i])
				}
			}
		}
	}
	m, err := weave.Patch{Preset: weave.Balance}.Between(stereo, stereo)
	require.NoError(t, err)
	assert.Equal(t, audio.Unity(2), m, "at rest it is what it was, exactly")
	m, err = weave.Patch{Preset: weave.BySpeaker}.Between(stereo, layout(t, "5.1"))
	require.NoError(t, err)
	assert.Equal(t, audio.Matrix{{1, 0}, {0, 1}, {0, 0}, {0, 0}, {0, 0}, {0, 0}}, m)
	_, err = weave.Patch{Preset: weave.BySpeaker}.Between(layout(t, "5.1"), stereo)
	assert.ErrorContains(t, err, "no speaker C")
}

// Fold-downs: the formula of BS.775 for 5.1, the words, and that every narrower bed has a way or says why not.
func TestFoldDowns(t *testing.T) {
	h := math.Sqrt2 / 2
	f, err := weave.FoldDown(layout(t, "5.1"), layout(t, "stereo only"), nil)
	require.NoError(t, err)
	assert.Equal(t, audio.Matrix{{1, 0, h, 0, h, 0}, {0, 1, h, 0, 0, h}}, f.Matrix)
	assert.Equal(t, "C to Lo and Ro at -3.0 dB, LFE left out, Ls to Lo at -3.0 dB, Rs to Ro at -3.0 dB", f.Says)
	f, err = weave.FoldDown(layout(t, "5.1"), layout(t, "stereo"), num(-10))
	require.NoError(t, err)
	assert.InDelta(t, 0.316228, f.Matrix[1][3], 1e-6)
	f, err = weave.FoldDown(layout(t, "7.1"), layout(t, "5.1"), nil)
	require.NoError(t, err)
	assert.Equal(t, []float64{0, 0, 0, 0, 1, 0, 1, 0}, f.Matrix[4])
	assert.Equal(t, []float64{0, 0, 0, 1, 0, 0, 0, 0}, f.Matrix[3], "an LFE has its own place")
	f, err = weave.FoldDown(layout(t, "7.1.4"), layout(t, "7.1"), nil)
	require.NoError(t, err)
	assert.Equal(t, h, f.Matrix[0][8])
	assert.Equal(t, h, f.Matrix[6][10])
	ways := 0
	for _, from := range audio.Beds() {
		for _, to := range audio.Beds() {
			f, err := weave.FoldDown(from, to, nil)
			if err != nil {
				continue
			}
			ways++
			require.NoError(t, f.Matrix.Check(to.Count, from.Count))
			for c, s := range from.Speakers {
				sum := 0.0
				for i := range f.Matrix {
					sum += f.Matrix[i][c]
				}
				assert.Equal(t, s == "LFE" && to.Index("LFE") < 0, sum == 0, "%s of %s in %s", s, from.Name, to.Name)
			}
		}
	}
	assert.Greater(t, ways, 60)
	p := weave.Patch{Preset: weave.Folded}
	_, err = p.Between(layout(t, "ambisonic 1 SN3D"), layout(t, "stereo"))
	assert.Error(t, err)
}

// A sine that is moved once around in two seconds has nothing above -90 dB beside its own band: no steps are heard.
func TestMovingPlacesMakeNoSteps(t *testing.T) {
	const rate, n, hz = 48000, 1 << 17, 997.0
	to := layout(t, "5.1")
	p := weave.Patch{Preset: weave.Placed, Places: []weave.Place{{Moving: &weave.Path{Azimuth: automation.Curve{{At: 0, Value: -180}, {At: 2 * rate, Value: 180}}}}}}
	m, still, err := p.Mover(layout(t, "mono"), to)
	require.NoError(t, err)
	require.NotNil(t, m)
	assert.Equal(t, 1.0, still[0][0])
	whole := make([][]float64, len(m.Cells))
	for i := range whole {
		whole[i] = make([]float64, n)
	}
	m.Fill(whole, 0, n)
	// The same from anywhere.
	part := make([][]float64, len(m.Cells))
	for i := range part {
		part[i] = make([]float64, 777)
	}
	m.Fill(part, 12345, 777)
	for i := range part {
		assert.Equal(t, whole[i][12345:12345+777], part[i])
	}
	fft := fourier.NewFFT(n)
	for c := range whole {
		x := make([]float64, n)
		for i := range x {
			window := 0.35875 - 0.48829*math.Cos(2*math.Pi*float64(i)/n) + 0.14128*math.Cos(4*math.Pi*float64(i)/n) - 0.01168*math.Cos(6*math.Pi*float64(i)/n)
			x[i] = window * whole[c][i] * math.Sin(2*math.Pi*hz*float64(i)/rate)
		}
		most := 0.0
		spectrum := fft.Coefficients(nil, x)
		for k, v := range spectrum {
			if f := float64(k) * rate / n; math.Abs(f-hz) > 100 {
				most = max(most, math.Hypot(real(v), imag(v))/(n*0.35875/2))
			}
		}
		assert.Less(t, audio.Decibels(most), -90.0, "channel %d", c)
	}
}

func TestPlacesAreChecked(t *testing.T) {
	mono, five := layout(t, "mono"), layout(t, "5.1")
	m, err := weave.Patch{Preset: weave.Placed, Places: []weave.Place{{Position: spatial.Position{Azimuth: 30}}}}.Between(mono, five)
	require.NoError(t, err)
	assert.Equal(t, audio.Matrix{{1}, {0}, {0}, {0}, {0}, {0}}, m)
	for _, bad := range []weave.Patch{
		{Preset: weave.Placed},
		{Preset: weave.Placed, Places: []weave.Place{{Position: spatial.Position{Azimuth: 300}}}},
		{Preset: weave.Placed, Places: []weave.Place{{Moving: &weave.Path{Spread: automation.Curve{{At: 0, Value: 999}}}}}},
	} {
		_, err := bad.Between(mono, five)
		assert.Error(t, err)
	}
	_, err = weave.Patch{Preset: weave.Placed, Places: []weave.Place{{}}}.Between(mono, layout(t, "discrete 2"))
	assert.ErrorContains(t, err, "speakers")
}
