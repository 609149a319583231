// Package wholefile writes files that appear under their names only when they are whole: written
// beside, flushed to disk, then put in place. A killed process leaves at most a part file, whose
// name says so.
package wholefile

import (
	"errors"
	"fmt"
	"io/fs"
	"math/rand/v2"
	"os"
	"path/filepath"
	"regexp"
	"strings"

	"zestyloom/core/snag"
)

// PartSuffix ends the names of files that are being written.
const PartSuffix = ".part"

// File is a file being written. Commit puts it in place; Abort, which does nothing after Commit,
// removes it.
type File struct {
	*os.File
	path    string
	force   bool
	done    bool
	written int64 // by Write
	begun   int64 // handed to the disk already
}

// writeBehind is how much is written before the disk is set to work on it.
const writeBehind = 8 << 20

// Write writes, and sets the disk to work now and then: Commit then has little to wait for, and
// the system's memory does not fill with what is still to be written.
func (f *File) Write(p []byte) (int, error) {
	n, err := f.File.Write(p)
	f.written += int64(n)
	if f.written-f.begun >= writeBehind {
		beginWrite(f.File, f.begun, f.written-f.begun)
		f.begun = f.written
	}
	return n, err
}

// Create begins a file that will be named path. Without force an existing file is refused, now
// and again at Commit.
func Create(path string, force bool) (*File, error) {
	if err := Free(path, force); err != nil {
		return nil, err
	}
	f, err := beside(path)
	if err != nil {
		if errors.Is(err, fs.ErrNotExist) {
			return nil, snag.Refuse("no_folder", "the folder %s does not exist: make it first", filepath.Dir(path))
		}
		return nil, err
	}
	lock(f) // for as long as this process lives: see Sweep
	return &File{File: f, path: path, force: force}, nil
}

// beside makes a file of a name that no other has, with the permissions that the process gives to new files.
func beside(path string) (f *os.File, err error) {
	for range 10_000 {
		name := fmt.Sprintf(".%s.%d%s", shorten(filepath.Base(path)), rand.Uint32(), PartSuffix)
		f, err = os.OpenFile(filepath.Join(filepath.Dir(path), name), os.O_RDWR|os.O_CREATE|os.O_EXCL, 0o666)
		if !errors.Is(err, fs.ErrExist) {
			return f, err
		}
	}
	return nil, err
}

// Flush has a file's bytes on the disk when it returns.
func Flush(path string) error {
	f, err := os.Open(path)
	if err != nil {
		return err
	}
	return errors.Join(f.Sync(), f.Close())
}

// FlushFolder has the names in a folder on the disk when it returns, where its file system can say so.
func FlushFolder(dir string) error {
	d, err := os.Open(dir)
	if err != nil {
		return err
	}
	_ = d.Sync() // some file systems refuse; nothing better can be done there
	return d.Close()
}

// Move gives a file that is whole another name, both on the disk when it returns.
func Move(from, to string) error {
	if err := Flush(from); err != nil {
		return err
	}
	if err := os.Rename(from, to); err != nil {
		return err
	}
	return FlushFolder(filepath.Dir(to))
}

// EnsureFolder makes a folder and those above it, whose names are on the disk when it returns.
func EnsureFolder(dir string) error {
	dir = filepath.Clean(dir)
	if _, err := os.Stat(dir); err == nil {
		return nil
	}
	if parent := filepath.Dir(dir); parent != dir {
		if err := EnsureFolder(parent); err != nil {
			return err
		}
	}
	if err := os.Mkdir(dir, 0o777); err != nil && !errors.Is(err, fs.ErrExist) {
		return err
	}
	return FlushFolder(filepath.Dir(dir))
}

// MakeFolder makes a folder and those above it, and returns what removes again the ones that it made, as
// far as they are empty.
func MakeFolder(dir string) (undo func(), err error) {
	var made []string
	for d := filepath.Clean(dir); ; d = filepath.Dir(d) {
		if _, err := os.Stat(d); err == nil || d == filepath.Dir(d) {
			break
		}
		made = append(made, d)
	}
	undo = func() {
		for _, d := range made {
			if os.Remove(d) != nil {
				return
			}
		}
	}
	if err := EnsureFolder(dir); err != nil {
		undo()
		return nil, err
	}
	return undo, nil
}

var partName = regexp.MustCompile(`^\..+\.\d+\.part$`)

// Sweep removes the part files in a folder that a killed process has left there, and says how many. Those
// that a process is still writing, here or elsewhere on this machine, stay.
func Sweep(dir string) (removed int) {
	entries, err := os.ReadDir(dir)
	if err != nil {
		return 0 // whoever writes there is told
	}
	for _, e := range entries {
		if !e.Type().IsRegular() || !partName.MatchString(e.Name()) {
			continue
		}
		path := filepath.Join(dir, e.Name())
		f, err := os.OpenFile(path, os.O_RDWR, 0)
		if err != nil {
			continue
		}
		if lock(f) && os.Remove(path) == nil {
			removed++
		}
		f.Close()
	}
	return removed
}

func shorten(name string) string {
	if len(name) > 100 {
		return strings.ToValidUTF8(name[:100], "")
	}
	return name
}

// Free refuses a name that an existing file has, unless it may be forced.
func Free(path string, force bool) error {
	if _, err := os.Lstat(path); err == nil && !force {
		return exists(path)
	}
	return nil
}

func exists(path string) error {
	return snag.Refuse("exists", "%s is there already and is not overwritten; name another place or force it", path)
}

// Path is the name the file will have.
func (f *File) Path() string { return f.path }

// Commit flushes the file to disk and gives it its name.
func (f *File) Commit() error {
	if f.done {
		return fmt.Errorf("wholefile: %s is done with", f.path)
	}
	if err := f.Sync(); err != nil {
		return err
	}
	// Named before it is closed: until then its lock says that it is being written.
	if err := f.place(); err != nil {
		return err
	}
	f.done = true
	if err := f.Close(); err != nil {
		return err
	}
	return FlushFolder(filepath.Dir(f.path))
}

// place renames; without force by linking, which unlike renaming fails when the name is taken.
func (f *File) place() error {
	if f.force {
		return os.Rename(f.Name(), f.path)
	}
	err := os.Link(f.Name(), f.path)
	switch {
	case err == nil:
		return os.Remove(f.Name())
	case errors.Is(err, fs.ErrExist):
		return exists(f.path)
	}
	// A file system without hard links: look, then rename.
	if _, err := os.Lstat(f.path); err == nil {
		return exists(f.path)
	}
	return os.Rename(f.Name(), f.path)
}

// Abort removes what was written.
func (f *File) Abort() {
	if !f.done {
		f.done = true
		f.Close()
		os.Remove(f.Name())
	}
}
