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
		r.Tracks[i].Treat, r.Tracks[i].TreatMoves, r.Tracks[i].GainDB = treat.Chain{}, nil, fit(r.Tracks[i].GainDB)
	}
	if l, ok := r.Weave.Levels[id]; ok {
		l.Treat, l.TreatMoves, l.GainDB = treat.Chain{}, nil, fit(l.GainDB)
		r.Weave.Levels[id] = l
	}
	return r
}

// Before is a reel in which what a track or bus comes to before its treatment and its gain is heard, and the ID of the track or bus
// that it is heard as.
func (r Reel) Before(id string) (Reel, string) {
	r = r.clone()
	if i := r.index(id); i >= 0 {
		r.Tracks[i].Treat, r.Tracks[i].TreatMoves, r.Tracks[i].GainDB, r.Tracks[i].Gain = treat.Chain{}, nil, 0, nil
		return r, id
	}
	b, ok := r.Weave.Bus(id)
	if !ok {
		return r, id
	}
	// A bus of its own, of which nothing has a gain or a correction.
	b.ID, b.Name = id+" before", b.Name+" before"
	r.Weave.Buses = append(r.Weave.Buses, b)
	for from, sends := range r.Weave.Sends {
		for _, s := range sends {
			if s.To == id {
				s.To = b.ID
				r.Weave.Sends[from] = append(slices.Clone(sends), s)
			}
		}
	}
	return r, b.ID
}
