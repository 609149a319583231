package poly

import (
	"errors"
	"os"
	"runtime"

	"golang.org/x/sync/errgroup"

	"zestyloom/core/safely"
	"zestyloom/core/wave"
	"zestyloom/core/wholefile"
)

// blockBytes is the size of one read: large enough to be fast, small enough that a file of any
// length needs a few MiB.
const blockBytes = 1 << 20

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

// each calls fn for 0 to n-1 on as many processors as there are, and returns the first error.
func each(n int, fn func(i int) error) error {
	var running errgroup.Group
	running.SetLimit(runtime.GOMAXPROCS(0))
	for i := range n {
		running.Go(func() error { return safely.Do(func() error { return fn(i) }) })
	}
	return running.Wait()
}

// commitAll puts files in place; when one can't be, those put in place before it are removed.
func commitAll(outs []*output) error {
	// Flushing waits for the disk: all at once it waits once.
	err := each(len(outs), func(i int) error { return errors.Join(outs[i].w.Close(), outs[i].file.Sync()) })
	if err != nil {
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
