// Package resample converts sound from one sample rate to another with a polyphase windowed sinc.
//
// The pass band reaches 0.45 of the lower of the two rates (0.4495 where a drift is corrected) and is flat there within
// 0.01 dB; from
// 0.5 of the lower rate on, images and aliases lie more than 120 dB down. Output sample k stands
// for the moment k/to, so nothing is delayed, and n samples give every moment before n/from:
// exactly ceil(n·to/from) samples. Any stretch of the output can be asked for by itself, and the
// samples are the same however the whole is cut up.
package resample

import (
	"fmt"
	"math"
	"math/bits"
)

// Edges of the filter, in parts of the lower rate, and the Kaiser window's shape for a stop band
// 126 dB down (J. F. Kaiser, "Nonrecursive digital filter design using the I0-sinh window
// function", 1974): half the taps follow from the width of the transition band.
const (
	passEdge  = 0.45
	stopEdge  = 0.5
	stopDB    = 126.0
	beta      = 0.1102 * (stopDB - 8.7)
	maxExact  = 4096 // more phases than this are interpolated between
	lowRate   = 1000
	highRate  = 768000
	transient = (stopDB - 7.95) / (2.285 * 2 * math.Pi * (stopEdge - passEdge)) / 2
)

// Overshoot bounds how far converted sound can go beyond the samples it is made of: the sum of the
// magnitudes of a row of the table.
const Overshoot = 4.0

// Converter converts one channel of sound. It holds no state between calls and is safe for
// concurrent use.
type Converter struct {
	ratio
	*table
	exact bool // every moment falls on a row
}

// ratio is of two rates, without their common divisor.
type ratio struct{ up, down int64 }

func ratioOf(from, to int64) ratio {
	d := gcd(from, to)
	return ratio{to / d, from / d}
}

// New prepares a conversion between two rates in Hz.
func New(from, to int) (*Converter, error) { return NewDrift(from, to, 0) }

// Drift limits and resolution, in parts in a million.
const (
	MaxDrift  = 1000
	DriftStep = 0.01
)

// NewDrift prepares a conversion from a recorder whose clock ran drift parts in a million fast, within
// MaxDrift and to the nearest DriftStep: what it calls a second holds that many more samples than it
// says.
func NewDrift(from, to int, drift float64) (*Converter, error) {
	r, err := drifting(from, to, drift)
	if err != nil {
		return nil, err
	}
	// Going down, the filter is longer in input samples, as much as the input's rate is higher. Whatever the drift, it is
	// that of the greatest: all drifts between two rates share one table.
	stretch := float64(from) / float64(to)
	if drift != 0 {
		stretch *= 1 + MaxDrift*1e-6
	}
	c := &Converter{ratio: r, exact: true}
	phases := c.up
	if c.up > maxExact {
		phases, c.exact = maxExact, false
	}
	c.table = tableOf(filter{max(1, stretch), phases})
	return c, nil
}

// drifting is the ratio of two rates in Hz of which the first ran drift parts in a million fast.
func drifting(from, to int, drift float64) (ratio, error) {
	switch {
	case !(math.Abs(drift) <= MaxDrift):
		return ratio{}, fmt.Errorf("a drift of %g ppm can't be corrected: %d ppm either way can", drift, MaxDrift)
	case from < lowRate || to < lowRate || from > highRate || to > highRate:
		return ratio{}, fmt.Errorf("sound can't be converted from %d Hz to %d Hz: rates from %d Hz to %d Hz can", from, to, lowRate, highRate)
	case drift == 0:
		return ratioOf(int64(from), int64(to)), nil
	}
	const parts = 1e6 / DriftStep
	return ratioOf(int64(from)*int64(parts+math.Round(drift/DriftStep)), int64(to)*parts), nil
}

// Frames is how many samples n samples become.
func (r ratio) Frames(n int64) int64 {
	whole, rest := mulDiv(n, r.up, r.down)
	if rest > 0 {
		whole++
	}
	return whole
}

// Moment is the last input sample at or before output sample at.
func (c *Converter) Moment(at int64) int64 {
	whole, _ := mulDiv(at, c.down, c.up)
	return whole
}

// Needs says which input samples [from, to) output samples [at, at+n) are made of. They may lie
// before the sound and after it, where it is silent.
func (c *Converter) Needs(at int64, n int) (from, to int64) {
	return c.Moment(at) + 1 - c.half, c.Moment(at+int64(n)-1) + 1 + c.half
}

// Convert fills out with output samples from at on. in holds the input samples that Needs names.
func (c *Converter) Convert(out, in []float64, at int64) {
	if len(out) == 0 {
		return
	}
	whole, part := mulDiv(at, c.down, c.up) // part of up
	first := whole
	for i := range out {
		if i > 0 {
			whole, part = whole+c.down/c.up, part+c.down%c.up
			if part >= c.up {
				whole, part = whole+1, part-c.up
			}
		}
		x := in[whole-first:]
		if c.exact {
			out[i] = dot(c.row(part), x)
			continue
		}
		// Between rows: at 4096 of them a straight line is within -150 dB of the curve.
		pos := float64(part) / float64(c.up) * float64(c.phases)
		p := int64(pos)
		a, b := dot(c.row(p), x), dot(c.row(p+1), x)
		out[i] = a + (b-a)*(pos-float64(p))
	}
}

// dot sums in four lanes that are added in a fixed order: the same bits whatever the block.
func dot(h, x []float64) float64 {
	x = x[:len(h)]
	var a, b, c, d float64
	for len(h) >= 4 {
		a += float64(h[0] * x[0])
		b += float64(h[1] * x[1])
		c += float64(h[2] * x[2])
		d += float64(h[3] * x[3])
		h, x = h[4:], x[4:]
	}
	for i := range h {
		a += float64(h[i] * x[i])
	}
	return (a + b) + (c + d)
}

// mulDiv is a·b/by rounded down and what is left of by, through 128 bits. b and by are positive.
func mulDiv(a, b, by int64) (whole, rest int64) {
	hi, lo := bits.Mul64(uint64(max(a, -a)), uint64(b))
	q, r := bits.Div64(hi, lo, uint64(by))
	whole, rest = int64(q), int64(r)
	if a < 0 {
		if whole = -whole; rest > 0 {
			whole, rest = whole-1, by-rest
		}
	}
	return whole, rest
}

func gcd(a, b int64) int64 {
	for b != 0 {
		a, b = b, a%b
	}
	return a
}

func sinc(x float64) float64 {
	if x == 0 {
		return 1
	}
	return math.Sin(math.Pi*x) / (math.Pi * x)
}

var kaiserPeak = bessel0(beta)

func kaiser(x float64) float64 {
	return bessel0(beta*math.Sqrt(max(0, 1-x*x))) / kaiserPeak
}

// bessel0 is the modified Bessel function of the first kind and order zero.
func bessel0(x float64) float64 {
	sum, term := 1.0, 1.0
	for k := 1.0; term > sum*1e-18; k++ {
		term *= (x / (2 * k)) * (x / (2 * k))
		sum += term
	}
	return sum
}
