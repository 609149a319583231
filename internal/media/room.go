package media

import (
	"context"
	"errors"
	"syscall"
	"time"

	"golang.org/x/sys/unix"

	"zestyloom/core/snag"
)

// What is kept free for the database, and for whatever else keeps the machine going: this, or an eighth of a small
// disk.
const reserve = 256 << 20

// guardEvery is how often the room is looked at while something is written.
const guardEvery = 500 * time.Millisecond

// Free says how many bytes may still be written before the reserve is touched; negative once it is. ok is false when
// that is not known.
func (f *Folder) Free() (bytes int64, ok bool) {
	left, kept, ok := f.disk()
	return left - kept, ok
}

// disk says how many bytes are left on the disk, and how many of them are the reserve.
func (f *Folder) disk() (left, kept int64, ok bool) {
	var st unix.Statfs_t
	if err := unix.Statfs(f.root, &st); err != nil {
		return 0, 0, false
	}
	return int64(st.Bavail) * st.Bsize, min(reserve, int64(st.Blocks)*st.Bsize/8), true
}

// Room refuses to begin what would fill the disk: bytes are what it needs.
func (f *Folder) Room(bytes int64) error {
	free, ok := f.Free()
	if !ok || bytes <= free {
		return nil // not known: the write itself will tell
	}
	return snag.Refuse("disk_full", "the media folder has room for %d MiB (besides what is kept for the database) and %d MiB are needed: make room and try again; nothing was lost", max(0, free)>>20, (bytes+1<<20-1)>>20)
}

// Guard gives a context that ends, with a refusal as its cause, when half of the reserve is used up: what writes on,
// stops, and the database still has room. Call done when nothing is written any more.
func (f *Folder) Guard(ctx context.Context) (guarded context.Context, done func()) {
	guarded, cancel := context.WithCancelCause(ctx)
	go func() {
		tick := time.NewTicker(guardEvery)
		defer tick.Stop()
		for {
			select {
			case <-guarded.Done():
				return
			case <-tick.C:
			}
			if left, kept, ok := f.disk(); ok && left < kept/2 {
				cancel(f.NoRoom())
				return
			}
		}
	}()
	return guarded, func() { cancel(context.Canceled) }
}

// NoRoom says that the disk became full.
func (f *Folder) NoRoom() *snag.Refusal {
	free, _ := f.Free()
	return snag.Refuse("disk_full", "the disk of the media folder became full meanwhile (%d MiB are left besides what is kept for the database): make room and try again; nothing was lost", max(0, free)>>20)
}

// Refusal is an error as a person is told of it.
func (f *Folder) Refusal(err error) *snag.Refusal {
	if errors.Is(err, syscall.ENOSPC) || errors.Is(err, syscall.EDQUOT) {
		return f.NoRoom()
	}
	return snag.Of(err)
}
