// Package safely keeps a defect that one file brings to light from ending the process, and with it the work on all
// others.
package safely

import (
	"fmt"
	"runtime/debug"
	"sync"
)

// Panic is a panic as an error.
type Panic struct {
	Value any
	Stack []byte
}

// Error says what the panic said.
func (p *Panic) Error() string { return fmt.Sprint("a defect in the program: ", p.Value) }

// Do calls fn and returns its error, or a *Panic.
func Do(fn func() error) (err error) {
	defer func() {
		switch v := recover().(type) {
		case nil:
		case *Panic: // of another goroutine
			err = v
		default:
			err = &Panic{v, debug.Stack()}
		}
	}()
	return fn()
}

// Both calls two functions at once and returns when both have. A panic of the second, which runs on a goroutine of
// its own where nobody could recover it, is the caller's, as a *Panic.
func Both(first, second func()) {
	var other error
	var running sync.WaitGroup
	running.Go(func() {
		other = Do(func() error {
			second()
			return nil
		})
	})
	func() {
		defer running.Wait()
		first()
	}()
	if other != nil {
		panic(other)
	}
}
