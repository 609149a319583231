// Package volatilefs is a file system for tests that forgets what was not flushed: after a crash a file has the bytes that it had
// when it was flushed last (fsync), and is under the names that its folders had when those were. That is what POSIX promises, and no
// more: a file system may keep more, which nothing may rest on. It stands on FUSE.
package volatilefs

import (
	"context"
	"os"
	"path/filepath"
	"strconv"
	"sync"
	"syscall"
	"testing"

	fusefs "github.com/hanwen/go-fuse/v2/fs"
	"github.com/hanwen/go-fuse/v2/fuse"
	"github.com/stretchr/testify/require"
)

// Disk is a mounted file system.
type Disk struct {
	Path   string // where it is mounted
	below  string // what is in it now
	shadow string // the flushed bytes of files, by inode
	mu     sync.Mutex
	names  map[uint64]map[string]entry // of folders, as they were flushed, by inode
	files  map[uint64]bool
	root   uint64
}

type entry struct {
	inode uint64
	dir   bool
}

// Mount mounts an empty one until the test ends. Where this machine has no FUSE the test is skipped, and says so.
func Mount(t testing.TB) *Disk {
	t.Helper()
	if _, err := os.Stat("/dev/fuse"); err != nil || os.Geteuid() != 0 {
		t.Skip("this machine lets nobody mount a FUSE file system here (as root, with /dev/fuse): what is lost with the power is not tried")
	}
	d := &Disk{Path: t.TempDir(), below: t.TempDir(), shadow: t.TempDir(), names: map[uint64]map[string]entry{}, files: map[uint64]bool{}}
	st, err := os.Stat(d.below)
	require.NoError(t, err)
	d.root = st.Sys().(*syscall.Stat_t).Ino
	data := &fusefs.LoopbackRoot{Path: d.below, Dev: st.Sys().(*syscall.Stat_t).Dev}
	root := &node{LoopbackNode: fusefs.LoopbackNode{RootData: data}, d: d}
	data.RootNode = root
	server, err := fusefs.Mount(d.Path, root, &fusefs.Options{MountOptions: fuse.MountOptions{DirectMount: true, Name: "volatile"}})
	require.NoError(t, err)
	t.Cleanup(func() { require.NoError(t, server.Unmount()) })
	return d
}

// AfterACrash is a folder with what is left of everything when the power goes now.
func (d *Disk) AfterACrash(t testing.TB) string {
	t.Helper()
	d.mu.Lock()
	defer d.mu.Unlock()
	to := t.TempDir()
	require.NoError(t, d.rebuild(d.root, to))
	return to
}

func (d *Disk) rebuild(inode uint64, to string) error {
	for name, e := range d.names[inode] {
		path := filepath.Join(to, name)
		if e.dir {
			if err := os.Mkdir(path, 0o750); err != nil {
				return err
			}
			if err := d.rebuild(e.inode, path); err != nil {
				return err
			}
			continue
		}
		var kept []byte // a name without bytes is what is left of a file that was never flushed
		if d.files[e.inode] {
			b, err := os.ReadFile(d.kept(e.inode))
			if err != nil {
				return err
			}
			kept = b
		}
		if err := os.WriteFile(path, kept, 0o640); err != nil {
			return err
		}
	}
	return nil
}

func (d *Disk) kept(inode uint64) string {
	return filepath.Join(d.shadow, strconv.FormatUint(inode, 10))
}

// keepFile keeps the bytes of a file.
func (d *Disk) keepFile(path string, inode uint64) error {
	b, err := os.ReadFile(path)
	if err != nil {
		return err
	}
	d.mu.Lock()
	defer d.mu.Unlock()
	d.files[inode] = true
	return os.WriteFile(d.kept(inode), b, 0o600)
}

// keepNames keeps the names in a folder.
func (d *Disk) keepNames(path string, inode uint64) error {
	all, err := os.ReadDir(path)
	if err != nil {
		return err
	}
	names := map[string]entry{}
	for _, e := range all {
		info, err := e.Info()
		if err != nil {
			continue // gone meanwhile
		}
		names[e.Name()] = entry{info.Sys().(*syscall.Stat_t).Ino, info.IsDir()}
	}
	d.mu.Lock()
	defer d.mu.Unlock()
	d.names[inode] = names
	return nil
}

type node struct {
	fusefs.LoopbackNode
	d *Disk
}

// WrapChild implements fusefs.NodeWrapChilder.
func (n *node) WrapChild(_ context.Context, ops fusefs.InodeEmbedder) fusefs.InodeEmbedder {
	if l, ok := ops.(*fusefs.LoopbackNode); ok {
		return &node{LoopbackNode: fusefs.LoopbackNode{RootData: l.RootData}, d: n.d}
	}
	return ops
}

// Fsync implements fusefs.NodeFsyncer, for files and for folders.
func (n *node) Fsync(context.Context, fusefs.FileHandle, uint32) syscall.Errno {
	path := filepath.Join(n.d.below, n.Path(n.Root()))
	st, err := os.Stat(path)
	if err != nil {
		return fusefs.ToErrno(err)
	}
	keep := n.d.keepFile
	if st.IsDir() {
		keep = n.d.keepNames
	}
	return fusefs.ToErrno(keep(path, st.Sys().(*syscall.Stat_t).Ino))
}

// OpendirHandle implements fusefs.NodeOpendirHandler: what is asked of the handle comes back to the node.
func (n *node) OpendirHandle(context.Context, uint32) (fusefs.FileHandle, uint32, syscall.Errno) {
	all, errno := fusefs.NewLoopbackDirStream(filepath.Join(n.d.below, n.Path(n.Root())))
	return &folder{all, n}, 0, errno
}

type folder struct {
	fusefs.DirStream
	n *node
}

// Readdirent implements fusefs.FileReaddirenter.
func (f *folder) Readdirent(context.Context) (*fuse.DirEntry, syscall.Errno) {
	if !f.HasNext() {
		return nil, 0
	}
	e, errno := f.Next()
	return &e, errno
}

// Fsyncdir implements fusefs.FileFsyncdirer.
func (f *folder) Fsyncdir(ctx context.Context, flags uint32) syscall.Errno {
	return f.n.Fsync(ctx, nil, flags)
}

// Releasedir implements fusefs.FileReleasedirer.
func (f *folder) Releasedir(context.Context, uint32) { f.Close() }

var (
	_ fusefs.NodeFsyncer        = (*node)(nil)
	_ fusefs.NodeWrapChilder    = (*node)(nil)
	_ fusefs.NodeOpendirHandler = (*node)(nil)
)
