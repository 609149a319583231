package treat

import (
	"strings"
	"sync"
	"testing"

	"github.com/stretchr/testify/assert"
)

// What was worked out is not worked out again, for one or for many who ask at once, until more was kept than may be.
func TestLately(t *testing.T) {
	worked := 0
	l := lately[int, int]{most: 3}
	square := func(n int) int {
		return l.of(n, func() int {
			worked++
			return n * n
		})
	}
	for range 4 {
		for n := range 3 {
			assert.Equal(t, n*n, square(n))
		}
	}
	assert.Equal(t, 3, worked)
	assert.Equal(t, 81, square(9))
	assert.LessOrEqual(t, len(l.kept), 3)
	assert.Equal(t, 0, square(0))
	assert.Equal(t, 5, worked, "it began anew")
	var all sync.WaitGroup
	many := lately[int, int]{most: 8}
	for range 8 {
		all.Go(func() {
			for n := range 100 {
				assert.Equal(t, n, many.of(n, func() int { return n }))
			}
		})
	}
	all.Wait()
}

func TestSettingsAreChecked(t *testing.T) {
	good := Setting{SettingFormat, "Boom indoors", Chain{HighPass: Pass{80, 18}}}
	assert.NoError(t, good.Check())
	for name, change := range map[string]func(*Setting){
		"no name":        func(s *Setting) { s.Name = " \t" },
		"a long name":    func(s *Setting) { s.Name = strings.Repeat("x", MostSettingName+1) },
		"of another day": func(s *Setting) { s.Format = 2 },
		"no such chain":  func(s *Setting) { s.Chain.HighPass.Slope = 7 },
	} {
		bad := good
		change(&bad)
		assert.Error(t, bad.Check(), name)
	}
}

func TestNothingOverTime(t *testing.T) {
	flat := Chain{Bands: [Bands]Band{{Bell, 1000, 0, 1}}}
	moves := Moves{"band_1": ramp(0, 6, 9)}
	assert.True(t, Nothing(flat, nil))
	assert.False(t, Nothing(flat, moves), "a band that is flat at rest does something once it moves")
	assert.True(t, Nothing(Chain{}, moves), "and one that is not there does not")
	assert.Equal(t, "over time: band 1", Says(flat, moves))
	assert.Equal(t, "", Says(Chain{}, moves))
	off := flat
	off.Off = true
	assert.True(t, Nothing(off, moves))
	kept := moves.Clone()
	delete(kept, "band_1")
	assert.Len(t, moves, 1)
	assert.NotNil(t, Moves(nil).Clone())
}
