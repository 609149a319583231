package media

import (
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"sync"
	"syscall"
	"time"

	"github.com/google/uuid"

	"zestyloom/core/snag"
	"zestyloom/core/source"
)

// Attempt makes the folder that one attempt at what goes into dir writes in. Nobody else writes there.
func (f *Folder) Attempt(dir string, attempt uuid.UUID) (string, error) {
	own := f.Attempted(dir, &attempt)
	return own, os.MkdirAll(own, 0o755)
}

// Attempted is where the files of an attempt are; nil is for those from before attempts had folders.
func (f *Folder) Attempted(dir string, attempt *uuid.UUID) string {
	if attempt == nil {
		return dir
	}
	return filepath.Join(dir, attempt.String())
}

// KeepAttempt removes all attempts but one.
func (f *Folder) KeepAttempt(dir string, attempt uuid.UUID) error {
	all, err := os.ReadDir(dir)
	if err != nil {
		return err
	}
	for _, e := range all {
		if e.Name() == attempt.String() {
			continue
		}
		if e := os.RemoveAll(filepath.Join(dir, e.Name())); e != nil {
			err = errors.Join(err, e)
		}
	}
	return err
}

// DropAttempt removes an attempt, and the folder it was in when nothing else is there.
func (f *Folder) DropAttempt(dir string, attempt uuid.UUID) error {
	if err := os.RemoveAll(f.Attempted(dir, &attempt)); err != nil {
		return err
	}
	if err := os.Remove(dir); err != nil && !errors.Is(err, fs.ErrNotExist) && !errors.Is(err, syscall.ENOTEMPTY) && !errors.Is(err, syscall.EEXIST) {
		return err
	}
	return nil
}

// Seal makes the files of a folder, and of those in it, read-only: what is proven is never written to again.
func Seal(dir string) error {
	return filepath.WalkDir(dir, func(path string, e fs.DirEntry, err error) error {
		if err != nil || e.IsDir() {
			return err
		}
		return os.Chmod(path, 0o444)
	})
}

// seen is a file as it was when its hash was compared.
type seen struct {
	size     int64
	modified time.Time
	inode    uint64
}

// proofs remembers which files have been compared, so that it is done once for each.
type proofs struct {
	mu sync.Mutex
	of map[string]seen
}

// Proven gives the path of a proven file once its size and its hash (xxHash-64) are those of its proof. It is read for
// that when it is asked for first, and again whenever it does not look as it did then.
func (f *Folder) Proven(dir, name string, bytes int64, hash string) (string, error) {
	path := filepath.Join(dir, filepath.Clean("/"+filepath.FromSlash(name)))
	st, err := os.Stat(path)
	if err != nil {
		return "", snag.Refuse("not_as_proven", "%s is not in its place any more: write it again", name)
	}
	now := seen{size: st.Size(), modified: st.ModTime()}
	if s, ok := st.Sys().(*syscall.Stat_t); ok {
		now.inode = s.Ino
	}
	f.proofs.mu.Lock()
	before, ok := f.proofs.of[path]
	f.proofs.mu.Unlock()
	if ok && before == now {
		return path, nil
	}
	sum, err := source.HashFile(path)
	if err != nil {
		return "", err
	}
	if st.Size() != bytes || fmt.Sprintf("%016x", sum) != hash {
		return "", snag.Refuse("not_as_proven", "%s is not what was proven any more (%d bytes with the hash %016x, where %d with %s were proven): it is not given out; write it again", name, st.Size(), sum, bytes, hash)
	}
	f.proofs.mu.Lock()
	defer f.proofs.mu.Unlock()
	if f.proofs.of == nil {
		f.proofs.of = map[string]seen{}
	}
	f.proofs.of[path] = now
	return path, nil
}
