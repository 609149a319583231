package reel

import (
	"slices"

	"zestyloom/core/treat"
	"zestyloom/core/weave"
)

// Heard is a reel as it is listened to while some of it alone is to be heard, and some of it not: tracks, clips and buses, by
// their IDs. A track or clip that is heard alone goes wherever it is sent; of a bus, what is sent into it and what feeds it. It
// is for listening alone: what is off stays off.
func (r Reel) Heard(solo, mute []string) Reel {
	if len(solo)+len(mute) == 0 {
		return r
	}
	// It begins and ends where it did: silence is heard where all that sounds is left out.
	start, end := r.Span()
	r = r.clone()
	if r.Start = &start; end > start {
		length := end - start
		r.Length = &length
	}
	alone, not := set(solo), set(mute)
	fed := r.Weave.Feeding(solo)
	for id, sends := range r.Weave.Sends {
		if slices.ContainsFunc(sends, func(s weave.Send) bool { return not[s.To] }) {
			r.Weave.Sends[id] = slices.DeleteFunc(slices.Clone(sends), func(s weave.Send) bool { return not[s.To] })
		}
	}
	for i := range r.Tracks {
		t := &r.Tracks[i]
		if not[t.ID] {
			t.Off = true
		}
		clips := slices.DeleteFunc(slices.Clone(t.Clips), func(c Clip) bool { return not[c.ID] })
		if len(solo) > 0 && !alone[t.ID] {
			into := slices.DeleteFunc(slices.Clone(r.Weave.Sends[t.ID]), func(s weave.Send) bool { return !fed[s.To] })
			if len(into) > 0 {
				r.Weave.Sends[t.ID] = into
			} else {
				clips = slices.DeleteFunc(clips, func(c Clip) bool { return !alone[c.ID] })
			}
		}
		t.Clips = clips
	}
	return r
}

// Untreated is a reel in which one track or bus is not treated, and is louder by so many dB, as far as its gain can be.
func (r Reel) Untreated(id string, addDB float64) Reel {
	r = r.clone()
	fit := func(db float64) float64 { return min(max(db+addDB, weave.MinGain), weave.MaxGain) }
	if i := r.index(id); i >= 0 {
		r.Tracks[i].Treat, r.Tracks[i].GainDB = treat.Chain{}, fit(r.Tracks[i].GainDB)
	}
	if l, ok := r.Weave.Levels[id]; ok {
		l.Treat, l.GainDB = treat.Chain{}, fit(l.GainDB)
		r.Weave.Levels[id] = l
	}
	return r
}
