package cli

import (
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"syscall"

	"zestyloom/core/snag"
)

// ownFolder makes a folder of this process in another, for what is put in its place at once; those that killed processes
// have left there are removed first.
func ownFolder(dir, what string) (string, error) {
	prefix := "." + what + "-"
	left, _ := filepath.Glob(filepath.Join(dir, prefix+"*-*")) // the pattern is one
	for _, path := range left {
		pid, _, _ := strings.Cut(strings.TrimPrefix(filepath.Base(path), prefix), "-")
		if n, err := strconv.Atoi(pid); err == nil && n > 0 && errors.Is(syscall.Kill(n, 0), syscall.ESRCH) {
			_ = os.RemoveAll(path) // what can't be removed is in nobody's way
		}
	}
	own, err := os.MkdirTemp(dir, fmt.Sprintf("%s%d-*", prefix, os.Getpid()))
	if err != nil {
		return "", snag.Refuse("no_folder", "the folder %s can't be written to: %w", dir, err)
	}
	return own, nil
}
