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

// Differing are the tracks, by their IDs, all of whose clips play strands that are called the same, and not as the track is: what they are
// called. names are names of tracks by the strand that a clip names first.
func Differing(r reel.Reel, names map[string]string) map[string]string {
	out := map[string]string{}
	for _, t := range r.Tracks {
		name, one := "", len(t.Clips) > 0
		for _, c := range t.Clips {
			if len(c.Strands) == 0 {
				one = false
				break
			}
			n := names[c.Strands[0]]
			one = one && n != "" && (name == "" || name == n)
			name = n
		}
		if one && name != t.Label {
			out[t.ID] = name
		}
	}
	return out
}
