package wholefile

import (
	"os"

	"golang.org/x/sys/unix"
)

// beginWrite asks the system to begin writing a range to disk, without waiting. It is a hint: what
// counts is Sync.
func beginWrite(f *os.File, at, n int64) {
	_ = unix.SyncFileRange(int(f.Fd()), at, n, unix.SYNC_FILE_RANGE_WRITE)
}
