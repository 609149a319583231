package cli_test

import (
	"encoding/csv"
	"encoding/json"
	"math"
	"math/rand/v2"
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/audio"
	"zestyloom/core/source"
	"zestyloom/core/wave"
	"zestyloom/internal/cli"
	"zestyloom/internal/testmedia"
)

// sine is a tone of 1 kHz with its peak at a level in dBFS.
func sine(db, seconds float64) []float64 {
	x := make([]float64, int(seconds*48000))
	for i := range x {
		x[i] = audio.Gain(db) * math.Sin(2*math.Pi*1000*float64(i)/48000)
	}
	return x
}

func wavs(t *testing.T, mask uint32, name string, channels ...[]float64) string {
	path := filepath.Join(t.TempDir(), name)
	testmedia.WriteAs(t, path, wave.Options{Format: wave.Format{Coding: audio.S24, SampleRate: 48000, Channels: len(channels), Mask: mask}}, channels...)
	return path
}

func TestMeasure(t *testing.T) {
	x := sine(-23, 20)
	stereo, silent := wavs(t, 0x3, "s.wav", x, x), wavs(t, 0x3, "nothing.wav", make([]float64, 48000), make([]float64, 48000))
	csvPath := filepath.Join(t.TempDir(), "line.csv")
	out, err := output(t, "measure", "--json", "--timeline", csvPath, stereo, testmedia.Path(t, "not_a_wave.wav"), silent)
	assert.ErrorAs(t, err, new(cli.Reported))
	assert.NoFileExists(t, csvPath, "one of the files could not be measured")
	got := lines(t, out)
	require.Len(t, got, 3)
	for _, key := range []string{"path", "layout", "seconds", "integrated_lufs", "range_lu", "max_momentary_lufs", "max_short_term_lufs", "true_peak_dbtp", "channels"} {
		assert.Contains(t, got[0], key)
	}
	assert.Equal(t, []any{stereo, "stereo", 20.0}, []any{got[0]["path"], got[0]["layout"], got[0]["seconds"]})
	for _, key := range []string{"integrated_lufs", "max_momentary_lufs", "max_short_term_lufs", "true_peak_dbtp"} {
		assert.InDelta(t, -23, got[0][key], 0.1, key)
	}
	right := got[0]["channels"].([]any)[1].(map[string]any)
	assert.Equal(t, []any{2.0, "R"}, []any{right["channel"], right["speaker"]})
	assert.InDelta(t, -23, right["sample_peak_dbfs"], 0.1)
	assert.InDelta(t, 2.75, right["ppm_max"], 0.1, "a tone of -23 dBFS is 5 dB under mark 4")
	assert.Contains(t, got[1]["error"].(map[string]any)["code"], "bad_format")
	for _, key := range []string{"integrated_lufs", "range_lu", "max_momentary_lufs", "max_short_term_lufs", "true_peak_dbtp"} {
		assert.Nil(t, got[2][key], key)
	}

	_, err = output(t, "measure", "--timeline", csvPath, stereo)
	require.NoError(t, err)
	f, err := os.Open(csvPath)
	require.NoError(t, err)
	defer f.Close()
	rows, err := csv.NewReader(f).ReadAll()
	require.NoError(t, err)
	require.Len(t, rows, 201)
	assert.Equal(t, []string{"", ""}, rows[1][2:4], "no whole window yet")
	assert.Equal(t, []string{"20.0000", "-22.99"}, []string{rows[200][1], rows[200][3][:6]})
}

// Limits, spans and layouts.
func TestMeasureAgainst(t *testing.T) {
	x := append(sine(-23, 10), sine(-13, 10)...)
	path := wavs(t, 0x3, "s.wav", x, x)
	out, err := output(t, "measure", "--json", "--against", "r128", path)
	assert.ErrorAs(t, err, new(cli.Unmet))
	assert.Equal(t, 3, cli.Status(err))
	v := lines(t, out)[0]["verdicts"].([]any)[0].(map[string]any)
	assert.Equal(t, false, v["pass"])
	assert.Contains(t, v["words"], "too loud")
	for _, span := range []string{"0-10", "-10", "0s-480000s"} {
		_, err = output(t, "measure", "--against", "r128", "--span", span, path)
		assert.NoError(t, err, span)
	}
	own := filepath.Join(t.TempDir(), "own.json")
	require.NoError(t, os.WriteFile(own, []byte(`{"name": "Ours", "limits": {"max_short_term_lufs": -12, "short_term_window_s": 1}}`), 0o644))
	out, err = output(t, "measure", "--against", own, path)
	require.NoError(t, err)
	assert.Contains(t, out, "short-term loudness over 1 s: asked at most -12.0 LUFS, found -12.99")
	for _, bad := range [][]string{{"--against", "nobody"}, {"--span", "5"}, {"--span", "x-y"}, {"--layout", "6.2"}} {
		_, err = output(t, append([]string{"measure", path}, bad...)...)
		assert.Equal(t, 2, cli.Status(err), bad)
	}
	for _, bad := range [][]string{{"--span", "5-50"}, {"--span", "8-7"}, {"--span", "10:00:00:00-10:00:01:00"}, {"--layout", "5.1"}} {
		_, err = output(t, append([]string{"measure", path}, bad...)...)
		assert.Equal(t, 1, cli.Status(err), bad)
	}
}

