package reel

import "slices"

// Moment is when something starts, as far as that is known.
type Moment struct {
	At  int64  // samples since midnight, -1 where it is not known
	Day string // yyyy-mm-dd, empty where it is not known
}

// Night works out which of some moments lie after midnight of a night that the others began: by how many samples later each lies
// than it says, 0 or a day. Timecode counts from midnight, so that takes of 23:59:58 and 00:00:03 seem to be a day apart.
//
// What divides the day is the longest stretch in which nothing starts. Where it is that around midnight, nothing is later. Dates
// decide where they are there: takes of one date are of one day, however far apart, and only those of the day after lie later.
// Without dates the shorter way round is likely, and asked says that it is a guess.
func Night(ms []Moment, day int64) (later []int64, asked bool) {
	later = make([]int64, len(ms))
	var known []int
	for i, m := range ms {
		if m.At >= 0 {
			known = append(known, i)
		}
	}
	if len(known) < 2 {
		return later, false
	}
	slices.SortFunc(known, func(a, b int) int { return int(min(1, max(-1, ms[a].At-ms[b].At))) })
	// The gap after each, the last one's going over midnight.
	first, widest := 0, ms[known[0]].At+day-ms[known[len(known)-1]].At
	for k := range len(known) - 1 {
		if gap := ms[known[k+1]].At - ms[known[k]].At; gap > widest && gap > day/2 {
			first, widest = k+1, gap
		}
	}
	if first == 0 {
		return later, false
	}
	eve, morning := days(ms, known[first:]), days(ms, known[:first])
	switch {
	case len(eve) == 1 && len(morning) == 1 && eve[0] == morning[0]:
		return later, false // one date: it was a long day
	case len(eve) > 0 && len(morning) > 0 && slices.Max(eve) >= slices.Min(morning):
		return later, false
	case len(eve) == 0 || len(morning) == 0:
		asked = true
	}
	for _, i := range known[:first] {
		later[i] = day
	}
	return later, asked
}

// days are the dates of some moments, in order, each once.
func days(ms []Moment, of []int) (out []string) {
	for _, i := range of {
		if ms[i].Day != "" {
			out = append(out, ms[i].Day)
		}
	}
	slices.Sort(out)
	return slices.Compact(out)
}
