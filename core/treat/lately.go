package treat

import "sync"

// lately keeps what was worked out lately, by what it was asked for with: up to so many, and then it begins anew. It is safe for
// concurrent use; what is kept is never changed.
type lately[K comparable, V any] struct {
	most int
	mu   sync.Mutex
	kept map[K]V
}

// of gives what is kept for a key, or works it out.
func (l *lately[K, V]) of(key K, work func() V) V {
	l.mu.Lock()
	v, ok := l.kept[key]
	l.mu.Unlock()
	if ok {
		return v
	}
	v = work()
	l.mu.Lock()
	defer l.mu.Unlock()
	if l.kept == nil || len(l.kept) >= l.most {
		l.kept = map[K]V{}
	}
	l.kept[key] = v
	return v
}
