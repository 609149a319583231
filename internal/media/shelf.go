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
	r, err := os.OpenRoot(dir)
	if err != nil {
		return nil, err
	}
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

// Stat finds a file and its size.
func (s *Shelf) Stat(path string) (int64, error) {
	p, err := local(path)
	if err != nil {
		return 0, err
	}
	st, err := s.root.Stat(p)
	if err != nil {
		return 0, snag.Refuse("not_found", "%q is not on the shelf: %w", path, err)
	}
	if !st.Mode().IsRegular() {
		return 0, snag.Refuse("not_a_file", "%q is not a file", path)
	}
	return st.Size(), nil
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
	if err := os.MkdirAll(filepath.Dir(to), 0o755); err != nil {
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
