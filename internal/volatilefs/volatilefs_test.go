package volatilefs_test

import (
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/wholefile"
	"zestyloom/internal/volatilefs"
)

// What is flushed is left, by name and by bytes; what is not, isn't.
func TestWhatIsLeft(t *testing.T) {
	d := volatilefs.Mount(t)
	plain := filepath.Join(d.Path, "plain")
	require.NoError(t, os.WriteFile(plain, []byte("never flushed"), 0o600))
	left := d.AfterACrash(t)
	assert.NoFileExists(t, filepath.Join(left, "plain"))
	require.NoError(t, wholefile.Flush(plain))
	assert.NoFileExists(t, filepath.Join(d.AfterACrash(t), "plain"), "its bytes are, its name is not")
	require.NoError(t, wholefile.FlushFolder(d.Path))
	f, err := os.OpenFile(plain, os.O_APPEND|os.O_WRONLY, 0)
	require.NoError(t, err)
	_, err = f.WriteString(", nor is this")
	require.NoError(t, err)
	require.NoError(t, f.Close())
	b, err := os.ReadFile(filepath.Join(d.AfterACrash(t), "plain"))
	require.NoError(t, err)
	assert.Equal(t, "never flushed", string(b), "as it was when it was flushed")

	whole := filepath.Join(d.Path, "a", "b", "whole")
	require.NoError(t, wholefile.EnsureFolder(filepath.Dir(whole)))
	w, err := wholefile.Create(whole, false)
	require.NoError(t, err)
	_, err = w.Write([]byte("all of it"))
	require.NoError(t, err)
	require.NoError(t, w.Commit())
	b, err = os.ReadFile(filepath.Join(d.AfterACrash(t), "a", "b", "whole"))
	require.NoError(t, err)
	assert.Equal(t, "all of it", string(b))
}
