package cli_test

import (
	"fmt"
	"math"
	"math/rand/v2"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/audio"
	"zestyloom/core/timecode"
	"zestyloom/core/wave"
	"zestyloom/internal/cli"
	"zestyloom/internal/testmedia"
)

// decodedBy is what ffmpeg makes of a file: interleaved samples of 32 bits.
func decodedBy(t *testing.T, path string) []byte {
	t.Helper()
	out, err := exec.Command("ffmpeg", "-v", "error", "-i", path, "-f", "s32le", "-c:a", "pcm_s32le", "-").Output()
	require.NoError(t, err)
	return out
}

// Every container, in and out of every other, holds what ffmpeg finds in the first; names and starts go along where there is a place.
func TestConvertIsExactBetweenContainers(t *testing.T) {
	dir := t.TempDir()
	rng := rand.New(rand.NewPCG(36, 1))
	original := filepath.Join(dir, "original.wav")
	x := wave.NewIXML()
	x.SetTracks([]wave.IXMLTrack{{Name: "Boom", Interleave: 1}, {Name: "Lav Ines", Interleave: 2}, {Name: "Ferry", Interleave: 3}})
	x.SetSpeed(48000, 24, 1728000123, timecode.Rate{Num: 25, Den: 1})
	testmedia.WriteAs(t, original, wave.Options{Format: wave.Format{Coding: audio.S24, SampleRate: 48000, Channels: 3}, IXML: x, Bext: &wave.Bext{TimeReference: 1728000123, Version: 1}},
		noise(rng, 60001), noise(rng, 60001), noise(rng, 60001))
	want := decodedBy(t, original)
	from := original
	for i, ending := range []string{"w64", "aif", "wav", "flac", "aif", "w64", "flac", "wav"} {
		to := filepath.Join(dir, fmt.Sprintf("%d.%s", i, ending))
		said, err := output(t, "convert", from, "--out", to, "--json")
		require.NoError(t, err, said)
		v := lines(t, said)[0]
		assert.Equal(t, []any{true, true, 60001.0, "s24"}, []any{v["exact"], v["written"], v["frames"], v["coding"]})
		require.Equal(t, want, decodedBy(t, to), ending)
		if i < 3 { // FLAC has no place for them
			seen, err := output(t, "inspect", "--json", to)
			require.NoError(t, err)
			facts := lines(t, seen)[0]
			assert.InDelta(t, 1728000123, facts["start_samples"], 0, ending)
			assert.Equal(t, "Lav Ines", facts["tracks"].([]any)[1].(map[string]any)["label"], ending)
		}
		from = to
	}
	said, err := output(t, "convert", original, "--container", "flac", "--out", filepath.Join(dir, "x.flac"), "--json")
	require.NoError(t, err)
	assert.Contains(t, said, "metadata_left", "what has no place is said")
	for _, bad := range [][]string{{"--container", "mov"}, {"--coding", "f64"}, {"--container", "flac", "--coding", "f32"}} {
		_, err := output(t, append([]string{"convert", original, "--out", filepath.Join(dir, "bad")}, bad...)...)
		assert.Equal(t, 1, cli.Status(err), bad)
		assert.NoFileExists(t, filepath.Join(dir, "bad"))
	}
}

// Another rate is what sox makes of it, where neither has anything to do with the edge of the band; the start stays the same moment.
func TestConvertToAnotherRate(t *testing.T) {
	dir := t.TempDir()
	original := filepath.Join(dir, "tones.wav")
	x := make([]float64, 96000)
	for i := range x {
		fade := min(1, float64(min(i, len(x)-1-i))/4800)
		for _, hz := range []float64{100, 997, 4001, 12007} {
			x[i] += 0.2 * fade * math.Sin(2*math.Pi*hz*float64(i)/48000)
		}
	}
	testmedia.WriteAs(t, original, wave.Options{Format: wave.Format{Coding: audio.F32, SampleRate: 48000, Channels: 1}, Bext: &wave.Bext{TimeReference: 48000*3600 + 1, Version: 1}}, x)
	for _, rate := range []int{44100, 96000} {
		ours, theirs := filepath.Join(dir, fmt.Sprintf("%d.wav", rate)), filepath.Join(dir, fmt.Sprintf("sox%d.wav", rate))
		said, err := output(t, "convert", original, "--rate", fmt.Sprint(rate), "--out", ours, "--json")
		require.NoError(t, err, said)
		v := lines(t, said)[0]
		assert.Equal(t, false, v["exact"])
		assert.InDelta(t, float64(rate)*3600+math.Round(float64(rate)/48000), v["start_samples"], 0)
		assert.Equal(t, rate == 44100, strings.Contains(said, "start_rounded"))
		require.NoError(t, exec.Command("sox", original, theirs, "rate", "-v", fmt.Sprint(rate)).Run())
		a, _ := samples(t, ours)
		b, _ := samples(t, theirs)
		require.InDelta(t, len(a[0]), len(b[0]), 1)
		most := 0.0
		for i := range min(len(a[0]), len(b[0])) {
			most = max(most, math.Abs(a[0][i]-b[0][i]))
		}
		assert.Less(t, most, 2e-5, "%d: -94 dB", rate)
	}
}

// A narrower coding is dithered unless that is not wanted; a wider one is not touched.
func TestConvertToAnotherCoding(t *testing.T) {
	dir := t.TempDir()
	rng := rand.New(rand.NewPCG(36, 2))
	original := filepath.Join(dir, "original.wav")
	x := noise(rng, 48000)
	testmedia.WriteAs(t, original, wave.Options{Format: wave.Format{Coding: audio.S24, SampleRate: 48000, Channels: 1}}, x)
	wide := filepath.Join(dir, "wide.wav")
	said, err := output(t, "convert", original, "--coding", "f32", "--out", wide, "--json")
	require.NoError(t, err, said)
	assert.Equal(t, true, lines(t, said)[0]["exact"])
	require.Equal(t, decodedBy(t, original), decodedBy(t, wide))
	step := math.Pow(2, -15)
	for name, within := range map[string]float64{"true": 1.5, "false": 0.5} {
		narrow := filepath.Join(dir, name+".wav")
		said, err = output(t, "convert", original, "--coding", "s16", "--dither="+name, "--out", narrow, "--json")
		require.NoError(t, err, said)
		assert.Equal(t, false, lines(t, said)[0]["exact"])
		a, _ := samples(t, original)
		b, _ := samples(t, narrow)
		most, square := 0.0, 0.0
		for i := range a[0] {
			d := (a[0][i] - b[0][i]) / step
			most, square = max(most, math.Abs(d)), square+d*d/float64(len(a[0]))
		}
		assert.LessOrEqual(t, most, within+1e-9, "dither=%s", name)
		// Rounding leaves 1/12 of a step, squared; TPDF adds two twelfths.
		assert.InDelta(t, map[string]float64{"true": 3.0 / 12, "false": 1.0 / 12}[name], square, 0.005)
	}
	// A folder, and a file in it that is none.
	require.NoError(t, os.WriteFile(filepath.Join(dir, "none.wav"), []byte("no sound"), 0o600))
	out := filepath.Join(t.TempDir(), "out")
	said, err = output(t, "convert", dir, "--container", "flac", "--coding", "s16", "--out", out, "--json")
	assert.Equal(t, 1, cli.Status(err))
	assert.Len(t, lines(t, said), 5)
	files, err := os.ReadDir(out)
	require.NoError(t, err)
	assert.Len(t, files, 4)
}
