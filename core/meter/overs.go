package meter

import "math"

// Overs finds where a channel goes above a ceiling, by whichever reader comes next. A peak that is held under a ceiling has to be
// under it for three: an interpolation that is long enough for all that lies under 0.495 of the rate, where the 48 coefficients of
// Peaks see too little; Peaks itself; and the four phases of ITU-R BS.1770-5, annex 2, which read up to 0.17 dB too much.
type Overs struct {
	x []float64
}

const (
	overTaps = 512
	overBeta = 5.0
	overHalf = overTaps / 4 // of the middles, to either side: 256 taps in all
	// OversLate is how many samples Overs is behind: those that an interpolated value needs after it.
	OversLate = overTaps / 2
	// overMost is by what an interpolated value can be above all samples around it: the sum of the magnitudes of coefficients.
	overMost = 4.6
	// overQuarters is nearby for four values a sample and sounds up to 0.495 of the rate: cos(0.495π/4) is 0.925, less what the
	// standard's filter reads too much.
	overQuarters = 0.88
)

var overPhases = func() (out [peakPlaces][overTaps]float64) {
	for p := range out {
		copy(out[p][:], sinc(overTaps, overBeta, float64(p)/peakPlaces))
	}
	return out
}()

// What tells where it is worth to look closer: the places at a quarter, a half and three quarters, by half as many coefficients.
var overQuarter = [2][2 * overHalf]float64{
	[2 * overHalf]float64(sinc(2*overHalf, overBeta, 0.25)), [2 * overHalf]float64(sinc(2*overHalf, overBeta, 0.75)),
}

var overMiddle = [overHalf]float64(sinc(2*overHalf, overBeta, 0.5)[overHalf:])

// standardPhases are the coefficients of ITU-R BS.1770-5, annex 2, table 1: its third and fourth are its second and first backwards.
var standardPhases = [2][12]float64{
	{0.0017089843750, 0.0109863281250, -0.0196533203125, 0.0332031250000, -0.0594482421875, 0.1373291015625,
		0.9721679687500, -0.1022949218750, 0.0476074218750, -0.0266113281250, 0.0148925781250, -0.0083007812500},
	{-0.0291748046875, 0.0292968750000, -0.0517578125000, 0.0891113281250, -0.1665039062500, 0.4650878906250,
		0.7797851562500, -0.2003173828125, 0.1015625000000, -0.0582275390625, 0.0330810546875, -0.0189208984375},
}

// standard is the greatest of the four magnitudes that the standard's filter has in the middle of 12 samples.
func standard(x *[12]float64) float64 {
	most := 0.0
	for _, h := range standardPhases {
		a, b := 0.0, 0.0
		for k, v := range h {
			a += v * x[k]
			b += v * x[11-k]
		}
		most = max(most, math.Abs(a), math.Abs(b))
	}
	return most
}

// NewOvers makes a finder, for any sample rate.
func NewOvers() *Overs { return &Overs{x: make([]float64, overTaps, 1<<13)} }

// Above takes samples into account and calls fn for every interval between two samples with its peak, where that is above a
// ceiling: interval i is the one between samples i-OversLate and i-OversLate+1 of those that are added. What is no number counts as
// silence.
func (o *Overs) Above(samples []float64, ceiling float64, fn func(i int, peak float64)) {
	const block = 64
	for done := 0; done < len(samples); done += block {
		n := min(len(samples)-done, block)
		o.x = append(o.x[:overTaps], samples[done:done+n]...)
		x, loudest := o.x, 0.0
		for i, v := range x {
			a := math.Abs(v)
			if !(a <= math.MaxFloat64) {
				x[i], a = 0, 0
			}
			loudest = max(loudest, a)
		}
		if overMost*loudest > ceiling {
			o.block(x, n, ceiling, func(i int, peak float64) { fn(done+i, peak) })
		}
		copy(x, x[n:])
		o.x = x[:overTaps]
	}
}

func (o *Overs) block(x []float64, n int, ceiling float64, fn func(i int, peak float64)) {
	limit, near := nearby*ceiling, overQuarters*ceiling
	last := math.Abs(x[OversLate])
	for i := range n {
		next := math.Abs(x[i+OversLate+1])
		around := (*[2 * overHalf]float64)(x[i+1+OversLate-overHalf:])
		most := max(last, next, math.Abs(middleOf(around)))
		last = next
		if most <= limit {
			continue
		}
		if most <= near && math.Abs(dot(overQuarter[0][:], around[:])) <= near && math.Abs(dot(overQuarter[1][:], around[:])) <= near {
			continue
		}
		if v := peakOf(x, i); v > ceiling {
			fn(i, v)
		}
	}
}

// peakOf is the greatest magnitude in an interval by any of the three.
func peakOf(x []float64, i int) float64 {
	w := (*[overTaps]float64)(x[i+1:])
	var v places
	v[0] = math.Abs(dot(overPhases[peakPlaces-1][:], x[i:][:overTaps]))
	v[1] = math.Abs(x[i+OversLate])
	for k := 1; k < peakPlaces; k++ {
		v[k+1] = math.Abs(dot(overPhases[k][:], w[:]))
	}
	v[peakPlaces+1] = math.Abs(x[i+OversLate+1])
	long, _ := v.top()
	short, _ := interval(x[OversLate-late:], i)
	return max(long, short, standard((*[12]float64)(x[i+OversLate-5:])))
}

// dot is the sum of the products of coefficients, four times as many as some number, with as many samples.
func dot(h, x []float64) float64 {
	var a, b, c, d float64
	x = x[:len(h)]
	for k := 0; k+4 <= len(h); k += 4 {
		a += h[k] * x[k]
		b += h[k+1] * x[k+1]
		c += h[k+2] * x[k+2]
		d += h[k+3] * x[k+3]
	}
	return (a + b) + (c + d)
}

// middleOf is the value in the middle of 256 samples.
func middleOf(x *[2 * overHalf]float64) float64 {
	var a, b, c, d float64
	for k := 0; k < overHalf; k += 4 {
		a += overMiddle[k] * (x[overHalf-1-k] + x[overHalf+k])
		b += overMiddle[k+1] * (x[overHalf-2-k] + x[overHalf+1+k])
		c += overMiddle[k+2] * (x[overHalf-3-k] + x[overHalf+2+k])
		d += overMiddle[k+3] * (x[overHalf-4-k] + x[overHalf+3+k])
	}
	return (a + b) + (c + d)
}
