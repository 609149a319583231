// Package bounded holds readers of bytes from outside to what such bytes can be worth, in tests.
package bounded

import (
	"runtime"
	"testing"
	"time"
)

// Check calls fn, which reads size bytes from outside, and fails the test when that takes more memory or time than
// such bytes can be worth: 256 bytes for each and 32 MiB besides, and ten seconds.
func Check(t testing.TB, size int, fn func()) {
	t.Helper()
	var before, after runtime.MemStats
	runtime.ReadMemStats(&before)
	began := time.Now()
	fn()
	took := time.Since(began)
	runtime.ReadMemStats(&after)
	if grown, most := after.TotalAlloc-before.TotalAlloc, uint64(32<<20+256*size); grown > most {
		t.Fatalf("%d bytes from outside took %d bytes of memory, and %d at most are right", size, grown, most)
	}
	if took > 10*time.Second {
		t.Fatalf("%d bytes from outside took %s", size, took)
	}
}
