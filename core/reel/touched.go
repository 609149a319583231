package reel

import (
	"maps"
	"slices"
	"strings"
)

// Everything stands for all that lies in time, which putting time in or taking it out moves.
const Everything = "time"

// Touched names what operations change: tracks, clips, sends and the like. Two edits that touch one thing are in each
// other's way; see InTheWay.
func Touched(ops []Op) []string {
	out := map[string]bool{}
	clips := func(ids ...string) {
		for _, id := range ids {
			out["clip "+id] = true
		}
	}
	of := func(all []Clip) {
		for _, c := range all {
			clips(c.ID)
		}
	}
	for _, o := range ops {
		switch {
		case o.AddTrack != nil:
			out["track "+o.AddTrack.Track.ID], out["sends "+o.AddTrack.Track.ID] = true, true
			of(o.AddTrack.Track.Clips)
		case o.RemoveTrack != nil:
			out["track "+o.RemoveTrack.ID], out["sends "+o.RemoveTrack.ID] = true, true
		case o.MoveTrack != nil:
			out["order"] = true
		case o.SetTrack != nil:
			out["track "+o.SetTrack.ID] = true
		case o.AddClips != nil:
			of(o.AddClips.Clips)
		case o.RemoveClips != nil:
			clips(o.RemoveClips.IDs...)
		case o.SetClips != nil:
			of(o.SetClips.Clips)
		case o.SetPlaced != nil:
			clips(o.SetPlaced.ID)
		case o.Move != nil:
			clips(o.Move.IDs...)
		case o.Split != nil:
			clips(slices.Collect(maps.Keys(o.Split.Into))...)
			clips(slices.Collect(maps.Values(o.Split.Into))...)
		case o.Join != nil:
			clips(slices.Collect(maps.Keys(o.Join.Second))...)
			clips(slices.Collect(maps.Values(o.Join.Second))...)
		case o.Ripple != nil:
			out[Everything] = true
		case o.SetSends != nil:
			out["sends "+o.SetSends.From] = true
		case o.SetOutputs != nil:
			out["outputs"] = true
		case o.SetWeave != nil:
			out["weave"], out["outputs"] = true, true
		case o.SetStart != nil:
			out["start"] = true
		case o.SetLength != nil:
			out["length"] = true
		case o.SetRate != nil:
			out["rate"] = true
		case o.SetCut != nil:
			out["cut"] = true
		case o.SetPictures != nil:
			for _, p := range o.SetPictures.Put {
				out["picture "+p.ID] = true
			}
			for _, id := range o.SetPictures.Remove {
				out["picture "+id] = true
			}
		case o.SetMarkers != nil:
			for _, m := range o.SetMarkers.Put {
				out["marker "+m.ID] = true
			}
			for _, id := range o.SetMarkers.Remove {
				out["marker "+id] = true
			}
		}
	}
	return slices.Sorted(maps.Keys(out))
}

// InTheWay reports whether two edits, by what they touch, change the same thing.
func InTheWay(a, b []string) bool {
	for _, x := range a {
		if slices.Contains(b, x) {
			return true
		}
	}
	routing := func(what string) bool {
		return what == "weave" || what == "outputs" || strings.HasPrefix(what, "sends ")
	}
	if slices.Contains(a, "weave") && slices.ContainsFunc(b, routing) || slices.Contains(b, "weave") && slices.ContainsFunc(a, routing) {
		return true
	}
	timed := func(what string) bool {
		return strings.HasPrefix(what, "clip ") || strings.HasPrefix(what, "marker ") || strings.HasPrefix(what, "picture ")
	}
	return slices.Contains(a, Everything) && slices.ContainsFunc(b, timed) || slices.Contains(b, Everything) && slices.ContainsFunc(a, timed)
}
