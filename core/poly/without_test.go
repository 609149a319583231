package poly_test

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"zestyloom/core/poly"
	"zestyloom/core/take"
)

// What is read together is left out together, or not at all.
func TestWithout(t *testing.T) {
	r := poly.Recorded{Name: "21A-T03", Readings: []take.Reading{{Kind: take.Stereo, Positions: []int{1, 2}}, {Kind: take.Stereo, Positions: []int{5, 6}}}}
	for p := 1; p <= 6; p++ {
		r.Strands = append(r.Strands, poly.Placed{Position: p})
	}
	for name, c := range map[string]struct {
		out        []int
		kept, left []int
		readings   int
	}{
		"nothing":       {nil, []int{1, 2, 3, 4, 5, 6}, nil, 2},
		"a mono strand": {[]int{4}, []int{1, 2, 3, 5, 6}, []int{4}, 2},
		"half a pair":   {[]int{2, 4}, []int{1, 2, 3, 5, 6}, []int{4}, 2},
		"a whole pair":  {[]int{1, 2, 6}, []int{3, 4, 5, 6}, []int{1, 2}, 1},
		"everything":    {[]int{1, 2, 3, 4, 5, 6}, nil, []int{1, 2, 3, 4, 5, 6}, 0},
	} {
		out := map[int]bool{}
		for _, p := range c.out {
			out[p] = true
		}
		now, left := r.Without(func(s poly.Placed) bool { return out[s.Position] })
		places := func(list []poly.Placed) (p []int) {
			for _, s := range list {
				p = append(p, s.Position)
			}
			return p
		}
		assert.Equal(t, c.kept, places(now.Strands), name)
		assert.Equal(t, c.left, places(left), name)
		assert.Len(t, now.Readings, c.readings, name)
		assert.Len(t, r.Strands, 6, "the take stays as it is")
	}
}
