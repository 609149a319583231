package automation_test

import (
	"fmt"
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/automation"
)

func random(rnd *rand.Rand) automation.Curve {
	var c automation.Curve
	at := rnd.Int64N(50)
	for range 1 + rnd.IntN(12) {
		c = append(c, automation.Point{At: at, Value: float64(rnd.IntN(5)), Shape: []automation.Shape{automation.Straight, automation.Smooth, automation.Hold}[rnd.IntN(3)]})
		at += 1 + rnd.Int64N(40)
	}
	return c
}

// However a span is cut, each sample has the value of its place; and Range holds all of them and is met by some.
func TestValuesDependOnTheirPlaceAlone(t *testing.T) {
	rnd := rand.New(rand.NewPCG(1, 2))
	for n := range 500 {
		c := random(rnd)
		require.NoError(t, c.Check(0, 4))
		from, length := rnd.Int64N(300)-50, 1+rnd.IntN(400)
		got := make([]float64, length)
		for at := 0; at < length; {
			k := min(length-at, 1+rnd.IntN(60))
			c.Fill(got[at:at+k], from+int64(at))
			at += k
		}
		least, most := math.Inf(1), math.Inf(-1)
		for i, v := range got {
			require.Equal(t, c.Value(from+int64(i)), v, "curve %d at %d", n, from+int64(i))
			least, most = min(least, v), max(most, v)
		}
		lo, hi := c.Range(from, from+int64(length))
		require.LessOrEqual(t, lo, least)
		require.GreaterOrEqual(t, hi, most)
		if v, ok := c.Constant(from, from+int64(length)); ok {
			require.Equal(t, []float64{v, v}, []float64{least, most})
		}
	}
}

func TestShapes(t *testing.T) {
	for shape, want := range map[automation.Shape][]float64{
		automation.Straight: {-6, -6, -3, 0, 0}, automation.Hold: {-6, -6, -6, 0, 0}, automation.Smooth: {-6, -6, -3, 0, 0},
	} {
		c := automation.Curve{{At: 100, Value: -6, Shape: shape}, {At: 200, Value: 0}}
		for i, at := range []int64{0, 100, 150, 200, 10000} {
			assert.InDelta(t, want[i], c.Value(at), 1e-12, "%s at %d", shape, at)
		}
	}
	c := automation.Curve{{At: 0, Value: 0, Shape: automation.Smooth}, {At: 100, Value: 1}}
	assert.InDelta(t, (1-math.Cos(math.Pi*.25))/2, c.Value(25), 1e-15)
}

// Time that is taken out leaves the values before and after as they were; time that is put in moves those after.
func TestTimeOutAndIn(t *testing.T) {
	rnd := rand.New(rand.NewPCG(3, 4))
	for n := range 2000 {
		c := random(rnd)
		from := rnd.Int64N(250)
		to := from + 1 + rnd.Int64N(100)
		out := c.Closed(from, to)
		require.NoError(t, out.Check(0, 4), "curve %d", n)
		cut := func(at int64) bool { // in a smooth stretch that an edge lies in: only its ends hold
			for i, p := range c[:len(c)-1] {
				if p.Shape == automation.Smooth && p.At <= at && at <= c[i+1].At && (p.At < from && from <= c[i+1].At+1 || p.At <= to && to <= c[i+1].At) {
					return true
				}
			}
			return false
		}
		for at := int64(-10); at < 600; at++ {
			if at < from && !cut(at) {
				require.InDelta(t, c.Value(at), out.Value(at), 1e-12, "curve %d %v without [%d, %d) is %v: at %d", n, c, from, to, out, at)
			}
			if at >= to && !cut(at) {
				require.InDelta(t, c.Value(at), out.Value(at-to+from), 1e-12, "curve %d %v without [%d, %d) is %v: at %d", n, c, from, to, out, at)
			}
		}
		in := c.Opened(from, to-from)
		require.NoError(t, in.Check(0, 4))
		for _, p := range c {
			if p.At >= from {
				require.Equal(t, p.Value, in.Value(p.At+to-from))
			} else {
				require.Equal(t, p.Value, in.Value(p.At))
			}
		}
		require.Equal(t, c, c.Moved(77).Moved(-77))
	}
}

func TestCheck(t *testing.T) {
	for _, c := range []automation.Curve{
		{{At: 1, Value: 0}, {At: 1, Value: 0}}, {{At: 2, Value: 0}, {At: 1, Value: 0}}, {{Value: 5}}, {{Value: math.NaN()}}, {{Shape: "wild"}},
		make(automation.Curve, automation.MaxPoints+1),
	} {
		assert.Error(t, c.Check(0, 4))
	}
	assert.NoError(t, automation.Curve(nil).Check(0, 4))
}

func ExampleCurve() {
	dip := automation.Curve{{At: 48000, Value: 0}, {At: 52800, Value: -6}, {At: 96000, Value: -6}, {At: 100800, Value: 0}}
	fmt.Println(dip.Value(0), dip.Value(50400), dip.Value(60000), dip.Value(200000))
	// Output: 0 -3 -6 0
}
