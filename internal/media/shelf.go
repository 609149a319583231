package media

import (
	"context"
	"io"
	"io/fs"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"zestyloom/core/mhl"
	"zestyloom/core/snag"
	"zestyloom/core/source"
	"zestyloom/core/wholefile"
)

// Shelf is a folder of the server that files can be taken in from. It is only read, and nothing
// outside it is reached, through links neither.
type Shelf struct{ root *os.Root }

// Entry is a file or folder on the shelf.
type Entry struct {
	Name   string
	Path   string // from the shelf's root, with forward slashes
	Folder bool
	Size   int64
}

// OpenShelf opens a folder as a shelf.
func OpenShelf(dir string) (*Shelf, error) {
	dir, err := filepath.Abs(dir)
	if err != nil {
		return nil, err
	}
	r, err := os.OpenRoot(dir)
	if err != nil {
		return nil, err
	}
	source.Confine(r)
	return &Shelf{r}, nil
}

func local(path string) (string, error) {
	p := strings.Trim(path, "/")
	if p == "" {
		return ".", nil
	}
	if !filepath.IsLocal(p) {
		return "", snag.Refuse("outside_shelf", "%q does not lie on the shelf", path)
	}
	return p, nil
}

// List lists a folder: folders first, then files, by name. Hidden ones are left out.
func (s *Shelf) List(path string) ([]Entry, error) {
	p, err := local(path)
	if err != nil {
		return nil, err
	}
	d, err := s.root.Open(p)
	if err != nil {
		return nil, snag.Refuse("no_folder", "the folder %q can't be opened: %w", path, err)
	}
	defer d.Close()
	infos, err := d.Readdir(-1)
	if err != nil {
		return nil, snag.Refuse("no_folder", "the folder %q can't be read: %w", path, err)
	}
	out := []Entry{}
	for _, i := range infos {
		if strings.HasPrefix(i.Name(), ".") || !i.IsDir() && !i.Mode().IsRegular() {
			continue
		}
		e := Entry{Name: i.Name(), Path: strings.TrimPrefix(filepath.ToSlash(filepath.Join(p, i.Name())), "./"), Folder: i.IsDir()}
		if !e.Folder {
			e.Size = i.Size()
		}
		out = append(out, e)
	}
	slices.SortFunc(out, func(a, b Entry) int {
		if a.Folder != b.Folder {
			if a.Folder {
				return -1
			}
			return 1
		}
		return strings.Compare(strings.ToLower(a.Name), strings.ToLower(b.Name))
	})
	return out, nil
}

// Stat finds a file: its size, and when it was last modified, in Unix nanoseconds.
func (s *Shelf) Stat(path string) (size, modified int64, err error) {
	p, err := local(path)
	if err != nil {
		return 0, 0, err
	}
	st, err := s.root.Stat(p)
	if err != nil {
		return 0, 0, snag.Refuse("not_found", "%q is not on the shelf: %w", path, err)
	}
	if !st.Mode().IsRegular() {
		return 0, 0, snag.Refuse("not_a_file", "%q is not a file", path)
	}
	return st.Size(), st.ModTime().UnixNano(), nil
}

// Linked finds a file that is used where it lies, and refuses one that is not there any more or not
// the one that was read at intake.
func (s *Shelf) Linked(path string, size, modified int64) (string, error) {
	now, at, err := s.Stat(path)
	if err != nil {
		return "", snag.Refuse("original_moved", "%s is not on the shelf any more, and it was taken in where it lies: put it back there; nothing is played or written in its stead", path)
	}
	if now != size || at != modified {
		return "", snag.Refuse("original_changed", "%s was changed after it was taken in where it lies (%d bytes then, %d now): put the original back, or remove the file and take it in again", path, size, now)
	}
	return s.Path(path)
}

// Path makes a path of the shelf absolute.
func (s *Shelf) Path(path string) (string, error) {
	p, err := local(path)
	return filepath.Join(s.root.Name(), p), err
}

// Found is a file that looking through the shelf has come upon.
type Found struct {
	Path     string // from the shelf's root, with forward slashes
	Size     int64
	Modified int64 // Unix nanoseconds
}

