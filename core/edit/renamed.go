package edit

import (
	"zestyloom/core/reel"
)

// Renamed works out how the tracks of a reel follow labels that their strands are given: those that are called as their
// strands were, all of whose clips come to be called the same. was and now are names of tracks by the strand that a clip
// names first; a track that was renamed by hand stays as it is.
func Renamed(r reel.Reel, was, now map[string]string) (ops []reel.Op) {
	for _, t := range r.Tracks {
		name, changed, one := "", false, true
		for _, c := range t.Clips {
			if len(c.Strands) == 0 {
				continue
			}
			before, after := was[c.Strands[0]], now[c.Strands[0]]
			if after == "" {
				one = false
				break
			}
			one = one && (name == "" || name == after)
			name = after
			changed = changed || before == t.Label && after != before
		}
		if changed && one && name != t.Label {
			ops = append(ops, reel.Op{SetTrack: &reel.SetTrack{ID: t.ID, Label: &name}})
		}
	}
	return ops
}
