package source

import (
	"os"
	"path/filepath"
	"strings"
	"sync"
	"syscall"

	"zestyloom/core/snag"
)

// OpenFile opens a regular file for reading and refuses everything else: what was a file when it was looked at may be
// a pipe or a device by the time that it is opened, which would be waited for for ever.
func OpenFile(path string) (*os.File, error) {
	f, err := openBeneath(path)
	if err != nil {
		return nil, err
	}
	st, err := f.Stat()
	switch {
	case err != nil:
	case st.IsDir():
		err = snag.Refuse("is_folder", "this is a folder: name the files in it")
	case !st.Mode().IsRegular():
		err = snag.Refuse("not_a_file", "this is not a regular file")
	}
	if err != nil {
		f.Close()
		return nil, err
	}
	return f, nil
}

var confined struct {
	sync.RWMutex
	roots []*os.Root
}

// Confine has every path beneath a folder opened from that folder and never through a link that leads out of it, at
// whatever moment somebody puts one there: the folder is one that others may write to. It holds for the whole program
// and can't be taken back; the root stays open.
func Confine(root *os.Root) {
	confined.Lock()
	defer confined.Unlock()
	confined.roots = append(confined.roots, root)
}

func openBeneath(path string) (*os.File, error) {
	const flags = os.O_RDONLY | syscall.O_NONBLOCK
	confined.RLock()
	defer confined.RUnlock()
	for _, r := range confined.roots {
		if rel, err := filepath.Rel(r.Name(), path); err == nil && rel != ".." && !strings.HasPrefix(rel, "../") {
			return r.OpenFile(rel, flags, 0)
		}
	}
	return os.OpenFile(path, flags, 0)
}
