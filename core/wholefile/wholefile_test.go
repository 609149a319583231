package wholefile_test

import (
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/snag"
	"zestyloom/core/wholefile"
)

func names(t *testing.T, dir string) []string {
	t.Helper()
	es, err := os.ReadDir(dir)
	require.NoError(t, err)
	out := []string{}
	for _, e := range es {
		out = append(out, e.Name())
	}
	return out
}

func TestAppearsWhole(t *testing.T) {
	dir := t.TempDir()
	path := filepath.Join(dir, strings.Repeat("n", 240)) // nearly as long as a name may be
	f, err := wholefile.Create(path, false)
	require.NoError(t, err)
	_, err = f.WriteString("half")
	require.NoError(t, err)
	assert.NoFileExists(t, path)
	for _, n := range names(t, dir) {
		assert.True(t, strings.HasSuffix(n, wholefile.PartSuffix))
	}
	require.NoError(t, f.Commit())
	f.Abort() // does nothing any more
	b, err := os.ReadFile(path)
	require.NoError(t, err)
	assert.Equal(t, "half", string(b))
	assert.Len(t, names(t, dir), 1)
	assert.Error(t, f.Commit())
}

func TestAbortLeavesNothing(t *testing.T) {
	dir := t.TempDir()
	f, err := wholefile.Create(filepath.Join(dir, "x"), false)
	require.NoError(t, err)
	f.Abort()
	assert.Empty(t, names(t, dir))
}

func TestTakenNamesAreRefused(t *testing.T) {
	path := filepath.Join(t.TempDir(), "x")
	late, err := wholefile.Create(path, false)
	require.NoError(t, err)
	defer late.Abort()
	require.NoError(t, os.WriteFile(path, []byte("first"), 0o600))
	_, err = wholefile.Create(path, false)
	assert.Equal(t, "exists", snag.Of(err).Code)
	assert.Equal(t, "exists", snag.Of(late.Commit()).Code, "also when it came meanwhile")
	over, err := wholefile.Create(path, true)
	require.NoError(t, err)
	require.NoError(t, over.Commit())
	b, err := os.ReadFile(path)
	require.NoError(t, err)
	assert.Empty(t, b)
	_, err = wholefile.Create(filepath.Join(path, "no", "folder"), false)
	assert.Error(t, err)
}
