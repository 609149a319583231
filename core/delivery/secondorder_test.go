package delivery

import (
	"testing"

	"github.com/stretchr/testify/assert"
)

// What another reader finds elsewhere is said by its name; what is alike stands for itself.
func TestTheOrderOfAnotherReader(t *testing.T) {
	a, b, c := []float64{1, 2}, []float64{3, 4}, []float64{5, 6}
	names := []string{"L", "R", "C"}
	for _, k := range []struct {
		theirs, ours [][]float64
		want         []string
	}{
		{[][]float64{a, b, c}, [][]float64{a, b, c}, []string{"L", "R", "C"}},
		{[][]float64{a, c, b}, [][]float64{a, b, c}, []string{"L", "C", "R"}},
		{[][]float64{a, a, b}, [][]float64{a, a, b}, []string{"L", "R", "C"}},
		{[][]float64{a, {9, 9}, c}, [][]float64{a, b, c}, []string{"L", "something else", "C"}},
		{[][]float64{a, b, nil}, [][]float64{a, b, c}, []string{"L", "R", "something else"}},
	} {
		assert.Equal(t, k.want, inOrder(names, k.ours, k.theirs))
	}
}
