package source

import (
	"slices"

	"zestyloom/core/audio"
)

// Member is a file of a set as far as the order of its channels goes.
type Member struct {
	Name  string // of the file
	Facts Facts
}

// Order sorts the members of a set, and says by what: the index in the file set where they are of one
// family, the recorder's track, the index without a family, the speaker at the end of the name, or the
// number there. When none of these tells all members apart they stay as given, and by is empty.
func Order[T any](set []T, member func(T) Member) (by string) {
	speakers := make([]audio.Speaker, len(set))
	for i, m := range set {
		speakers[i] = ParseName(member(m).Name).Speaker
	}
	place := audio.Order(speakers)
	family := member(set[0]).Facts.Family
	for _, m := range set {
		if member(m).Facts.Family != family {
			family = ""
		}
	}
	for _, c := range []struct {
		by  string
		key func(Member) int // 0 when not known
	}{
		{"by their index in the file set", func(m Member) int {
			if family == "" {
				return 0
			}
			return m.Facts.Index
		}},
		{"by the recorder's track numbers", func(m Member) int { return m.Facts.Tracks[0].RecorderTrack }},
		{"by their index in the file set", func(m Member) int { return m.Facts.Index }},
		{"by speaker, in the default order of the layout", func(m Member) int {
			if sp := ParseName(m.Name).Speaker; sp != "" {
				return 1 + place[sp]
			}
			return 0
		}},
		{"by the channel number in the name", func(m Member) int { return ParseName(m.Name).Number }},
	} {
		seen := map[int]bool{}
		for _, m := range set {
			seen[c.key(member(m))] = true
		}
		if len(seen) == len(set) && !seen[0] {
			slices.SortStableFunc(set, func(a, b T) int { return c.key(member(a)) - c.key(member(b)) })
			return c.by
		}
	}
	return ""
}
