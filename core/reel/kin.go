package reel

// Kin are the clips of one tie: laid from one take, they are edited together. It gives those of some clips, by ID, with
// the clips themselves; a clip without a tie is alone.
func (r Reel) Kin(ids []string) map[string]bool {
	chosen := set(ids)
	ties := map[string]bool{}
	out := map[string]bool{}
	for _, t := range r.Tracks {
		for _, c := range t.Clips {
			if chosen[c.ID] {
				out[c.ID] = true
				ties[c.Tie] = true
			}
		}
	}
	delete(ties, "")
	if len(ties) == 0 {
		return out
	}
	for _, t := range r.Tracks {
		for _, c := range t.Clips {
			if ties[c.Tie] {
				out[c.ID] = true
			}
		}
	}
	return out
}

// torn finds the ties of which some clips move and others stay.
func (r Reel) torn(moves func(track string, c Clip) bool) map[string]bool {
	went, stay := map[string]bool{}, map[string]bool{}
	for _, t := range r.Tracks {
		for _, c := range t.Clips {
			if moves(t.ID, c) {
				went[c.Tie] = true
			} else {
				stay[c.Tie] = true
			}
		}
	}
	delete(went, "")
	for tie := range went {
		if !stay[tie] {
			delete(went, tie)
		}
	}
	return went
}
