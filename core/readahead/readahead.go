// Package readahead overlaps making blocks of bytes with using them.
package readahead

import (
	"context"
	"errors"
	"io"
	"sync"

	"zestyloom/core/safely"
)

// Run calls fill for one block after another, and use with each in order, while fill is at work on
// the next. Two buffers of the given size exist. fill returns how many bytes of its buffer hold
// something, and io.EOF, with or without bytes, when there is no more; that is not an error of
// Run. A block is valid only during the call of use.
func Run(ctx context.Context, size int, fill func(buf []byte) (int, error), use func(block []byte) error) error {
	type block struct {
		data []byte
		err  error
	}
	full, free := make(chan block), make(chan []byte, 2)
	ctx, cancel := context.WithCancel(ctx)
	var filling sync.WaitGroup
	defer filling.Wait()
	defer cancel()
	filling.Go(func() {
		defer close(full)
		for range 2 {
			free <- make([]byte, size)
		}
		for {
			var buf []byte
			select {
			case buf = <-free:
			case <-ctx.Done():
				return
			}
			n := 0
			err := safely.Do(func() (err error) {
				n, err = fill(buf)
				return err
			})
			select {
			case full <- block{buf[:n], err}:
			case <-ctx.Done():
				return
			}
			if err != nil {
				return
			}
		}
	})
	for b := range full {
		if b.err != nil && !errors.Is(b.err, io.EOF) {
			return b.err
		}
		if len(b.data) > 0 {
			if err := use(b.data); err != nil {
				return err
			}
		}
		if b.err != nil {
			return nil
		}
		if err := ctx.Err(); err != nil {
			return err
		}
		free <- b.data[:cap(b.data)]
	}
	return ctx.Err()
}
