package edit

import (
	"cmp"
	"slices"

	"zestyloom/core/reel"
)

// LayAll works out the operations that lay takes into a reel that is empty, the earliest of their night first, each as it is laid
// alone. Those without a start begin with the first that has one. asked says that it is a guess that
// some lie after midnight, which no date says.
func LayAll(r reel.Reel, takes []Arrived, day int64, newID func() string) (out reel.Reel, ops []reel.Op, asked bool, err error) {
	moments := make([]reel.Moment, len(takes))
	for i, t := range takes {
		moments[i] = reel.Moment{At: t.Start, Day: t.Day}
	}
	later, asked := reel.Night(moments, day)
	first := int64(-1)
	for i, t := range takes {
		if at := t.Start + later[i]; t.Start >= 0 && (first < 0 || at < first) {
			first = at
		}
	}
	order := make([]int, len(takes))
	for i := range order {
		order[i] = i
	}
	last := func(i int) int64 {
		if takes[i].Start < 0 {
			return 1 << 62
		}
		return takes[i].Start + later[i]
	}
	slices.SortStableFunc(order, func(a, b int) int { return cmp.Compare(last(a), last(b)) })
	for _, i := range order {
		t := takes[i]
		l := t.Lay(r.Weave)
		l.NewID, l.DayLen = newID, day
		if l.Start = t.Start + later[i]; t.Start < 0 {
			l.Start = max(0, first)
		}
		more, err := reel.LayTake(r, l)
		if err != nil {
			return r, ops, asked, err
		}
		if r, _, err = reel.Apply(r, more); err != nil {
			return r, ops, asked, err
		}
		ops = append(ops, more...)
	}
	if first >= 0 {
		set := []reel.Op{{SetStart: &reel.SetStart{Start: &first}}}
		if r, _, err = reel.Apply(r, set); err != nil {
			return r, ops, asked, err
		}
		ops = append(ops, set...)
	}
	return r, ops, asked, nil
}
