package cutlist

import "zestyloom/core/reel"

// Of is a track of a reel as a cut list. A clip that comes in over the one before begins with a fade, and that one ends there. media says
// which recording a strand is of.
func Of(t reel.Track, media func(strand string) (Media, bool)) List {
	l := List{Title: t.Label, Kind: "edl"}
	for i, c := range t.Clips {
		e := Event{Name: c.Name, In: c.In, At: c.At, Length: c.Length}
		if m, ok := media(c.Strands[0]); ok {
			e.In += m.Start
			e.File, e.Reel = m.Name, m.Roll
		}
		if i > 0 {
			if before := t.Clips[i-1]; before.End() > c.At {
				e.Fade = min(before.End()-c.At, c.Length)
				l.Events[i-1].Length = c.At - before.At
			}
		}
		l.Events = append(l.Events, e)
	}
	return l
}
