package cli

import (
	"errors"
	"os"
	"path/filepath"
	"strings"

	"github.com/spf13/cobra"

	"zestyloom/core/snag"
)

// each does something with one file after another, and says what came of it: what fails is told and keeps none of the others back. What
// can't be said ends it.
func each[T any](cmd *cobra.Command, asJSON bool, paths []string, do func(path string) (T, error), say func(path string, made T) error) error {
	var failed error
	for _, path := range paths {
		made, err := do(path)
		switch {
		case err == nil:
			if err := say(path, made); err != nil {
				return err
			}
		case cmd.Context().Err() != nil:
			return cmd.Context().Err()
		case errors.As(err, new(UsageError)):
			return err
		default:
			if failed = refused(cmd, asJSON, path, err); !errors.As(failed, new(Reported)) {
				return failed
			}
		}
	}
	return failed
}

// claims are the files that a run writes, and of which file each is made: no two are made under one name.
type claims map[string]string

func (c claims) add(path, from string) error {
	key := strings.ToLower(filepath.Clean(path)) // some disks take them for the same
	if by, taken := c[key]; taken {
		return snag.Refuse("names_clash", "%s is what %s is written to already: write to another folder", path, by)
	}
	c[key] = from
	return nil
}

// into is where a file goes that is made of another: --out itself, or of several files, or where --out is a folder, the name of the
// original with another ending in it.
func into(out, path, ending string, several bool) string {
	st, err := os.Stat(out)
	if !several && !strings.HasSuffix(out, string(filepath.Separator)) && (err != nil || !st.IsDir()) {
		return out
	}
	name := filepath.Base(path)
	if ending != "" && !strings.EqualFold(filepath.Ext(name), ending) {
		name = strings.TrimSuffix(name, filepath.Ext(name)) + ending
	}
	return filepath.Join(out, name)
}

// wouldSay is what follows a file that was only planned.
func wouldSay(dry bool) string {
	if dry {
		return " (not written)"
	}
	return ""
}
