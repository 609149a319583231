package loudness_test

import (
	"fmt"
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/audio"
	"zestyloom/core/loudness"
	"zestyloom/core/snag"
	"zestyloom/internal/testmedia"
)

func want(v float64) *float64 { return &v }

// randomPowers is a programme by its powers alone.
func randomPowers(rng *rand.Rand, n int) loudness.Powers {
	p := make(loudness.Powers, n)
	level := -30.0
	for i := range p {
		if rng.IntN(25) == 0 {
			level = -45 + 38*rng.Float64()
		}
		p[i] = math.Pow(10, (level+3*rng.NormFloat64())/10)
	}
	return p
}

// The slow gain holds its limit on two hundred programmes, reaches the loudness asked for where it can, never moves
// faster than it may, and is not there where nothing near is too loud.
func TestSlowGain(t *testing.T) {
	rng := rand.New(rand.NewPCG(14, 30))
	reached, refused := 0, 0
	for i := range 200 {
		p := randomPowers(rng, 200+rng.IntN(1200))
		target := loudness.Target{Integrated: want(-23), ShortTerm: want(-22 + 5*rng.Float64()), Slope: []float64{0, 1, 4, 12}[i%4], Window: []float64{0, 1, 10}[i%3]}
		c, err := loudness.Correct(p, 48000, target)
		if err != nil {
			assert.Equal(t, "not_reached", snag.Of(err).Code)
			refused++
			continue
		}
		reached++
		window := loudness.Limits{Window: target.Window}.ShortTermPowers()
		// By the curve itself, as it will be applied: at twenty places a tenth.
		after := make(loudness.Powers, len(p))
		for k, v := range p {
			sum := 0.0
			for j := range 20 {
				sum += math.Pow(10, (c.GainDB+value(c, int64(k*4800+j*240+120)))/10)
			}
			after[k] = v * sum / 20
		}
		loudest, _ := after.Max(window)
		assert.LessOrEqual(t, loudest, *target.ShortTerm, "programme %d", i)
		assert.InDelta(t, -23, after.Integrated(), 0.1, "programme %d", i)
		slope := target.Slope
		if slope == 0 {
			slope = loudness.DefaultSlope
		}
		for k := 1; k < len(c.Curve); k++ {
			a, b := c.Curve[k-1], c.Curve[k]
			assert.LessOrEqual(t, math.Abs(b.Value-a.Value)/(float64(b.At-a.At)/48000), slope+1e-6)
			assert.LessOrEqual(t, b.Value, 0.0)
		}
	}
	t.Logf("%d reached, %d can't be", reached, refused)
	assert.Greater(t, reached, 120)
}

func value(c loudness.Correction, at int64) float64 {
	if len(c.Curve) == 0 {
		return 0
	}
	return c.Curve.Value(at)
}

// What need not be changed is not; where one place is too loud, only what is near it is.
func TestLeastChange(t *testing.T) {
	p := make(loudness.Powers, 3000)
	for i := range p {
		p[i] = math.Pow(10, -2.3+0.0691)
	}
	c, err := loudness.Correct(p, 48000, loudness.Target{Integrated: want(-23), ShortTerm: want(-20)})
	require.NoError(t, err)
	assert.InDelta(t, 0, c.GainDB, 1e-6)
	assert.Empty(t, c.Curve)
	for i := 1500; i < 1560; i++ {
		p[i] *= 10
	}
	c, err = loudness.Correct(p, 48000, loudness.Target{ShortTerm: want(-20)})
	require.NoError(t, err)
	assert.Zero(t, c.GainDB)
	assert.InDelta(t, 7, c.Deepest, 0.1)
	for _, k := range []int64{1000, 1450, 1610, 2000} {
		assert.Zero(t, c.Curve.Value(k*4800), "at %d", k)
	}
	assert.InDelta(t, -20, c.ShortTerm, 0.05)

	_, err = loudness.Correct(make(loudness.Powers, 100), 48000, loudness.Target{Integrated: want(-23)})
	assert.Equal(t, "nothing_to_measure", snag.Of(err).Code)
	_, err = loudness.Correct(p, 48000, loudness.Target{Integrated: want(-15), ShortTerm: want(-30)})
	assert.ErrorContains(t, err, "can't be reached")
	_, err = loudness.Correct(p, 48000, loudness.Target{TruePeak: want(3)})
	assert.ErrorContains(t, err, "ceiling")
	_, err = loudness.Correct(p, 48000, loudness.Target{Slope: math.NaN()})
	assert.ErrorContains(t, err, "slope")
	c, err = loudness.Correct(nil, 48000, loudness.Target{ShortTerm: want(-20), TruePeak: want(-1)})
	require.NoError(t, err, "a sound of less than a tenth of a second")
	assert.Empty(t, c.Curve)
}

