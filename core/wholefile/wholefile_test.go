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

// What a killed process leaves is removed; what another one is writing stays.
func TestSweep(t *testing.T) {
	dir := t.TempDir()
	f, err := wholefile.Create(filepath.Join(dir, "mine.wav"), false)
	require.NoError(t, err)
	require.NoError(t, os.WriteFile(filepath.Join(dir, ".killed.wav.123.part"), []byte("half"), 0o600))
	require.NoError(t, os.WriteFile(filepath.Join(dir, ".user.part"), []byte("theirs"), 0o600))
	assert.Equal(t, 1, wholefile.Sweep(dir))
	assert.Len(t, names(t, dir), 2)
	require.NoError(t, f.Commit())
	assert.Equal(t, []string{".user.part", "mine.wav"}, names(t, dir))
	assert.Zero(t, wholefile.Sweep(filepath.Join(dir, "none")))
}

func TestFoldersThatWereMadeGoAgain(t *testing.T) {
	dir := t.TempDir()
	undo, err := wholefile.MakeFolder(filepath.Join(dir, "a", "b", "c"))
	require.NoError(t, err)
	require.NoError(t, os.WriteFile(filepath.Join(dir, "a", "kept"), nil, 0o600))
	undo()
	assert.Equal(t, []string{"kept"}, names(t, filepath.Join(dir, "a")))
	undo, err = wholefile.MakeFolder(dir)
	require.NoError(t, err)
	undo()
	assert.DirExists(t, dir, "it was there before")
	_, err = wholefile.MakeFolder(filepath.Join(dir, "a", "kept", "x"))
	assert.Error(t, err)
}
