package reel

import (
	"cmp"
	"slices"

	"zestyloom/core/snag"
)

// Picture is a stretch of a file with a picture, that is seen while the reel is where it lies. It is counted in the reel's
// samples, so that it stays in step with what is laid to it whatever its frame rate is. No two lie over each other.
type Picture struct {
	ID     string `json:"id"`
	File   string `json:"file"` // the caller's name for it
	Name   string `json:"name"` // such as that of the file
	At     int64  `json:"at"`   // samples since midnight of the reel's day
	In     int64  `json:"in"`   // samples into the file's picture
	Length int64  `json:"length"`
}

// End is the first sample after it.
func (p Picture) End() int64 { return p.At + p.Length }

const maxPictures = 1000

func (p Picture) check() error {
	switch {
	case p.ID == "" || p.File == "" || p.At < 0 || p.In < 0 || p.Length <= 0 || p.At > 1<<50 || p.In > 1<<50 || p.Length > 1<<50:
		return snag.Refuse("bad_picture", "a picture of %d samples at %d can't be laid", p.Length, p.At)
	case len(p.Name) > maxLabel || len(p.File) > maxLabel:
		return snag.Refuse("bad_picture", "the picture at %d has too long a name", p.At)
	}
	return nil
}

func checkPictures(all []Picture) error {
	if len(all) > maxPictures {
		return snag.Refuse("too_many", "%d pictures: at most %d", len(all), maxPictures)
	}
	seen := map[string]bool{}
	for i, p := range all {
		if err := p.check(); err != nil {
			return err
		}
		if seen[p.ID] {
			return snag.Refuse("bad_picture", "the picture %s at %d has no identity of its own", p.Name, p.At)
		}
		seen[p.ID] = true
		if i > 0 && all[i-1].End() > p.At {
			return snag.Refuse("overlap", "the picture %s would lie over %s", p.Name, all[i-1].Name)
		}
	}
	return nil
}

// SetPictures puts pictures, in place of those with the same IDs, and takes others away.
type SetPictures struct {
	Put    []Picture `json:"put,omitempty"`
	Remove []string  `json:"remove,omitempty"`
}

func (o *SetPictures) apply(r *Reel) (Op, error) {
	now, put, remove, err := exchanged(r.Pictures, o.Put, o.Remove, func(p Picture) string { return p.ID },
		func(id string) error {
			return snag.Refuse("no_such_picture", "there is no picture %q in this reel any more", id)
		})
	if err != nil {
		return Op{}, err
	}
	sortPictures(now)
	if err := checkPictures(now); err != nil {
		return Op{}, err
	}
	r.Pictures = now
	return Op{SetPictures: &SetPictures{put, remove}}, nil
}

func sortPictures(all []Picture) {
	slices.SortFunc(all, func(a, b Picture) int { return cmp.Or(cmp.Compare(a.At, b.At), cmp.Compare(a.ID, b.ID)) })
}

// exchanged is a list after some of it, by ID, were taken away and others put, in place of those with the same IDs; nil when
// nothing is left. putBack and removeBack are what takes that back.
func exchanged[T any](was, put []T, remove []string, id func(T) string, gone func(id string) error) (now, putBack []T, removeBack []string, err error) {
	at := make(map[string]int, len(was)) // places in was, and behind it of what has come
	for i, t := range was {
		at[id(t)] = i
	}
	now = slices.Clone(was)
	away := make(map[int]bool, len(remove))
	said := map[string]bool{} // of what it is known how it is put back
	for _, of := range remove {
		i, there := at[of]
		if !there {
			return nil, nil, nil, gone(of)
		}
		putBack, away[i], said[of] = append(putBack, now[i]), true, true
		delete(at, of)
	}
	for _, t := range put {
		of := id(t)
		i, there := at[of]
		if !there {
			at[of], now = len(now), append(now, t)
			if !said[of] {
				removeBack = append(removeBack, of)
			}
		} else {
			if !said[of] {
				putBack = append(putBack, now[i])
			}
			now[i] = t
		}
		said[of] = true
	}
	if len(away) > 0 {
		left := now[:0]
		for i, t := range now {
			if !away[i] {
				left = append(left, t)
			}
		}
		now = left
	}
	if len(now) == 0 {
		now = nil
	}
	return now, putBack, removeBack, nil
}

// pictures moves them along where all tracks move: one that began before stays as it is.
func (o *Ripple) pictures(r *Reel) error {
	if len(r.Pictures) == 0 {
		return nil
	}
	now := slices.Clone(r.Pictures)
	for i, p := range now {
		if err := o.along(&now[i].At, "the picture "+p.Name+" begins"); err != nil {
			return err
		}
	}
	r.Pictures = now
	return checkPictures(now)
}
