package loudness_test

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"

	"zestyloom/core/loudness"
)

func TestApproach(t *testing.T) {
	// What a limiter leaves: less and less of what is given.
	limited := func(asked float64) float64 { return -9 - 3*math.Log1p(math.Exp((-9-asked)/3)) }
	var a loudness.Approach
	asked, came, rounds := -10.0, 0.0, 0
	for ; rounds < 12; rounds++ {
		came = limited(asked)
		next, more := a.Next(asked, came, -10)
		if !more {
			break
		}
		asked = next
	}
	assert.InDelta(t, -10, came, 0.1)
	assert.Less(t, rounds, 10)

	// Beyond what can be: it ends, and says so by not coming there.
	a, asked = loudness.Approach{}, -8
	for rounds = 0; rounds < 30; rounds++ {
		came = limited(asked)
		next, more := a.Next(asked, came, -8)
		if !more {
			break
		}
		asked = next
	}
	assert.Less(t, rounds, 30)
	assert.Less(t, came, -8.5)
}
