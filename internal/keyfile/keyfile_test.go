package keyfile_test

import (
	"crypto/ed25519"
	"os"
	"path/filepath"
	"sync"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/internal/keyfile"
)

// Whoever opens it first makes it, all get the same, nobody else can read it, and a broken one is never replaced unasked.
func TestOneKey(t *testing.T) {
	path := filepath.Join(t.TempDir(), "keys", "signing.pem")
	var keys [8]ed25519.PrivateKey
	var all sync.WaitGroup
	for i := range keys {
		all.Go(func() {
			k, err := keyfile.Open(path)
			assert.NoError(t, err)
			keys[i] = k
		})
	}
	all.Wait()
	for _, k := range keys {
		assert.True(t, k.Equal(keys[0]))
	}
	st, err := os.Stat(path)
	require.NoError(t, err)
	assert.EqualValues(t, 0o600, st.Mode().Perm())
	left, err := os.ReadDir(filepath.Dir(path))
	require.NoError(t, err)
	assert.Len(t, left, 1)
	require.NoError(t, os.WriteFile(path, []byte("half a k"), 0o600))
	_, err = keyfile.Open(path)
	assert.ErrorContains(t, err, "bring it back from a copy")
}
