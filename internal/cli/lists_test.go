package cli_test

import (
	"encoding/json"
	"errors"
	"math"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/audio"
	"zestyloom/core/delivery"
	"zestyloom/core/wave"
	"zestyloom/core/weave"
	"zestyloom/internal/cli"
	"zestyloom/internal/testmedia"
)

// What comes with the program is listed, written, and read again.
func TestListsOfWhatThereIs(t *testing.T) {
	said, err := output(t, "specs")
	require.NoError(t, err)
	for _, s := range delivery.Shipped() {
		assert.Contains(t, said, s.Name+": ")
		written, err := output(t, "specs", s.Name)
		require.NoError(t, err)
		got, err := delivery.ParseSpec([]byte(written))
		require.NoError(t, err, s.Name)
		assert.Equal(t, s.Name, got.Name)
	}
	for _, tp := range weave.Shipped() {
		written, err := output(t, "templates", strings.ToUpper(tp.Name))
		require.NoError(t, err)
		_, err = weave.ParseTemplate([]byte(written))
		require.NoError(t, err, tp.Name)
	}
	said, err = output(t, "templates", "--words")
	require.NoError(t, err)
	assert.Contains(t, said, "narration\tVO\n")
	assert.Contains(t, said, "por\tpt\n")
	said, err = output(t, "layouts", "5.1")
	require.NoError(t, err)
	var l map[string]any
	require.NoError(t, json.Unmarshal([]byte(said), &l))
	assert.Equal(t, []any{"L", "R", "C", "LFE", "Ls", "Rs"}, l["channels"])
	assert.InDelta(t, 110, l["speakers"].([]any)[4].(map[string]any)["azimuth"], 0)
	said, err = output(t, "specs", "--schema")
	require.NoError(t, err)
	assert.True(t, json.Valid([]byte(said)))
	said, err = output(t, "layouts", "9.9", "--json")
	require.ErrorAs(t, err, new(cli.Reported))
	assert.Contains(t, said, "not_found")
	out := filepath.Join(t.TempDir(), "s.json")
	_, err = output(t, "specs", "M&E", "--out", out)
	require.NoError(t, err)
	_, err = output(t, "specs", "M&E", "--out", out)
	require.ErrorAs(t, err, new(cli.Reported), "it is there")
}

// The manual keeps low lines, says what exit statuses mean, and is of this year.
func TestManual(t *testing.T) {
	dir := t.TempDir()
	_, err := output(t, "man", "--out", dir)
	require.NoError(t, err)
	page, err := readText(filepath.Join(dir, "zestyloom-deliver.1"))
	require.NoError(t, err)
	assert.Contains(t, page, "output_silent")
	assert.Contains(t, page, "Exit status: 0: done.")
	assert.NotContains(t, page, "1970")

	root := cli.Root()
	root.SetArgs([]string{"deliver", "-x.wav"})
	cmd, err := root.ExecuteC()
	require.Error(t, err)
	assert.Equal(t, 2, cli.Status(err))
	assert.Contains(t, cli.Usage(cmd, nil, err), "Run 'zestyloom deliver --help'")
	assert.Contains(t, cli.Usage(cmd, nil, err), "stands behind --")
	assert.True(t, json.Valid([]byte(cli.Usage(cmd, []string{"--json"}, errors.New(`"odd"`)))))
}

func readText(path string) (string, error) {
	b, err := os.ReadFile(path)
	return string(b), err
}

// Layouts of one's own are read from a file or from their names, said with what a recipient has to know, and measured by.
func TestLayoutsOfOnesOwn(t *testing.T) {
	dir := t.TempDir()
	path := filepath.Join(dir, "dome.json")
	require.NoError(t, os.WriteFile(path, []byte(`{"format":1,"name":"Dome","speakers":[{"name":"L","azimuth":22,"elevation":0,"distance":2.5,"trim_db":-1},{"name":"R","azimuth":-22,"elevation":0},{"name":"LFE","azimuth":0,"elevation":0,"no_place":true}]}`), 0o600))
	for _, name := range []string{path, "custom L@22/0/2.5/-1 R@-22/0 LFE"} {
		said, err := output(t, "layouts", name)
		require.NoError(t, err, said)
		var v struct {
			Name     string   `json:"name"`
			Channels []string `json:"channels"`
			Speakers []struct {
				Azimuth  *float64 `json:"azimuth"`
				Distance float64  `json:"distance"`
				TrimDB   float64  `json:"trim_db"`
			} `json:"speakers"`
		}
		require.NoError(t, json.Unmarshal([]byte(said), &v))
		assert.Equal(t, []string{"L", "R", "LFE"}, v.Channels)
		assert.InDelta(t, 22, *v.Speakers[0].Azimuth, 0)
		assert.InDelta(t, 2.5, v.Speakers[0].Distance, 0)
		assert.InDelta(t, -1, v.Speakers[0].TrimDB, 0)
		assert.Nil(t, v.Speakers[2].Azimuth)
	}
	sound := filepath.Join(dir, "three.wav")
	x := make([]float64, 96000)
	for i := range x {
		x[i] = 0.1 * math.Sin(float64(i)/20)
	}
	testmedia.WriteAs(t, sound, wave.Options{Format: wave.Format{Coding: audio.S24, SampleRate: 48000, Channels: 3}}, x, x, x)
	loudness := func(layout string) float64 {
		said, err := output(t, "measure", sound, "--layout", layout, "--json")
		require.NoError(t, err, said)
		v, _ := lines(t, said)[0]["integrated_lufs"].(float64)
		return v
	}
	assert.InDelta(t, loudness("custom L R LFE"), loudness(path), 0.01, "an LFE is left out")
	assert.Less(t, loudness(path), loudness("LCR")-1)
	for _, bad := range []string{filepath.Join(dir, "none.json"), "custom L@999/0"} {
		_, err := output(t, "layouts", bad)
		assert.Error(t, err, bad)
	}
	out := filepath.Join(dir, "spec.json")
	said, err := output(t, "specs", "M&E", "--out", out, "--dry-run")
	require.NoError(t, err)
	assert.Contains(t, said, "(not written)")
	assert.NoFileExists(t, out)
}
