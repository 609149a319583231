package media

import (
	"errors"
	"io/fs"
	"os"
	"path/filepath"
	"strings"
	"syscall"
	"time"

	"github.com/google/uuid"

	"zestyloom/core/wholefile"
)

// Places of the folder whose entries are named by the rows that they belong to.
const (
	Originals = "originals"
	Summaries = "summaries"
	found     = "found" // and those of order.Kinds
)

// How long things that nobody knows are kept.
const (
	keepUpload = 7 * 24 * time.Hour  // an upload that nobody goes on with
	keepFound  = 30 * 24 * time.Hour // sound that no row speaks of
)

// Named lists the ids of what a place holds that has not been touched for at least an age.
func (f *Folder) Named(place string, age time.Duration) (ids []uuid.UUID, err error) {
	all, err := os.ReadDir(filepath.Join(f.root, place))
	if err != nil {
		return nil, err
	}
	for _, e := range all {
		id, err := uuid.Parse(strings.TrimSuffix(e.Name(), ".zlwf"))
		if info, e := e.Info(); err == nil && e == nil && time.Since(info.ModTime()) >= age {
			ids = append(ids, id)
		}
	}
	return ids, nil
}

// PutAway takes what a place holds under an id out of it. What can be made again goes; sound that is nowhere else is
// kept apart, in the folder "found", and said so.
func (f *Folder) PutAway(place string, id uuid.UUID) (kept bool, err error) {
	if place == Summaries {
		return false, os.Remove(f.Summary(id))
	}
	dir := filepath.Join(f.root, place, id.String())
	only := false
	err = filepath.WalkDir(dir, func(path string, e fs.DirEntry, err error) error {
		if err != nil || !e.Type().IsRegular() || strings.HasPrefix(e.Name(), ".") {
			return err // working copies and parts can be made again
		}
		info, err := e.Info()
		if err != nil {
			return err
		}
		if st, ok := info.Sys().(*syscall.Stat_t); !ok || st.Nlink < 2 {
			only = true
		}
		return nil
	})
	if err != nil {
		return false, err
	}
	if !only {
		return false, os.RemoveAll(dir)
	}
	if err := os.MkdirAll(filepath.Join(f.root, found), 0o755); err != nil {
		return false, err
	}
	to := filepath.Join(f.root, found, place+"-"+id.String())
	if err := os.Rename(dir, to); err != nil {
		return false, err
	}
	now := time.Now()
	return true, os.Chtimes(to, now, now) // from now on its time counts
}

// DropOld removes uploads that nobody has gone on with for a week, sound that was found a month ago, and what killed
// processes have left half written; it says how many.
func (f *Folder) DropOld(now time.Time) (removed int, err error) {
	drop := func(dir string, age time.Duration) {
		all, e := os.ReadDir(dir)
		if e != nil {
			if !errors.Is(e, fs.ErrNotExist) {
				err = errors.Join(err, e)
			}
			return
		}
		for _, entry := range all {
			info, e := entry.Info()
			if e != nil || now.Sub(info.ModTime()) < age {
				continue
			}
			if dir == f.Uploads() && now.Sub(f.touched(strings.TrimSuffix(strings.TrimSuffix(entry.Name(), ".info"), ".lock"))) < age {
				continue // its bytes still come
			}
			if e := os.RemoveAll(filepath.Join(dir, entry.Name())); e != nil {
				err = errors.Join(err, e)
				continue
			}
			removed++
		}
	}
	drop(f.Uploads(), keepUpload)
	drop(filepath.Join(f.root, found), keepFound)
	removed += wholefile.Sweep(filepath.Join(f.root, Summaries))
	dirs, e := os.ReadDir(filepath.Join(f.root, Originals))
	for _, d := range dirs {
		removed += wholefile.Sweep(filepath.Join(f.root, Originals, d.Name()))
	}
	return removed, errors.Join(err, e)
}

// touched is when an upload last got bytes; whole ones, which are taken in elsewhere, count as touched just now.
func (f *Folder) touched(id string) time.Time {
	u, err := f.Upload(id)
	if err != nil {
		return time.Time{}
	}
	if u.Whole() || u.adopted() != "" {
		return time.Now()
	}
	st, err := os.Stat(u.Path)
	if err != nil {
		return time.Time{}
	}
	return st.ModTime()
}

// Attempts lists the attempts in a delivery's or a writing's folder.
func (f *Folder) Attempts(dir string, age time.Duration) (ids []uuid.UUID) {
	all, err := os.ReadDir(dir)
	if err != nil {
		return nil // it is not there
	}
	for _, e := range all {
		id, err := uuid.Parse(e.Name())
		if info, e := e.Info(); err == nil && e == nil && time.Since(info.ModTime()) >= age {
			ids = append(ids, id)
		}
	}
	return ids
}
