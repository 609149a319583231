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
	"zestyloom/internal/cli"
	"zestyloom/internal/testmedia"
)

// quietNoise writes a file of two channels at a level.
func quietNoise(t *testing.T, path string, seed uint64, factor float64) {
	t.Helper()
	rng := rand.New(rand.NewPCG(seed, 36))
	channels := [][]float64{noise(rng, 96000), noise(rng, 96000)}
	for _, x := range channels {
		for i := range x {
			x[i] *= factor
		}
	}
	testmedia.WriteAs(t, path, wave.Options{Format: wave.Format{Coding: audio.S24, SampleRate: 48000, Channels: 2, Mask: 3}}, channels...)
}

// What is done to many files is done to each of them; one that can't be read keeps none of the others back, and no two of them are
// written under one name.
func TestManyFilesAtOnce(t *testing.T) {
	dir := t.TempDir()
	a, b, bad := filepath.Join(dir, "a.wav"), filepath.Join(dir, "b.wav"), testmedia.Path(t, "not_a_wave.wav")
	require.NoError(t, os.Mkdir(filepath.Join(dir, "other"), 0o755))
	same := filepath.Join(dir, "other", "A.wav")
	quietNoise(t, a, 1, 0.2)
	quietNoise(t, b, 2, 0.05)
	quietNoise(t, same, 3, 0.1)
	for name, args := range map[string][]string{
		"split":   {"split"},
		"label":   {"label", "--set", "1=Boom"},
		"correct": {"correct", "--integrated", "-23"},
	} {
		t.Run(name, func(t *testing.T) {
			out := filepath.Join(t.TempDir(), "out")
			said, err := output(t, append(args, "--json", "--out", out, a, bad, b, same)...)
			assert.Equal(t, 1, cli.Status(err))
			got := lines(t, said)
			require.Len(t, got, 4, said)
			assert.Equal(t, "bad_format", got[1]["error"].(map[string]any)["code"])
			assert.Equal(t, "names_clash", got[3]["error"].(map[string]any)["code"])
			files, err := os.ReadDir(out)
			require.NoError(t, err)
			want := 2
			if name == "split" {
				want = 4
			}
			assert.Len(t, files, want)
			if name == "correct" {
				for i, k := range []int{0, 2} {
					after := got[k]["after"].(map[string]any)
					assert.InDelta(t, -23, after["integrated_lufs"], 0.1)
					assert.NotZero(t, got[k]["gain_db"], i)
				}
				assert.NotEqual(t, got[0]["gain_db"], got[2]["gain_db"], "each by what it needs itself")
			}
		})
	}
}

// A dry run says what a run then does, and writes nothing: no file, no folder, nothing beside.
func TestDryRunsWriteNothing(t *testing.T) {
	dir := t.TempDir()
	sound, clip, film := filepath.Join(dir, "in.wav"), filepath.Join(dir, "clip.mov"), filepath.Join(dir, "film.mov")
	quietNoise(t, sound, 4, 0.1)
	require.NoError(t, exec.Command("ffmpeg", "-v", "error", "-f", "lavfi", "-i", "testsrc=size=64x48:rate=25:duration=2", "-c:v", "libx264", "-pix_fmt", "yuv420p", clip).Run())
	_, err := output(t, "wrap", "--picture", clip, "--groups", "2", sound, "--out", film)
	require.NoError(t, err)
	for name, args := range map[string][]string{
		"split":   {"split", sound, "--out", "parts"},
		"label":   {"label", sound, "--set", "1=Boom", "--out", "labelled.wav"},
		"correct": {"correct", sound, "--peak", "-3", "--integrated", "-20", "--out", "loud.wav"},
		"route":   {"route", sound, "--fold", "mono", "--out", "mono.wav"},
		"tone":    {"tone", "--seconds", "1", "--out", "tones"},
		"wrap":    {"wrap", "--picture", clip, "--groups", "1+1", sound, "--out", "two.mov"},
		"extract": {"extract", film, "--out", "sounds"},
		"join":    {"join", sound, "--out", "joined.wav"},
	} {
		t.Run(name, func(t *testing.T) {
			t.Chdir(t.TempDir())
			planned, err := output(t, append(args, "--dry-run")...)
			require.NoError(t, err)
			assert.Contains(t, planned, "(not written)")
			left, err := os.ReadDir(".")
			require.NoError(t, err)
			assert.Empty(t, left)

			asJSON, err := output(t, append(args, "--dry-run", "--json")...)
			require.NoError(t, err)
			done, err := output(t, append(args, "--json")...)
			require.NoError(t, err)
			would, did := lines(t, asJSON), lines(t, done)
			require.Len(t, would, len(did))
			for i := range did {
				assert.Equal(t, did[i]["path"], would[i]["path"])
				assert.Equal(t, did[i]["frames"], would[i]["frames"])
			}
			_, err = output(t, append(args, "--dry-run")...)
			assert.Equal(t, 1, cli.Status(err), "what is there is not overwritten, and a dry run says so")
		})
	}
}
