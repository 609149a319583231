package media

import (
	"errors"
	"io/fs"
	"os"
	"path/filepath"
	"syscall"
	"time"

	"github.com/google/uuid"

	"zestyloom/core/wholefile"
)

// Attempt makes the folder that one attempt at what goes into dir writes in. Nobody else writes there.
func (f *Folder) Attempt(dir string, attempt uuid.UUID) (string, error) {
	own := f.Attempted(dir, &attempt)
	return own, wholefile.EnsureFolder(own)
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
		return os.Chmod(path, 0o440)
	})
}

// Delivered is where a file of an attempt lies, and when it was written to last.
func (f *Folder) Delivered(dir, name string) (path string, size int64, modified time.Time, err error) {
	path = filepath.Join(dir, filepath.Clean("/"+filepath.FromSlash(name)))
	st, err := os.Stat(path)
	if err != nil {
		return path, 0, modified, err
	}
	return path, st.Size(), st.ModTime(), nil
}
