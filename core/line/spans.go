package line

import "slices"

// Span is a stretch of a clock in samples, up to but not with To.
type Span struct {
	From int64 `json:"from"`
	To   int64 `json:"to"`
}

// Spans are what has come of a clock: in order, apart from each other.
type Spans []Span

// Add adds what is between two places.
func (s *Spans) Add(from, to int64) {
	if to <= from {
		return
	}
	// Nearly always right behind the last.
	if n := len(*s); n > 0 && (*s)[n-1].To == from {
		(*s)[n-1].To = to
		return
	}
	i, _ := slices.BinarySearchFunc(*s, from, func(x Span, from int64) int {
		if x.To < from {
			return -1
		}
		return 1
	})
	k := i
	for k < len(*s) && (*s)[k].From <= to {
		from, to = min(from, (*s)[k].From), max(to, (*s)[k].To)
		k++
	}
	*s = slices.Replace(*s, i, k, Span{from, to})
}

// Missing is what of a stretch has not come.
func (s Spans) Missing(from, to int64) (out []Span) {
	for _, x := range s {
		if x.To <= from {
			continue
		}
		if x.From >= to {
			break
		}
		if x.From > from {
			out = append(out, Span{from, x.From})
		}
		from = x.To
	}
	if from < to {
		out = append(out, Span{from, to})
	}
	return out
}
