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

// lock takes an exclusive lock on a file, which ends with the process, and says whether it could.
func lock(f *os.File) bool { return unix.Flock(int(f.Fd()), unix.LOCK_EX|unix.LOCK_NB) == nil }
