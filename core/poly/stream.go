package poly

import (
	"errors"
	"os"

	"zestyloom/core/wave"
	"zestyloom/core/wholefile"
)

// blockBytes is the size of one read: large enough to be fast, small enough that a file of any
// length needs a few MiB.
const blockBytes = 2 << 20

// output is one WAV file being written.
type output struct {
	file *wholefile.File
	w    *wave.Writer
}

func newOutput(path string, force bool, opts wave.Options) (*output, error) {
	f, err := wholefile.Create(path, force)
	if err != nil {
		return nil, err
	}
	w, err := wave.NewWriter(f, opts)
	if err != nil {
		f.Abort()
		return nil, err
	}
	return &output{f, w}, nil
}

func (o *output) abort() {
	if o != nil {
		o.file.Abort()
	}
}

// commitAll puts files in place; when one can't be, those put in place before it are removed.
func commitAll(outs []*output) error {
	var errs []error
	for _, o := range outs {
		errs = append(errs, o.w.Close())
	}
	if err := errors.Join(errs...); err != nil {
		return err
	}
	for i, o := range outs {
		if err := o.file.Commit(); err != nil {
			for _, done := range outs[:i] {
				os.Remove(done.file.Path())
			}
			return err
		}
	}
	return nil
}
