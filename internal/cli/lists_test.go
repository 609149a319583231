package cli_test

import (
	"encoding/json"
	"errors"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/delivery"
	"zestyloom/core/weave"
	"zestyloom/internal/cli"
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
