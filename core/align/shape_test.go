package align_test

import (
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"

	"zestyloom/core/align"
)

// A line that is spoken again, somewhat faster or slower, louder and with other noise, is found within a tenth of a second;
// what was never said is not very alike.
func TestLinesAreFoundByTheirShape(t *testing.T) {
	const step = 100 // a second
	rnd := rand.New(rand.NewPCG(7, 7))
	words := func(seconds float64, seed uint64) func(at float64) float64 {
		r := rand.New(rand.NewPCG(seed, 1))
		type word struct{ at, length, level float64 }
		var all []word
		for at := 0.2; at < seconds; {
			w := word{at, 0.1 + 0.4*r.Float64(), 0.05 + 0.3*r.Float64()}
			all = append(all, w)
			at += w.length + 0.02 + 0.5*r.Float64()*r.Float64()
		}
		return func(at float64) float64 {
			for _, w := range all {
				if p := (at - w.at) / w.length; p > 0 && p < 1 {
					return w.level * math.Sin(p*math.Pi)
				}
			}
			return 0
		}
	}
	for seed := range uint64(30) {
		say := words(20, seed)
		var line, again, never []float64
		other := words(30, seed+1000)
		for i := range 3 * step { // from the fifth second on
			line = append(line, say(5+float64(i)/step)+0.002*rnd.Float64())
		}
		speed := 0.98 + 0.04*rnd.Float64()
		late := 4 + 3*rnd.Float64()
		for i := range 30 * step {
			at := float64(i) / step
			again = append(again, 0.5*say((at-late)*speed)+0.003*rnd.Float64())
			never = append(never, other(at)+0.003*rnd.Float64())
		}
		at, likeness := align.Shape(line, again)
		assert.InDelta(t, late+5/speed, float64(at)/step, 0.1, "seed %d", seed)
		assert.Greater(t, likeness, 0.8)
		_, likeness = align.Shape(line, never)
		assert.Less(t, likeness, 0.8, "seed %d", seed)
	}
	_, likeness := align.Shape(make([]float64, 100), make([]float64, 200))
	assert.Zero(t, likeness, "silence is like nothing")
	_, likeness = align.Shape([]float64{1, 2}, []float64{1, 2, 3})
	assert.Zero(t, likeness)
}
