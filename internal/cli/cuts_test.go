package cli_test

import (
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/internal/cli"
)

// Two lists are compared event by event, and the newer one is written again.
func TestCuts(t *testing.T) {
	dir := t.TempDir()
	list := func(name, text string) string {
		path := filepath.Join(dir, name)
		require.NoError(t, os.WriteFile(path, []byte(text), 0o600))
		return path
	}
	a := list("a.csv", "name,source_in,source_out,record_in\n21A-3,10:00:00:00,10:00:02:00,01:00:00:00\n21A-4,11:00:00:00,11:00:01:00,01:00:02:00\n")
	b := list("b.csv", "name,source_in,source_out,record_in\n21A-3,10:00:00:00,10:00:01:00,01:00:00:00\n21A-4,11:00:00:00,11:00:01:00,01:00:01:00\n22B-1,12:00:00:00,12:00:01:00,01:00:02:00\n")
	said, err := output(t, "cuts", a, b)
	require.NoError(t, err)
	assert.Contains(t, said, "01:00:00:00  trimmed: 21A-3, ends -25 frames later\n")
	assert.Contains(t, said, "01:00:01:00  moved: 21A-4, -25 frames on the record\n")
	assert.Contains(t, said, "01:00:02:00  added: 22B-1\n")
	edl := filepath.Join(dir, "b.edl")
	said, err = output(t, "cuts", a, b, "--out", edl, "--json")
	require.NoError(t, err)
	assert.Len(t, lines(t, said)[0]["changes"], 3)
	said, err = output(t, "cuts", b, edl)
	require.NoError(t, err)
	assert.NotContains(t, said, "moved")
	assert.NotContains(t, said, "trimmed")
	assert.NotContains(t, said, "added")
	_, err = output(t, "cuts", a, "--out", edl)
	assert.Equal(t, 1, cli.Status(err), "what is there is not overwritten")
	_, err = output(t, "cuts", filepath.Join(dir, "none.edl"))
	assert.Equal(t, 1, cli.Status(err))
	_, err = output(t, "cuts", a, b, a)
	assert.Equal(t, 2, cli.Status(err))
}