// A correction, carried out on sound and measured again, has what was asked for.
func TestCorrected(t *testing.T) {
	rng := rand.New(rand.NewPCG(14, 31))
	for i := range testmedia.Sized(1, 6) {
		x, y := programme(rng, 48000), programme(rng, 48000)
		n := min(len(x), len(y))
		b := audio.Block{x[:n], y[:n]}
		m, before := measure(t, layout(t, "stereo"), 48000, b, rng)
		target := loudness.Target{Integrated: want(-23), ShortTerm: want(-18.5), TruePeak: want(-3)}
		c, err := loudness.Correct(m.Powers(), 48000, target)
		require.NoError(t, err)
		a, err := loudness.NewApplier(c, layout(t, "stereo"), 48000, false)
		require.NoError(t, err)
		out := make(audio.Block, 2)
		take := func(part audio.Block) {
			for ch := range out {
				out[ch] = append(out[ch], part[ch]...)
			}
		}
		for from := 0; from < n; from += 30000 {
			to := min(n, from+30000)
			take(a.Add(audio.Block{b[0][from:to], b[1][from:to]}))
		}
		take(a.End())
		require.Equal(t, n, out.Frames())
		am, after := measure(t, layout(t, "stereo"), 48000, out, rng)
		verdicts := loudness.Limits{Integrated: want(-23), Tolerance: 0.5, ShortTerm: want(-18.5), TruePeak: want(-2.95)}.Judge(after, am.Powers())
		for _, v := range verdicts {
			assert.True(t, v.Pass, "programme %d: %s %s, %v, before %v", i, v.What, v.Asked, fmt.Sprint(*v.Found), before.Integrated)
		}
	}
}

func TestVerdicts(t *testing.T) {
	l := loudness.Known()["r128-short"]
	require.NoError(t, l.Check())
	r := loudness.Result{Integrated: -20.2, TruePeak: loudness.Place{Value: -1.5, At: 77}, Rate: 48000, Frames: 48000}
	v := l.Judge(r, nil)
	require.Len(t, v, 3)
	assert.Equal(t, "2.30 LU too loud", v[0].Words)
	assert.False(t, v[0].Pass)
	assert.InDelta(t, -2.3, *v[0].Margin, 1e-9)
	assert.Equal(t, "kept", v[1].Words)
	assert.Equal(t, int64(77), *v[1].At)
	assert.Equal(t, "nothing to measure", v[2].Words)
	assert.True(t, v[2].Pass)

	for text, code := range map[string]string{
		`{"limits": {"integrated_lufs": -24, "tolerance_lu": 2}, "name": "Of ours"}`: "",
		`{"max_true_peak_dbtp": -2}`:  "",
		`{"name": "nothing"}`:         "nothing is asked",
		`[1]`:                         "no limits",
		`{"max_true_peak_dbtp": 900}`: "true peak",
		`{"max_short_term_lufs": -18, "short_term_window_s": 0.3}`: "window",
		`{"integrated_lufs": -24, "tolerance_lu": -1}`:             "tolerance",
	} {
		l, err := loudness.ParseLimits([]byte(text))
		if code == "" {
			require.NoError(t, err)
			continue
		}
		assert.ErrorContains(t, err, code)
		_ = l
	}
}