// Six mono files named by speakers are one sound, whatever their order; a file whose channels nothing names says so.
func TestMeasureTogether(t *testing.T) {
	dir := t.TempDir()
	var files []string
	for _, c := range []struct {
		name string
		db   float64
	}{{"C", -24}, {"LFE", -6}, {"L", -28}, {"Rs", -30}, {"R", -28}, {"Ls", -30}} {
		path := filepath.Join(dir, "mix_"+c.name+".wav")
		testmedia.Write(t, path, audio.S24, 48000, sine(c.db, 20))
		files = append(files, path)
	}
	out, err := output(t, append([]string{"measure", "--together", "--json"}, files...)...)
	require.NoError(t, err)
	got := lines(t, out)
	require.Len(t, got, 1)
	assert.Equal(t, "custom C LFE L Rs R Ls", got[0]["layout"])
	assert.InDelta(t, -23, got[0]["integrated_lufs"], 0.1)
	assert.Empty(t, got[0]["snags"])

	x := sine(-30, 5)
	out, err = output(t, "measure", "--json", wavs(t, 0, "six.wav", x, x, x, x, x, x))
	require.NoError(t, err)
	assert.Equal(t, "discrete 6", lines(t, out)[0]["layout"])
	assert.Contains(t, out, "layout_unknown")
	_, err = output(t, "measure", "--together", files[0], wavs(t, 0, "short.wav", x))
	assert.ErrorAs(t, err, new(cli.Reported), "of another length")
}

func TestCorrect(t *testing.T) {
	rng := rand.New(rand.NewPCG(14, 40))
	x, y := make([]float64, 48000*15), make([]float64, 48000*15)
	for i := range x {
		level := 0.05
		if i > 48000*5 && i < 48000*9 {
			level = 0.25
		}
		x[i], y[i] = level*rng.NormFloat64(), level*rng.NormFloat64()
	}
	for i := range x {
		x[i], y[i] = max(-0.99, min(0.99, x[i])), max(-0.99, min(0.99, y[i]))
	}
	path, made := wavs(t, 0x3, "s.wav", x, y), filepath.Join(t.TempDir(), "made.wav")
	out, err := output(t, "correct", path, "--out", made, "--integrated", "-23", "--short-term", "-18", "--peak", "-12", "--json")
	require.NoError(t, err)
	var c map[string]any
	require.NoError(t, json.Unmarshal([]byte(out), &c))
	after := c["after"].(map[string]any)
	assert.InDelta(t, -23, after["integrated_lufs"], 0.1)
	assert.LessOrEqual(t, after["max_short_term_lufs"], -18.0)
	assert.LessOrEqual(t, after["true_peak_dbtp"], -11.95)
	assert.Negative(t, c["limiter_db"])
	again, err := output(t, "measure", "--json", made)
	require.NoError(t, err)
	assert.Equal(t, after["integrated_lufs"], lines(t, again)[0]["integrated_lufs"], "the file that was written is what was measured")
	assert.Equal(t, after["true_peak_dbtp"], lines(t, again)[0]["true_peak_dbtp"])

	_, err = output(t, "correct", path, "--out", made, "--peak", "-1")
	assert.ErrorAs(t, err, new(cli.Reported), "it is there")
	_, err = output(t, "correct", path, "--out", path, "--peak", "-1", "--force")
	assert.ErrorAs(t, err, new(cli.Reported), "it is the original")
	for _, bad := range [][]string{{"--out", made}, {"--peak", "-1"}, {"--out", made, "--peak", "2"}, {"--out", made, "--short-term", "-18", "--window", "x"}} {
		_, err = output(t, append([]string{"correct", path}, bad...)...)
		assert.Equal(t, 2, cli.Status(err), bad)
	}
}

// A ceiling alone leaves what is under it as it is, bit for bit; discrete files come out as they came, under their names.
func TestCorrectTogether(t *testing.T) {
	dir, to := t.TempDir(), filepath.Join(t.TempDir(), "made")
	quiet, loud := sine(-30, 4), sine(-30, 4)
	for i := 90000; i < 90100; i++ {
		loud[i] *= 25
	}
	files := []string{filepath.Join(dir, "mix.L.wav"), filepath.Join(dir, "mix.R.wav")}
	testmedia.Write(t, files[0], audio.S16, 48000, quiet)
	testmedia.Write(t, files[1], audio.S16, 48000, loud)
	_, err := output(t, "correct", "--together", files[0], files[1], "--out", to, "--peak", "-6")
	require.NoError(t, err)
	for i, file := range files {
		before, err := source.Open(file)
		require.NoError(t, err)
		defer before.Close()
		after, err := source.Open(filepath.Join(to, filepath.Base(file)))
		require.NoError(t, err)
		defer after.Close()
		assert.Equal(t, before.Format, after.Format)
		a, b := make([]byte, 4*48000*2), make([]byte, 4*48000*2)
		_, err = before.ReadFrames(a, 0)
		require.NoError(t, err)
		_, err = after.ReadFrames(b, 0)
		require.NoError(t, err)
		assert.Equal(t, a[:2*88000], b[:2*88000])
		assert.Equal(t, a[2*92000:], b[2*92000:])
		assert.NotEqual(t, a, b, "file %d is turned down with the other", i)
	}
}
