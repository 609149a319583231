package cutlist

import (
	"cmp"
	"slices"
)

// Stretch is some of a source at a place of a record.
type Stretch struct {
	Source         string // nothing is of none, and of no other
	In, At, Length int64
}

// Pair finds for each stretch which of those before it is, -1 for one that is new: of the same source, what it plays most of again, and of
// those the nearest on the record. Each is one other at the most.
func Pair(was, is []Stretch) []int {
	type pair struct {
		old, new       int
		overlap, apart int64
	}
	var pairs []pair
	bySource := map[string][]int{}
	for k, o := range was {
		bySource[o.Source] = append(bySource[o.Source], k)
	}
	for i, s := range is {
		if s.Source == "" {
			continue
		}
		for _, k := range bySource[s.Source] {
			o := was[k]
			if n := min(o.In+o.Length, s.In+s.Length) - max(o.In, s.In); n > 0 {
				pairs = append(pairs, pair{k, i, n, max(o.At-s.At, s.At-o.At)})
			}
		}
	}
	slices.SortStableFunc(pairs, func(a, b pair) int {
		return cmp.Or(cmp.Compare(b.overlap, a.overlap), cmp.Compare(a.apart, b.apart))
	})
	out := make([]int, len(is))
	for i := range out {
		out[i] = -1
	}
	taken := map[int]bool{}
	for _, p := range pairs {
		if out[p.new] < 0 && !taken[p.old] {
			out[p.new], taken[p.old] = p.old, true
		}
	}
	return out
}
