package cli_test

import (
	"os/exec"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/internal/cli"
)

// Recordings made by another program: the same noise from 12 s on, turned over, at another rate, as
// two channels of which one is something else, and something else altogether.
func TestAlign(t *testing.T) {
	dir := t.TempDir()
	file := func(name string) string { return filepath.Join(dir, name) }
	sox := func(args ...string) {
		out, err := exec.Command("sox", append([]string{"-D", "-R"}, args...)...).CombinedOutput()
		require.NoError(t, err, "%s", out)
	}
	sox("-n", "-r", "48000", "-b", "24", file("ref.wav"), "synth", "60", "whitenoise", "tremolo", "2.3", "90", "lowpass", "3000", "gain", "-10")
	sox(file("ref.wav"), file("turned.wav"), "trim", "12", "30", "vol", "-1")
	sox(file("ref.wav"), "-r", "44100", file("rate.wav"), "trim", "12", "30")
	sox("-n", "-r", "48000", "-b", "24", file("other.wav"), "synth", "30", "brownnoise", "gain", "-3")
	sox("-M", file("other.wav"), file("turned.wav"), file("two.wav"))
	sox(file("ref.wav"), file("late.wav"), "trim", "12")
	out, err := output(t, "align", "--json", file("ref.wav"), file("turned.wav"), file("rate.wav"), file("other.wav"), file("missing.wav"), file("two.wav"))
	assert.ErrorAs(t, err, new(cli.Reported), "one file is not there")
	got := lines(t, out)
	require.Len(t, got, 5)
	for _, key := range []string{"path", "offset_seconds", "offset_samples", "certainty", "polarity", "drift_ppm", "reason"} {
		assert.Contains(t, got[0], key)
	}
	assert.Regexp(t, `"offset_seconds":12\.\d{7,}`, out)
	for i, polarity := range map[int]float64{0: -1, 1: 1, 4: -1} {
		assert.Equal(t, "certain", got[i]["certainty"], got[i])
		assert.InDelta(t, 12, got[i]["offset_seconds"], 1.0/48000)
		assert.InDelta(t, 12*48000, got[i]["offset_samples"], 1)
		assert.Equal(t, polarity, got[i]["polarity"])
		assert.Nil(t, got[i]["drift_ppm"], "half a minute is too short to tell")
	}
	assert.Equal(t, "none", got[2]["certainty"])
	assert.Contains(t, got[3], "error")

	out, err = output(t, "align", file("late.wav"), file("ref.wav"))
	require.NoError(t, err)
	assert.Contains(t, out, "certain, -12.0000000 s (-576000.00 samples)", "negative when it started earlier")
	_, err = output(t, "align", file("ref.wav"))
	assert.ErrorAs(t, err, new(cli.UsageError))
}
