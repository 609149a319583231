package automation_test

import (
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"

	"zestyloom/core/automation"
)

// The sum of curves that are straight or hold is their sum at every sample.
func TestSum(t *testing.T) {
	rng := rand.New(rand.NewPCG(14, 60))
	for range 200 {
		made := func() (c automation.Curve) {
			at := int64(0)
			for range rng.IntN(6) {
				at += 2 + rng.Int64N(100)
				c = append(c, automation.Point{At: at, Value: rng.Float64()*20 - 10, Shape: []automation.Shape{automation.Straight, automation.Hold}[rng.IntN(2)]})
			}
			return c
		}
		a, b := made(), made()
		sum := automation.Sum(a, b)
		value := func(c automation.Curve, at int64) float64 {
			if len(c) == 0 {
				return 0
			}
			return c.Value(at)
		}
		for at := int64(-5); at < 700; at++ {
			assert.InDelta(t, value(a, at)+value(b, at), value(sum, at), 1e-9, "%v + %v at %d", a, b, at)
		}
	}
}
