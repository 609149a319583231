package app

import (
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"time"

	"github.com/google/uuid"

	"zestyloom/core/blockhash"
	"zestyloom/core/snag"
	"zestyloom/core/source"
	"zestyloom/internal/media"
	"zestyloom/internal/store"
)

// ScrubEvery is within which time everything that is kept is read again, unless somebody has said otherwise.
const ScrubEvery = 30 * 24 * time.Hour

// A scrub of the background reads for a while and then leaves the disk to others for nice times as long.
const (
	scrubStretch = 4 << 20 // bytes
	nice         = 3
)

// Pace waits between stretches of reading; took is how long the last one was.
type Pace func(ctx context.Context, took time.Duration) error

// Gently leaves three quarters of the disk's time to others.
func Gently(ctx context.Context, took time.Duration) error {
	select {
	case <-ctx.Done():
		return ctx.Err()
	case <-time.After(nice * took):
		return nil
	}
}

// AtOnce does not wait.
func AtOnce(ctx context.Context, _ time.Duration) error { return ctx.Err() }

// Scrub says how far everything has been read and compared within the time that it is to be: ever, where that is nought.
func (a *App) Scrub(ctx context.Context) (store.Scrubbed, error) {
	since := time.Time{}
	if a.ScrubEvery > 0 {
		since = a.Now().Add(-a.ScrubEvery)
	}
	return a.Store.Scrubbed(ctx, since)
}

// Scrubbing is what is being read and compared now.
type Scrubbing struct {
	Name        string
	Done, Total int64 // bytes
}

// ScrubbingNow says what is being read and compared by this process; Name is empty while nothing is.
func (a *App) ScrubbingNow() Scrubbing {
	a.scrubMu.Lock()
	defer a.scrubMu.Unlock()
	return a.scrubs
}

func (a *App) scrubbing(s Scrubbing) {
	a.scrubMu.Lock()
	defer a.scrubMu.Unlock()
	a.scrubs = s
}

// Scrubbed is one thing that was read and compared.
type Scrubbed struct {
	Name string
	Why  error // what is amiss with it; nil for nothing
}

// ScrubNext reads the file or the delivery whose turn it is, of those that were last read before a time, and compares it with
// what it was. ErrNotFound says that there is none. What is found is kept: of files as what they lost, of deliveries as their
// damage.
func (a *App) ScrubNext(ctx context.Context, before time.Time, pace Pace) (Scrubbed, error) {
	defer a.scrubbing(Scrubbing{})
	f, err := a.Store.FileDue(ctx, before, a.Shelf != nil)
	if err == nil {
		why, err := a.scrubFile(ctx, f, pace)
		return Scrubbed{f.Name, why}, err
	}
	if !errors.Is(err, ErrNotFound) {
		return Scrubbed{}, err
	}
	d, err := a.Store.DeliveryDue(ctx, before)
	if err != nil {
		return Scrubbed{}, err
	}
	why, err := a.scrubDelivery(ctx, d, pace)
	return Scrubbed{fmt.Sprintf("%s, version %d", d.Plan.Order.Spec.Name, d.Version), why}, err
}

// scrubFile reads all that is kept of a file. why says what is amiss with it.
func (a *App) scrubFile(ctx context.Context, f store.File, pace Pace) (why, err error) {
	why = a.there(f)
	if why == nil {
		var path string
		if path, why = a.original(f); why == nil {
			why = a.scrub(ctx, f.Name, path, f.Hash, pace)
		}
	}
	if why == nil && f.WorkingPath != "" {
		if f.WorkingHash == "" { // of before it was kept
			sums, e := source.HashFile(a.Media.Path(f.WorkingPath))
			if why = e; e == nil {
				f.WorkingHash, err = sums.Hash(), errors.Join(a.Store.SaveBlocks(ctx, sums), a.Store.SetWorkingHash(ctx, f.ID, sums.Hash()))
			}
		} else {
			why = a.scrub(ctx, f.Name, a.Media.Path(f.WorkingPath), f.WorkingHash, pace)
		}
	}
	if err = errors.Join(err, ctx.Err()); err != nil || store.Passing(why) {
		return why, errors.Join(err, why)
	}
	err = errors.Join(a.setLost(ctx, f, why), a.Store.FileChecked(ctx, f.ID))
	if errors.Is(err, ErrNotFound) {
		err = nil // removed meanwhile
	}
	return why, err
}

