package delivery

import (
	"fmt"

	"zestyloom/core/audio"
	"zestyloom/core/picture"
)

// stream is a sound stream of a file with streams: a group, or a sound field with the head-locked pair that goes in the same stream.
type stream struct {
	name         string
	first, count int // channels of the file, from 0
	mask         uint32
	field        *picture.Field // nil for what is none, or is not marked
}

// inACN reports whether a layout is a sound field as streams are marked for.
func inACN(l audio.Layout) bool { return l.Kind == audio.Ambisonic && l.Norm == audio.SN3D }

// streamsOf are the streams that groups of channels become.
func streamsOf(groups []FileGroup) (out []stream) {
	first := 0
	for _, g := range groups {
		if n := len(out); g.HeadLocked && n > 0 && out[n-1].field != nil {
			out[n-1].count += g.Count
			out[n-1].field.HeadLocked = true
			first += g.Count
			continue
		}
		s := stream{name: g.Name, first: first, count: g.Count}
		if l, err := audio.ParseLayout(g.Layout); err == nil {
			if g.Count > 1 {
				s.mask = l.Mask
			}
			if inACN(l) {
				s.field = &picture.Field{Order: l.Order}
			}
		}
		out = append(out, s)
		first += g.Count
	}
	return out
}

// fieldSays is a mark in words.
func fieldSays(f *picture.Field) string {
	switch {
	case f == nil:
		return "none"
	case f.HeadLocked:
		return fmt.Sprintf("order %d, head-locked pair", f.Order)
	}
	return fmt.Sprintf("order %d", f.Order)
}
