package loudness_test

import (
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/audio"
	"zestyloom/core/automation"
	"zestyloom/core/loudness"
	"zestyloom/internal/testmedia"
)

// whole measures a sound, and counts the frames that are read of it again.
func whole(t *testing.T, l audio.Layout, b audio.Block) (w loudness.Whole, read *int64) {
	m, err := loudness.NewMeter(l, 48000, loudness.Options{Peaks: true, Floor: -12})
	require.NoError(t, err)
	m.Add(b)
	m.Result()
	read = new(int64)
	w = loudness.Whole{Layout: l, Rate: 48000, Frames: int64(b.Frames()), Powers: m.Powers(), Floor: -12}
	for _, p := range m.Peaks() {
		w.Peaks = append(w.Peaks, float32(p))
	}
	w.Read = func(from, to int64, fn func(b audio.Block) error) error {
		*read += to - from
		for at := from; at < to; at += 1000 {
			part := audio.NewBlock(len(b), int(min(1000, to-at)))
			for c := range part {
				copy(part[c], b[c][at:])
			}
			if err := fn(part); err != nil {
				return err
			}
		}
		return nil
	}
	return w, read
}

func gained(b audio.Block, c loudness.Correction, peaks automation.Curve, spared int) audio.Block {
	out := audio.NewBlock(len(b), b.Frames())
	for ch := range b {
		for i, v := range b[ch] {
			db := c.GainDB
			if len(c.Curve) > 0 {
				db += c.Curve.Value(int64(i))
			}
			if len(peaks) > 0 && ch != spared {
				db += peaks.Value(int64(i))
			}
			out[ch][i] = v * audio.Gain(db)
		}
	}
	return out
}

// The gain that is worked out holds the ceiling on two hundred programmes against a reference of 64 places, needs no point
// where nothing is near a peak, and leaves what is further than its reach as it is.
func TestCeilingHolds(t *testing.T) {
	rng := rand.New(rand.NewPCG(14, 50))
	over, held, still := math.Inf(-1), 0, 0
	programmes := testmedia.Sized(30, 200)
	for i := range programmes {
		ceiling := -1 - 5*rng.Float64()
		b := audio.Block{loudBand(rng, 9000), loudBand(rng, 9000)}
		w, _ := whole(t, layout(t, "stereo"), b)
		c, peaks, err := w.Correct(loudness.Target{TruePeak: &ceiling}, false)
		require.NoError(t, err)
		require.Zero(t, c.GainDB)
		require.NoError(t, peaks.Check(-60, 0))
		out := gained(b, c, peaks, -1)
		for ch := range out {
			over = max(over, audio.Decibels(fine(out[ch]))-ceiling)
		}
		if len(peaks) > 0 {
			held++
		}
		reach := int(loudness.NewCeiling(w.Layout, 48000, ceiling, false).Reach())
		near := make([]bool, 9000)
		for ch := range b {
			for k, v := range b[ch] {
				if math.Abs(v) > 0.5*audio.Gain(ceiling) {
					for j := max(0, k-reach-2); j < min(len(near), k+reach+3); j++ {
						near[j] = true
					}
				}
			}
		}
		for k := range near {
			if !near[k] {
				still++
				if len(peaks) > 0 {
					require.Zero(t, peaks.Value(int64(k)), "programme %d, frame %d", i, k)
				}
			}
		}
	}
	t.Logf("%d of %d held, at most %.4f dB over; %d samples out of reach as they were", held, programmes, over, still)
	assert.Greater(t, held, programmes*3/4)
	assert.Greater(t, still, 50*programmes)
	assert.Less(t, over, 0.05)
}

// A loudness is reached although the ceiling takes some of it, and only what comes above it is read again.
func TestLoudnessUnderACeiling(t *testing.T) {
	const seconds = 30
	b := audio.NewBlock(2, seconds*48000)
	rng := rand.New(rand.NewPCG(14, 51))
	for i := range b[0] {
		v := 0.05 * rng.NormFloat64()
		if i%48000 < 2400 && i > 10*48000 && i < 20*48000 { // hits
			v *= 5
		}
		b[0][i], b[1][i] = v, v
	}
	w, read := whole(t, layout(t, "stereo"), b)
	target, ceiling := -20.0, -4.0
	c, peaks, err := w.Correct(loudness.Target{Integrated: &target, TruePeak: &ceiling}, false)
	require.NoError(t, err)
	require.NotEmpty(t, peaks)
	assert.InDelta(t, target, c.Integrated, 0.03)
	m, err := loudness.NewMeter(w.Layout, 48000, loudness.Options{})
	require.NoError(t, err)
	m.Add(gained(b, c, peaks, -1))
	r := m.Result()
	assert.InDelta(t, target, r.Integrated, 0.05, "by the sound itself")
	assert.LessOrEqual(t, r.TruePeak.Value, ceiling+0.05)
	assert.Less(t, *read, int64(5*5*48000), "of thirty seconds five have peaks, in a few rounds")
	for at := int64(0); at < 9*48000; at += 480 {
		require.Zero(t, peaks.Value(at))
	}
}

// An LFE that is left alone needs nothing, and nothing is done to it.
func TestCeilingSparesTheLFE(t *testing.T) {
	b := audio.NewBlock(6, 48000)
	for i := range b[0] {
		b[0][i] = 0.1 * math.Sin(float64(i)*0.1)
	}
	b[3][24000] = 0.99
	w, _ := whole(t, layout(t, "5.1"), b)
	ceiling := -6.0
	_, peaks, err := w.Correct(loudness.Target{TruePeak: &ceiling}, true)
	require.NoError(t, err)
	assert.Empty(t, peaks)
	_, peaks, err = w.Correct(loudness.Target{TruePeak: &ceiling}, false)
	require.NoError(t, err)
	require.NotEmpty(t, peaks)
	assert.InDelta(t, audio.Decibels(audio.Gain(-6)/0.99), peaks.Value(24000), 0.05)
	assert.Zero(t, peaks.Value(20000))
}

// What a ceiling does to a steady tone above it is a gain that stands still: there is no distortion but at its ends.
func TestCeilingOnATone(t *testing.T) {
	x := make([]float64, 48000)
	for i := range x {
		x[i] = math.Sin(2 * math.Pi * 997 * float64(i) / 48000)
	}
	w, _ := whole(t, layout(t, "mono"), audio.Block{x})
	ceiling := -6.0
	_, peaks, err := w.Correct(loudness.Target{TruePeak: &ceiling}, false)
	require.NoError(t, err)
	least, most := peaks.Range(4800, 43200)
	assert.Less(t, most-least, 0.001)
	assert.LessOrEqual(t, len(peaks), 60)
}