// scrub reads a file and compares all of it, beyond the first block that differs, so that it can be said how much does.
func (a *App) scrub(ctx context.Context, name, path, hash string, pace Pace) error {
	known, err := a.known(ctx, name, hash)
	if err != nil {
		return err
	}
	if known == nil {
		_, err := a.assured(ctx, name, path, hash)
		return err
	}
	f, err := source.OpenFile(path)
	if errors.Is(err, os.ErrNotExist) {
		return snag.Refuse("source_gone", "what was decoded of %s is not in the media folder any more: take in the file again, which puts it back in its place", name)
	}
	if err != nil {
		return err
	}
	defer f.Close()
	r := blockhash.NewReader(f, *known.Sums)
	var first *blockhash.Differs
	differ := int64(0)
	stretch := make([]byte, scrubStretch)
	for at := int64(0); at < known.Sums.Bytes; {
		a.scrubbing(Scrubbing{name, at, known.Sums.Bytes})
		began := time.Now()
		n, err := r.ReadAt(stretch[:min(scrubStretch, known.Sums.Bytes-at)], at)
		at += int64(n)
		if d := (*blockhash.Differs)(nil); errors.As(err, &d) {
			if first == nil {
				first = d
			}
			differ, at = differ+1, d.To
		} else if err != nil && !errors.Is(err, io.EOF) {
			return snag.Refuse("source_changed", "%s can't be read at byte %d (%w): the disk may be failing; take in the file again, which puts it back in its place", name, at, err)
		}
		if err := pace(ctx, time.Since(began)); err != nil {
			return err
		}
	}
	switch {
	case first == nil:
		return nil
	case differ > 1:
		return source.Changed(name, fmt.Sprintf("%v, and %d more blocks of %d", first, differ-1, len(known.Sums.Of)))
	}
	return source.Changed(name, first)
}

// scrubDelivery reads all files of a proven delivery. why says what is amiss with it.
func (a *App) scrubDelivery(ctx context.Context, d store.Delivery, pace Pace) (why, err error) {
	for i := range d.Plan.Files {
		g, e := a.deliveredFile(ctx, d, i)
		if e == nil {
			e = g.readThrough(func(done int64) { a.scrubbing(Scrubbing{g.Name, done, g.bytes}) }, func(took time.Duration) error { return pace(ctx, took) })
		}
		if ctx.Err() != nil || store.Passing(e) {
			return why, e
		}
		if why == nil {
			why = e
		}
	}
	if err = errors.Join(a.markDamaged(ctx, d, why), a.Store.DeliveryChecked(ctx, d.ID)); errors.Is(err, ErrNotFound) {
		err = nil
	}
	return why, err
}

// RunScrub reads everything again within a time, gently, until ctx ends. failed is told what keeps it from that; it goes on.
func (a *App) RunScrub(ctx context.Context, every time.Duration, found func(Scrubbed), failed func(error)) {
	for ctx.Err() == nil {
		s, err := a.ScrubNext(ctx, a.Now().Add(-every), Gently)
		if err == nil {
			if s.Why != nil {
				found(s)
			}
			continue
		}
		if !errors.Is(err, ErrNotFound) && ctx.Err() == nil {
			failed(err)
		}
		select {
		case <-ctx.Done():
		case <-time.After(time.Minute):
		}
	}
}

// LookForGone looks at the place and the length of every original that is ours, reads again what was written to since it was
// read last, and what is back; it records what it finds.
func (a *App) LookForGone(ctx context.Context) error {
	const page = 1000
	for after := uuid.Nil; ; {
		fs, err := a.Store.KeptFiles(ctx, after, page)
		if err != nil {
			return err
		}
		for _, f := range fs {
			after = f.ID
			why := a.there(f)
			back := f.Lost != nil && (f.Lost.Code == "source_gone" || a.touched(f))
			if why == nil && (back || f.CheckedAt != nil && a.touched(f)) {
				whole, err := a.Store.File(ctx, f.ID)
				if err == nil {
					_, err = a.scrubFile(ctx, whole, Gently)
				}
				if err != nil && !errors.Is(err, ErrNotFound) {
					return err
				}
				continue
			}
			if why == nil {
				continue // what is amiss with its contents is known by reading them
			}
			if err := a.setLost(ctx, f, why); err != nil && !errors.Is(err, ErrNotFound) {
				return err
			}
		}
		if len(fs) < page {
			return ctx.Err()
		}
	}
}

// touched reports whether an original was written to since it was read last.
func (a *App) touched(f store.File) bool {
	at, err := media.Modified(a.Media.Path(f.Path))
	return err == nil && (f.CheckedAt == nil || at.After(*f.CheckedAt))
}
