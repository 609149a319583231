package media_test

import (
	"io/fs"
	"os"
	"os/user"
	"path/filepath"
	"syscall"
	"testing"

	"github.com/google/uuid"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/order"
	"zestyloom/core/wholefile"
)

// Nobody else of the machine reads media: what is there from before is closed, what is made after that is, and all of it is the
// group's that is named.
func TestMediaIsClosedToOthers(t *testing.T) {
	was := syscall.Umask(0o022)
	t.Cleanup(func() { syscall.Umask(was) })
	f, dir := folder(t)
	old := filepath.Join(dir, "originals", uuid.NewString(), "a.wav")
	require.NoError(t, os.MkdirAll(filepath.Dir(old), 0o755))
	require.NoError(t, os.WriteFile(old, []byte("RIFF"), 0o644))
	sealed := filepath.Join(dir, "deliveries", "b.wav")
	require.NoError(t, os.WriteFile(sealed, []byte("RIFF"), 0o444))
	require.NoError(t, f.CloseToOthers(""))
	mode := func(path string) fs.FileMode {
		st, err := os.Stat(path)
		require.NoError(t, err)
		return st.Mode()
	}
	assert.EqualValues(t, 0o640, mode(old))
	assert.EqualValues(t, 0o440, mode(sealed), "read-only it stays")
	assert.EqualValues(t, 0o750, mode(filepath.Dir(old)).Perm())

	own, err := f.Attempt(f.Order(order.Delivery, uuid.New()), uuid.New())
	require.NoError(t, err)
	assert.EqualValues(t, 0o750, mode(own).Perm())
	w, err := wholefile.Create(filepath.Join(own, "master.wav"), false)
	require.NoError(t, err)
	assert.EqualValues(t, 0o640, mode(w.Name()), "while it is being written, too")
	require.NoError(t, w.Commit())
	assert.EqualValues(t, 0o640, mode(filepath.Join(own, "master.wav")))

	assert.ErrorContains(t, f.CloseToOthers("no such group here"), "not known")
	g, err := user.LookupGroupId("1")
	if os.Geteuid() != 0 || err != nil {
		t.Log("not root: that everything becomes a named group's is not tried")
		return
	}
	require.NoError(t, f.CloseToOthers(g.Name))
	assert.NotZero(t, mode(filepath.Dir(old))&fs.ModeSetgid)
	fresh := filepath.Join(filepath.Dir(old), "c.wav")
	require.NoError(t, os.WriteFile(fresh, nil, 0o666))
	for _, path := range []string{old, fresh, dir} {
		st, err := os.Stat(path)
		require.NoError(t, err)
		assert.EqualValues(t, 1, st.Sys().(*syscall.Stat_t).Gid, path)
	}
}
