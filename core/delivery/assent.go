package delivery

import (
	"fmt"
	"slices"
	"strings"

	"zestyloom/core/reel"
	"zestyloom/core/take"
	"zestyloom/core/weave"
)

// AsSent routes the tracks of a reel as finished sound was sent: each is a stem of its own, under its name, with its outputs in the
// order in which its channels came. place says where among all channels a strand came.
func AsSent(r reel.Reel, place func(strand string) int, newID func() string) (reel.Reel, error) {
	r.Weave = weave.Weave{Sends: map[string][]weave.Send{}, Law: r.Weave.Law}
	first := func(t reel.Track) int {
		at := 1 << 30
		for _, c := range t.Clips {
			for _, s := range c.Strands {
				at = min(at, place(s))
			}
		}
		return at
	}
	tracks := slices.Clone(r.Tracks)
	slices.SortStableFunc(tracks, func(a, b reel.Track) int { return first(a) - first(b) })
	r.Tracks = tracks
	names := map[string]int{}
	for i, t := range r.Tracks {
		name := t.Label
		if names[strings.ToLower(name)]++; names[strings.ToLower(name)] > 1 {
			name = fmt.Sprintf("%s %d", name, names[strings.ToLower(name)])
		}
		if len(name) > 60 {
			name = strings.ToValidUTF8(name[:60], "")
		}
		r.Tracks[i].Label, r.Tracks[i].Off = name, false
		l := t.Channels()
		members := make([]int, l.Count)
		for c := range members {
			members[c] = c
			if len(t.Clips) > 0 && len(t.Clips[0].Strands) == l.Count {
				members[c] = place(t.Clips[0].Strands[c])
			}
		}
		b := weave.Bus{ID: newID(), Name: name, Role: weave.Stem, Kind: take.StemKind(name), Language: take.Language(name), Layout: l.Name}
		r.Weave.Buses = append(r.Weave.Buses, b)
		r.Weave.Sends[t.ID] = []weave.Send{{To: b.ID}}
		r.Weave.Outputs, r.Weave.Groups = outputsOf(r.Weave, b, l, members, newID)
	}
	return r, r.Check()
}
