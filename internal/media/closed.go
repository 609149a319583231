package media

import (
	"errors"
	"fmt"
	"io/fs"
	"os"
	"os/user"
	"path/filepath"
	"strconv"
	"syscall"
)

// Permissions of what lies in the folder: its user writes, its group reads, others see nothing.
const (
	others     = 0o007
	groupWrite = 0o020
)

// CloseToOthers has nobody but the folder's user and its group read what lies in it, also what was put there before, and has
// what the process makes from now on be so. group, where one is named, is whose everything is and will be.
func (f *Folder) CloseToOthers(group string) error {
	syscall.Umask(groupWrite | others)
	gid := -1
	if group != "" {
		g, err := user.LookupGroup(group)
		if err != nil {
			return fmt.Errorf("the group %s of the media folder is not known on this machine: %w", group, err)
		}
		if gid, err = strconv.Atoi(g.Gid); err != nil {
			return err
		}
	}
	var failed error
	err := filepath.WalkDir(f.root, func(path string, e fs.DirEntry, err error) error {
		if err == nil {
			err = closeOne(path, e, gid)
		}
		if err != nil && !errors.Is(err, fs.ErrNotExist) { // another may have removed it
			failed = errors.Join(failed, err)
		}
		return nil
	})
	if err = errors.Join(err, failed); err != nil {
		return fmt.Errorf("the media folder can't be closed to others: %w", err)
	}
	return nil
}

func closeOne(path string, e fs.DirEntry, gid int) error {
	info, err := e.Info()
	if err != nil || !info.IsDir() && !info.Mode().IsRegular() {
		return err
	}
	if st, ok := info.Sys().(*syscall.Stat_t); ok && gid >= 0 && int(st.Gid) != gid {
		if err := os.Lchown(path, -1, gid); err != nil {
			return err
		}
	}
	want := info.Mode().Perm() &^ (groupWrite | others)
	if info.IsDir() && gid >= 0 {
		want |= fs.ModeSetgid // what comes into it is the group's as well
	}
	if info.Mode().Perm() == want.Perm() && info.Mode()&fs.ModeSetgid == want&fs.ModeSetgid {
		return nil
	}
	return os.Chmod(path, want)
}
