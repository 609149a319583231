package weave

// Pairs are the tracks that are one side of a stereo pair of two mono tracks, by their IDs, each with the other: neighbours in
// the reel, the upper one left only and the lower one right only, into the same bus at the same gain. One that is on one side only
// and is none of them is split mono.
func (w Weave) Pairs(tracks []Track) map[string]string {
	out := map[string]string{}
	for i := 0; i+1 < len(tracks); i++ {
		l, r := tracks[i].ID, tracks[i+1].ID
		a, sent := w.Send(l)
		b, both := w.Send(r)
		if sent && both && a.Patch.Preset == Left && b.Patch.Preset == Right && a.To == b.To && a.GainDB == b.GainDB {
			out[l], out[r] = r, l
			i++
		}
	}
	return out
}

// AllWays says of all tracks where they are sent and how, and of mono tracks on one side whether they are a pair or split mono; and
// gives the pairs.
func (w Weave) AllWays(tracks []Track) (out, pairs map[string]string) {
	out, pairs = map[string]string{}, w.Pairs(tracks)
	labels := map[string]string{}
	for _, t := range tracks {
		labels[t.ID] = t.Label
	}
	for _, t := range tracks {
		out[t.ID] = w.Ways(t)
		s, sent := w.Send(t.ID)
		switch other := pairs[t.ID]; {
		case other != "":
			out[t.ID] += "; one side of a stereo pair with " + labels[other]
		case sent && t.Layout.Count == 1 && (s.Patch.Preset == Left || s.Patch.Preset == Right):
			out[t.ID] += "; split mono"
		}
	}
	return out, pairs
}
