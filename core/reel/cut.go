package reel

import (
	"slices"

	"zestyloom/core/snag"
)

// Laying is an event of a cut list as it was laid: what a later version of the list is compared with.
type Laying struct {
	Name    string   `json:"name"`
	Strands []string `json:"strands"` // of the take
	From    int64    `json:"from"`    // first sample of the take
	At      int64    `json:"at"`      // samples since midnight of the reel's day
	Length  int64    `json:"length"`  // samples
}

// Same reports whether two are one.
func (l Laying) Same(o Laying) bool {
	return l.Name == o.Name && l.From == o.From && l.At == o.At && l.Length == o.Length && slices.Equal(l.Strands, o.Strands)
}

const maxLayings = 100_000

// SetCut says what of a cut list is laid.
type SetCut struct {
	Cut []Laying `json:"cut"`
}

func (o *SetCut) apply(r *Reel) (Op, error) {
	if len(o.Cut) > maxLayings {
		return Op{}, snag.Refuse("too_many", "%d events: at most %d", len(o.Cut), maxLayings)
	}
	back := SetCut{r.Cut}
	if r.Cut = slices.Clone(o.Cut); len(o.Cut) == 0 {
		r.Cut = nil
	}
	return Op{SetCut: &back}, nil
}
