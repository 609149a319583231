package align

import "context"

// maxTried bounds how many ways of hearing a recording are tried.
const maxTried = 5

// Listener lines files up against one reference. It listens to the reference once.
type Listener struct {
	ref  []Sound // all channels together first, then each
	done map[int]*Recording
}

// NewListener takes a reference as the ways in which it can be heard, the likeliest first.
func NewListener(ref ...Sound) *Listener { return &Listener{ref, map[int]*Recording{}} }

func (l *Listener) recording(ctx context.Context, i int) (*Recording, error) {
	if r, ok := l.done[i]; ok {
		return r, nil
	}
	r, err := Listen(ctx, l.ref[i])
	if err == nil {
		l.done[i] = r
	}
	return r, err
}

// Align lines up a recording that can be heard in several ways: first as the first of them, and where
// that is not certain as each of the others, since what one microphone hears another may not. The
// surest answer counts; way says which it was.
func (l *Listener) Align(ctx context.Context, file ...Sound) (best Alignment, way int, err error) {
	for i, s := range file[:min(len(file), maxTried)] {
		other, err := l.listen(ctx, s)
		if err != nil {
			return best, 0, err
		}
		for k := range l.ref[:min(len(l.ref), 2)] {
			ref, err := l.recording(ctx, k)
			if err != nil {
				return best, 0, err
			}
			a, err := ref.Align(ctx, other)
			if err != nil {
				return best, 0, err
			}
			if i == 0 && k == 0 || a.surer(best) {
				best, way = a, i
			}
			if best.Certainty == Certain {
				return best, way, nil
			}
		}
	}
	return best, way, nil
}

// listen listens to a sound, and beside it to the reference where that has not been done.
func (l *Listener) listen(ctx context.Context, s Sound) (*Recording, error) {
	if _, ok := l.done[0]; ok {
		return Listen(ctx, s)
	}
	x, y, err := both(ctx, l.ref[0], s)
	if err == nil {
		l.done[0] = &Recording{l.ref[0], x}
	}
	return &Recording{s, y}, err
}

// surer reports whether an alignment is more to be relied on than another.
func (a Alignment) surer(b Alignment) bool {
	rank := map[Certainty]int{Certain: 2, Doubtful: 1}
	if rank[a.Certainty] != rank[b.Certainty] {
		return rank[a.Certainty] > rank[b.Certainty]
	}
	return a.Agree*max(1, b.Windows) > b.Agree*max(1, a.Windows)
}

// Ways are how a file is listened to: all its channels together, then each by itself.
func (f *File) Ways() []Sound {
	out := []Sound{f}
	if len(f.channels) > 1 {
		for _, c := range f.channels {
			out = append(out, FromFile(f.src, c))
		}
	}
	return out
}
