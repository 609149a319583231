package mix

import (
	"slices"

	"zestyloom/core/treat"
)

// turner is a send of which some channels go in 90° ahead of the others.
type turner struct {
	*treat.Quadrature
	in    *input
	index int // of its room in a set
}

// newTurner is nil for a send that goes in as it is. Channels that counts says no to are left out.
func newTurner(in *input, rate int, counts func(channel int) bool) *turner {
	if in.ahead == nil {
		return nil
	}
	goesIn := func(c int) bool {
		return counts(c) && slices.ContainsFunc(in.patch, func(row []float64) bool { return row[c] != 0 })
	}
	return &turner{Quadrature: treat.NewQuadrature(in.ahead, goesIn, rate), in: in}
}

// turn works out what goes in of a block.
func (pl *Player) turn(t *turner, s *set, at int64, n int) {
	from := s.post[t.in.from]
	if t.in.pre {
		from = s.pre[t.in.from]
	}
	if s.silent[t.in.from] {
		from = slices.Repeat([][]float64{s.nothing}, len(from))
	}
	t.Turn(s.turned[t.index], from, at, n)
}
