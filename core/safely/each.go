package safely

import (
	"sync"
	"sync/atomic"
)

// Each calls fn for 0 to n-1, on as many goroutines as there are workers, and returns the error of the first that
// failed, by number.
func Each(workers, n int, fn func(i int) error) error {
	if workers = min(workers, n); workers <= 1 {
		for i := range n {
			if err := fn(i); err != nil {
				return err
			}
		}
		return nil
	}
	errs := make([]error, n)
	var next atomic.Int64
	work := func() {
		for i := int(next.Add(1)) - 1; i < n; i = int(next.Add(1)) - 1 {
			errs[i] = Do(func() error { return fn(i) })
		}
	}
	var group sync.WaitGroup
	for range workers - 1 {
		group.Go(work)
	}
	work()
	group.Wait()
	for _, err := range errs {
		if err != nil {
			return err
		}
	}
	return nil
}
