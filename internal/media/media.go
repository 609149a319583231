// Package media keeps the application's files on disk: originals as they arrived, waveform
// summaries, deliveries, and uploads under way. Every path it gives lies below its root.
package media

import (
	"errors"
	"fmt"
	"io"
	"io/fs"
	"maps"
	"os"
	"path/filepath"
	"slices"
	"time"

	"github.com/google/uuid"

	"zestyloom/core/naming"
	"zestyloom/core/order"
	"zestyloom/core/wholefile"
)

// Folder is a media folder.
type Folder struct {
	root string
}

// Open makes a media folder where there is none.
func Open(root string) (*Folder, error) {
	root, err := filepath.Abs(root)
	if err != nil {
		return nil, err
	}
	for _, d := range slices.AppendSeq([]string{Originals, Summaries, "uploads"}, maps.Values(order.Kinds)) {
		if err := wholefile.EnsureFolder(filepath.Join(root, d)); err != nil {
			return nil, fmt.Errorf("the media folder can't be made: %w", err)
		}
	}
	return &Folder{root: root}, nil
}

// Usable tries whether something can be written.
func (f *Folder) Usable() error {
	t, err := os.CreateTemp(f.root, ".usable*")
	if err != nil {
		return err
	}
	t.Close()
	return os.Remove(t.Name())
}

// Uploads is the folder of uploads under way.
func (f *Folder) Uploads() string { return filepath.Join(f.root, "uploads") }

// OriginalPath is where a file is kept, relative to the root: in a folder of its own, under a
// cleaned form of the name it came with.
func (f *Folder) OriginalPath(id uuid.UUID, name string) string {
	ext := filepath.Ext(name)
	if len(ext) > 10 {
		ext = ""
	}
	return filepath.Join(Originals, id.String(), naming.Clean(name[:len(name)-len(ext)])+naming.Clean("x" + ext)[1:])
}

// Path makes a relative path of the database absolute.
func (f *Folder) Path(rel string) string { return filepath.Join(f.root, filepath.Clean("/"+rel)) }

// Summary is where a file's waveform summary is.
func (f *Folder) Summary(id uuid.UUID) string {
	return filepath.Join(f.root, Summaries, id.String()+".zlwf")
}

// SizeOf is how many bytes a file has that lies here, or on the shelf.
func SizeOf(path string) (int64, error) {
	st, err := os.Stat(path)
	if err != nil {
		return 0, err
	}
	return st.Size(), nil
}

// Modified is when a file was written to last.
func Modified(path string) (at time.Time, err error) {
	st, err := os.Stat(path)
	if err != nil {
		return at, err
	}
	return st.ModTime(), nil
}

// Order is the folder of what an order becomes.
func (f *Folder) Order(kind order.Kind, id uuid.UUID) string {
	return filepath.Join(f.root, order.Kinds[kind], id.String())
}

// RemoveOrder removes it.
func (f *Folder) RemoveOrder(kind order.Kind, id uuid.UUID) error {
	return os.RemoveAll(f.Order(kind, id))
}

// Working is where the sound of a file with pictures is kept, and with it its small picture and the
// strip of stills, relative to the root: beside the untouched original.
func (f *Folder) Working(id uuid.UUID) (sound, proxy, strip string) {
	dir := filepath.Join(Originals, id.String())
	return filepath.Join(dir, ".working.wav"), filepath.Join(dir, ".proxy.mp4"), filepath.Join(dir, ".strip.jpg")
}

// Adopt gives a finished upload its place, where it may be already. Where a file can have two names its upload's
// stays until Forget.
//
// Its bytes and its name are on the disk when it returns: whoever is told that the file is here forgets it. Flush it before,
// where others wait for what comes after.
func (f *Folder) Adopt(upload, rel string) error {
	to := f.Path(rel)
	if err := wholefile.Flush(upload); err != nil && !errors.Is(err, fs.ErrNotExist) {
		return err
	}
	if err := wholefile.EnsureFolder(filepath.Dir(to)); err != nil {
		return err
	}
	err := os.Link(upload, to)
	switch {
	case err == nil, errors.Is(err, fs.ErrExist):
		return wholefile.FlushFolder(filepath.Dir(to))
	case errors.Is(err, fs.ErrNotExist):
		if _, e := os.Stat(to); e == nil {
			return nil // moved before, by a process that was killed after it
		}
		return err
	}
	return wholefile.Move(upload, to)
}

// Share gives a file that lies in the folder already a place among the originals as well, without a second copy where the
// disk can do so.
func (f *Folder) Share(from, rel string) error {
	to := f.Path(rel)
	if err := wholefile.EnsureFolder(filepath.Dir(to)); err != nil {
		return err
	}
	if err := os.Link(from, to); err == nil || errors.Is(err, fs.ErrExist) {
		return wholefile.FlushFolder(filepath.Dir(to))
	}
	return copyTo(from, to)
}

// PutBack gives a file that lies elsewhere a place of the folder, whatever is there: at no moment is nothing there.
func (f *Folder) PutBack(from, rel string) error {
	to := f.Path(rel)
	if err := wholefile.EnsureFolder(filepath.Dir(to)); err != nil {
		return err
	}
	beside := filepath.Join(filepath.Dir(to), ".back-"+uuid.NewString()+wholefile.PartSuffix)
	defer os.Remove(beside) // what is in place has another name by then
	if err := os.Link(from, beside); err == nil {
		return wholefile.Move(beside, to)
	}
	return copyTo(from, to)
}

// copyTo writes a copy of a file, which appears when it is whole.
func copyTo(from, to string) error {
	in, err := os.Open(from)
	if err != nil {
		return err
	}
	defer in.Close()
	out, err := wholefile.Create(to, true)
	if err != nil {
		return err
	}
	defer out.Abort()
	if _, err := io.Copy(out, in); err != nil {
		return err
	}
	return out.Commit()
}

// Forget lets go of an upload that has its place.
func Forget(upload string) error {
	if err := os.Remove(upload); err != nil && !errors.Is(err, fs.ErrNotExist) {
		return err
	}
	return nil
}

// RemoveOriginal removes a file and its summary.
func (f *Folder) RemoveOriginal(id uuid.UUID) error {
	if err := os.RemoveAll(filepath.Join(f.root, Originals, id.String())); err != nil {
		return err
	}
	if err := os.Remove(f.Summary(id)); err != nil && !os.IsNotExist(err) {
		return err
	}
	return nil
}
