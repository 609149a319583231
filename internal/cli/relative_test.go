package cli_test

import (
	"math/rand/v2"
	"os"
	"os/exec"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/audio"
	"zestyloom/core/wave"
	"zestyloom/internal/testmedia"
)

// Files are named as a person at a shell names them, from where one is; and odd names are names.
func TestNamesFromWhereOneIs(t *testing.T) {
	dir := t.TempDir()
	t.Chdir(dir)
	require.NoError(t, os.MkdirAll("in %d's", 0o755))
	clip, sound := filepath.Join("in %d's", "clip ü.mov"), filepath.Join("in %d's", "six.wav")
	require.NoError(t, exec.Command("ffmpeg", "-v", "error", "-f", "lavfi", "-i", "testsrc=size=64x48:rate=25:duration=1", "-c:v", "libx264", "-pix_fmt", "yuv420p", clip).Run())
	rng := rand.New(rand.NewPCG(16, 1))
	var channels [][]float64
	for range 6 {
		channels = append(channels, noise(rng, 48000))
	}
	testmedia.WriteAs(t, sound, wave.Options{Format: wave.Format{Coding: audio.S24, SampleRate: 48000, Channels: 6}, Bext: &wave.Bext{TimeReference: 10 * 3600 * 48000, Version: 1}}, channels...)
	said, err := output(t, "wrap", "--picture", clip, "--groups", "2+1+1+2", sound, "--out", "out.mov")
	require.NoError(t, err, said)
	for i, command := range [][]string{{"unwrap", "out.mov", "--out", "parts"}, {"extract", "out.mov", "--out", filepath.Join("deep", "in %d's")}, {"unwrap", "--one", "out.mov", "--out", "."}} {
		said, err := output(t, append(command, "--json")...)
		require.NoError(t, err, said)
		at := 0
		for _, f := range lines(t, said)[0]["files"].([]any) {
			got, _ := samples(t, f.(map[string]any)["path"].(string))
			for _, x := range got {
				assert.Equal(t, channels[at], x)
				at++
			}
		}
		assert.Equal(t, 6, at, "command %d", i)
	}
	left, err := filepath.Glob(filepath.Join("*", ".extracting*"))
	require.NoError(t, err)
	assert.Empty(t, left)
}
