package reel

// Move says how the clips of some strands come to lie elsewhere.
type Move struct {
	// Of says which strands are meant, by the caller's name for their sound.
	Of func(strand string) bool
	By int64 // samples later
	// Retime gives the place in a strand that another place has become, where its clock is now read
	// otherwise; nil leaves places as they are.
	Retime func(frame int64) int64
}

// MoveClips works out the operations that move clips, all together: none is ever in another's way that
// moves along.
func MoveClips(r Reel, m Move) []Op {
	var off, on []Op
	for _, t := range r.Tracks {
		for _, c := range t.Clips {
			if !m.Of(c.Strand) {
				continue
			}
			to := c
			to.At += m.By
			to.Unplaced = c.Unplaced && m.By == 0 && m.Retime == nil
			if m.Retime != nil {
				to.In = m.Retime(c.In)
				to.Length = max(1, m.Retime(c.In+c.Length)-to.In)
				to.At += to.In - c.In // what was before the clip has become longer or shorter
			}
			if to == c {
				continue
			}
			off = append(off, Op{RemoveClip: &RemoveClip{t.ID, c.ID}})
			on = append(on, Op{AddClip: &AddClip{t.ID, to}})
		}
	}
	return append(off, on...)
}
