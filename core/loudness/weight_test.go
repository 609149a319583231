package loudness_test

import (
	"math"
	"math/rand/v2"
	"os/exec"
	"path/filepath"
	"regexp"
	"strconv"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/audio"
	"zestyloom/core/loudness"
	"zestyloom/internal/testmedia"
)

func square(rate int, hz, amplitude float64) float64 {
	w := loudness.NewWeighting(rate)
	x := make([]float64, 3*rate)
	for i := range x {
		x[i] = amplitude * math.Sin(2*math.Pi*hz*float64(i)/float64(rate))
	}
	w.Apply(x)
	sum := 0.0
	for _, v := range x[rate:] { // once it has settled
		sum += v * v / float64(2*rate)
	}
	return sum
}

// A stereo sine of 1 kHz reads its peak level (EBU Tech 3341, signals 1 and 2), at any rate.
func TestSine(t *testing.T) {
	for _, rate := range []int{44100, 48000, 96000} {
		for _, db := range []float64{-23, -33} {
			z := square(rate, 1000, audio.Gain(db))
			assert.InDelta(t, db, loudness.Of([]float64{z, z}, []float64{1, 1}), 0.1, "%d Hz", rate)
		}
	}
	assert.True(t, math.IsInf(loudness.Of([]float64{0}, []float64{1}), -1))
}

// The tone that the standard calibrates with reads the same at every rate.
func TestCalibration(t *testing.T) {
	want := square(48000, loudness.CalibrationHz, 0.1)
	for _, rate := range []int{32000, 44100, 88200, 96000, 176400, 192000} {
		assert.InDelta(t, 0, 10*math.Log10(square(rate, loudness.CalibrationHz, 0.1)/want), 0.002, "%d Hz", rate)
	}
}

// The impulse response at 48 kHz is that of the coefficients that BS.1770 prints.
func TestCoefficients(t *testing.T) {
	x := make([]float64, 2000)
	x[0] = 1
	loudness.NewWeighting(48000).Apply(x)
	y := make([]float64, 2000)
	y[0] = 1
	for _, c := range [][5]float64{
		{1.53512485958697, -2.69169618940638, 1.19839281085285, -1.69065929318241, 0.73248077421585},
		{1, -2, 1, -1.99004745483398, 0.99007225036621},
	} {
		in := append([]float64(nil), y...)
		at := func(s []float64, i int) float64 {
			if i < 0 {
				return 0
			}
			return s[i]
		}
		for i := range y {
			y[i] = c[0]*in[i] + c[1]*at(in, i-1) + c[2]*at(in, i-2) - c[3]*at(y, i-1) - c[4]*at(y, i-2)
		}
	}
	assert.InDeltaSlice(t, y, x, 1e-9)
}

// Noise that is steady reads what another meter, which shares no code with this one, reads of it.
func TestAgainstFFmpeg(t *testing.T) {
	for _, rate := range []int{44100, 48000, 96000} {
		rnd := rand.New(rand.NewPCG(1, uint64(rate)))
		x := make([]float64, 8*rate)
		y := 0.0
		for i := range x {
			y += 0.1 * (rnd.NormFloat64() - y)
			x[i] = math.Max(-1, math.Min(1, 0.3*y))
		}
		path := filepath.Join(t.TempDir(), "noise.wav")
		testmedia.Write(t, path, audio.F32, rate, x, x)
		out, err := exec.Command("ffmpeg", "-nostats", "-i", path, "-af", "ebur128", "-f", "null", "-").CombinedOutput()
		require.NoError(t, err, "%s", out)
		all := regexp.MustCompile(`I:\s+(-?[\d.]+) LUFS`).FindAllSubmatch(out, -1)
		require.NotEmpty(t, all)
		want, err := strconv.ParseFloat(string(all[len(all)-1][1]), 64)
		require.NoError(t, err)
		loudness.NewWeighting(rate).Apply(x)
		z := 0.0
		for _, v := range x {
			z += v * v / float64(len(x))
		}
		assert.InDelta(t, want, loudness.Of([]float64{z, z}, []float64{1, 1}), 0.1, "%d Hz", rate)
	}
}