// Bounds of looking through a folder.
const (
	maxDepth = 12
	maxFound = 20_000
)

// Walk finds the files in a folder and in those below it that could be recordings, by their names.
// Links are not followed. It ends after a great many.
func (s *Shelf) Walk(path string) ([]Found, error) {
	p, err := local(path)
	if err != nil {
		return nil, err
	}
	var out []Found
	err = fs.WalkDir(s.root.FS(), filepath.ToSlash(p), func(at string, d fs.DirEntry, err error) error {
		if err != nil {
			if at == p {
				return err
			}
			return nil // gone meanwhile, or closed to us: the others are found all the same
		}
		if d.IsDir() {
			if at != p && (strings.HasPrefix(d.Name(), ".") || strings.Count(at, "/") > maxDepth) {
				return fs.SkipDir
			}
			return nil
		}
		if !d.Type().IsRegular() || !recording(d.Name()) {
			return nil
		}
		i, err := d.Info()
		if err != nil {
			return nil
		}
		if out = append(out, Found{at, i.Size(), i.ModTime().UnixNano()}); len(out) == maxFound {
			return fs.SkipAll
		}
		return nil
	})
	if err != nil {
		return nil, snag.Refuse("no_folder", "the folder %q can't be read: %w", path, err)
	}
	return out, nil
}

// Recordings are the endings of names, in lower case, that files which are taken in have.
var Recordings = []string{".wav", ".wave", ".bwf", ".rf64", ".bw64", ".w64", ".aif", ".aiff", ".aifc", ".flac", ".au", ".snd", ".caf", ".mov", ".mp4", ".m4a", ".m4v", ".mkv", ".mxf"}

func recording(name string) bool {
	return !strings.HasPrefix(name, ".") && slices.Contains(Recordings, strings.ToLower(filepath.Ext(name)))
}

// CopyTo copies a file of the shelf to a path of the media folder, whole or not at all.
func (s *Shelf) CopyTo(ctx context.Context, path, to string, progress func(done, total int64)) (int64, error) {
	p, err := local(path)
	if err != nil {
		return 0, err
	}
	in, err := s.root.Open(p)
	if err != nil {
		return 0, snag.Refuse("not_found", "%q is not on the shelf any more: %w", path, err)
	}
	defer in.Close()
	st, err := in.Stat()
	if err != nil {
		return 0, err
	}
	if err := wholefile.EnsureFolder(filepath.Dir(to)); err != nil {
		return 0, err
	}
	out, err := wholefile.Create(to, true)
	if err != nil {
		return 0, err
	}
	defer out.Abort()
	var done int64
	for {
		if err := ctx.Err(); err != nil {
			return 0, err
		}
		n, err := io.CopyN(out, in, 8<<20)
		done += n
		progress(done, st.Size())
		if err == io.EOF {
			break
		}
		if err != nil {
			return 0, err
		}
	}
	return done, out.Commit()
}

// Listed finds what hash lists beside a file, or beside the folders it lies in, say of it: the newest
// generation that names it (ASC MHL keeps them in folders called ascmhl). ok is false when none does.
func (s *Shelf) Listed(path string) (e mhl.Entry, ok bool, err error) {
	p, err := local(path)
	if err != nil {
		return e, false, err
	}
	for dir := filepath.Dir(p); ; dir = filepath.Dir(dir) {
		lists, err := fs.Glob(s.root.FS(), filepath.ToSlash(filepath.Join(dir, "ascmhl", "*.mhl")))
		if err != nil {
			return e, false, err
		}
		slices.Sort(lists) // names begin with the number of their generation
		for _, name := range slices.Backward(lists) {
			f, err := s.root.Open(name)
			if err != nil {
				return e, false, err
			}
			l, err := mhl.Read(f)
			f.Close()
			if err != nil {
				return e, false, snag.Refuse("bad_hash_list", "%s: %w", name, err)
			}
			rel, err := filepath.Rel(dir, p)
			if err != nil {
				return e, false, err
			}
			if e, ok := l.Find(filepath.ToSlash(rel)); ok {
				return e, true, nil
			}
		}
		if dir == "." {
			return e, false, nil
		}
	}
}
