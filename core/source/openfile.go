package source

import (
	"os"
	"syscall"

	"zestyloom/core/snag"
)

// OpenFile opens a regular file for reading and refuses everything else: what was a file when it was looked at may be
// a pipe or a device by the time that it is opened, which would be waited for for ever.
func OpenFile(path string) (*os.File, error) {
	f, err := os.OpenFile(path, os.O_RDONLY|syscall.O_NONBLOCK, 0)
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
