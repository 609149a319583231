package delivery_test

import (
	"context"
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"golang.org/x/sys/unix"

	"zestyloom/core/delivery"
)

// A disk that fills while files are written, of any container, leaves none of them; so does one who stops it in the midst.
// With room, the same plan is made.
func TestADiskThatFillsUp(t *testing.T) {
	if os.Geteuid() != 0 {
		t.Skip("mounting a small file system needs root; CI runs as root")
	}
	f := newFixture(t, 0.1)
	f.surround()
	small := t.TempDir()
	if err := unix.Mount("tmpfs", small, "tmpfs", 0, "size=6m"); err != nil {
		t.Skipf("no small file system can be mounted here: %v", err)
	}
	t.Cleanup(func() { assert.NoError(t, unix.Unmount(small, 0)) })
	ballast := filepath.Join(small, "ballast")
	fill := func() {
		b, err := os.Create(ballast)
		require.NoError(t, err)
		defer b.Close()
		for err == nil {
			_, err = b.Write(make([]byte, 64<<10))
		}
		assert.ErrorIs(t, err, unix.ENOSPC)
	}
	for _, container := range []string{"wav", "rf64", "w64", "aiff", "flac", "mov"} {
		spec := custom(delivery.FileRule{Container: container, Name: "one"}, delivery.FileRule{Container: "wav", Name: "two"})
		plan, err := delivery.Make(delivery.Order{Spec: spec}, f.reel, pal, 48000)
		require.NoError(t, err)
		dir := filepath.Join(small, container)
		require.NoError(t, os.Mkdir(dir, 0o755))
		files := func() (names []string) {
			require.NoError(t, filepath.WalkDir(dir, func(path string, e os.DirEntry, err error) error {
				if err == nil && !e.IsDir() {
					names = append(names, path)
				}
				return err
			}))
			return names
		}
		stopped, stop := context.WithCancel(context.Background())
		for name, o := range map[string]delivery.Options{
			"full":    {Sources: f.resolve, Progress: func(done int64) { fill() }},
			"stopped": {Sources: f.resolve, Progress: func(done int64) { stop() }},
		} {
			ctx := context.Background()
			if name == "stopped" {
				ctx = stopped
			}
			_, err = delivery.Write(ctx, plan, dir, o)
			require.Error(t, err, "%s, %s", container, name)
			assert.Empty(t, files(), "%s, %s", container, name)
			_ = os.Remove(ballast)
		}
		written, err := delivery.Write(context.Background(), plan, dir, delivery.Options{Sources: f.resolve})
		require.NoError(t, err, container)
		proof, err := delivery.Prove(context.Background(), plan, dir, delivery.Options{Sources: f.resolve, Hashes: written.Hashes})
		require.NoError(t, err, container)
		assert.True(t, proof.Passed, "%s: %v", container, proof.Failures())
		assert.Len(t, files(), 2)
		require.NoError(t, os.RemoveAll(dir))
		stop()
	}
}
