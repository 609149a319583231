package loudness

import (
	"math"
	"slices"

	"zestyloom/core/audio"
	"zestyloom/core/automation"
	"zestyloom/core/meter"
	"zestyloom/core/snag"
)

// ceilingCell is how finely in time a Ceiling knows where peaks are, in seconds.
const ceilingCell = 0.005

// ceilingSafety is by how many dB a peak comes to lie under its ceiling: a gain that moves while a peak passes by, and the
// filter between samples, add that much at the most.
const ceilingSafety = 0.02

// Ceiling works out the gain that holds a sound's true peaks under a ceiling, as a curve: it listens to the stretches that
// may have peaks above it, at eight places a sample, all channels as one. A peak needs its gain one cell of 5 ms to either
// side of that which it is in; the gain is come down to and gone up from by a raised cosine over a cell. All else is left at
// 0 dB, so that what is further than Reach from every peak above the ceiling stays as it is.
type Ceiling struct {
	rate    int
	ceiling float64
	free    []bool
	needs   map[int64]float64 // dB down, by cell
	powers  map[int64]float64 // of what was listened to, K-weighted, by cell
	weights []float64
}

// NewCeiling makes one for a layout at a rate in Hz, with a ceiling in dBTP. freeLFE does not listen to the LFE.
func NewCeiling(l audio.Layout, rate int, ceiling float64, freeLFE bool) *Ceiling {
	c := &Ceiling{rate: rate, ceiling: audio.Gain(ceiling), free: make([]bool, l.Count), needs: map[int64]float64{}, powers: map[int64]float64{}}
	c.weights, _ = Weights(l) // of a layout without a loudness there are none
	for i := range c.free {
		c.free[i] = freeLFE && l.IsLFE(i)
	}
	return c
}

// Reach is how many samples to either side of a peak the gain may be other than 1.
func (c *Ceiling) Reach() int64 { return c.edge(3) }

// edge is the sample with which a cell begins.
func (c *Ceiling) edge(cell int64) int64 {
	return int64(math.Round(float64(cell) * ceilingCell * float64(c.rate)))
}

func (c *Ceiling) cell(at int64) int64 {
	k := int64(float64(at) / (ceilingCell * float64(c.rate)))
	for c.edge(k) > at {
		k--
	}
	for c.edge(k+1) <= at {
		k++
	}
	return k
}

// Stretch is a listener for a run of frames that begins with one. What it is given is a whole sound to it: where there is
// sound before and after, it is to be given some of that, too.
func (c *Ceiling) Stretch(at int64) *Stretch {
	s := &Stretch{of: c, at: at}
	for range c.free {
		s.watch = append(s.watch, meter.NewOvers())
		s.filters = append(s.filters, NewWeighting(c.rate))
	}
	return s
}

// Stretch is a run of frames that a Ceiling listens to.
type Stretch struct {
	of    *Ceiling
	at    int64
	watch []*meter.Overs
	// What is loud within a tenth of a second and what is quiet: see after.
	filters []*Weighting
	k       []float64
}

// Add listens to frames, which follow those before.
func (s *Stretch) Add(b audio.Block) {
	for i, w := range s.watch {
		if !s.of.free[i] {
			w.Above(b[i], s.of.ceiling, func(k int, peak float64) {
				at := s.at + int64(k) - meter.OversLate
				// In thousandths: a steady tone needs a steady gain.
				need := math.Ceil((audio.Decibels(peak/s.of.ceiling)+ceilingSafety)*1000) / 1000
				for _, cell := range []int64{s.of.cell(at), s.of.cell(at + 1)} {
					s.of.needs[cell] = max(s.of.needs[cell], need)
				}
			})
		}
	}
	s.weigh(b)
	s.at += int64(b.Frames())
}

func (s *Stretch) weigh(b audio.Block) {
	for i, w := range s.of.weights {
		if w == 0 {
			continue
		}
		s.k = append(s.k[:0], b[i]...)
		s.filters[i].Apply(s.k)
		cell := s.of.cell(s.at)
		for from := int64(0); from < int64(len(s.k)); cell++ {
			to := min(int64(len(s.k)), s.of.edge(cell+1)-s.at)
			sum := 0.0
			for _, v := range s.k[from:to] {
				sum += v * v
			}
			s.of.powers[cell] += w * sum
			from = to
		}
	}
}

// share is what a gain in dB makes of the power in [from, to), by what is loud in it and what is quiet. What was not listened
// to is taken to be even.
func (c *Ceiling) share(gain automation.Curve, from, to int64) float64 {
	if v, still := gain.Constant(from, to); still {
		return math.Pow(10, v/10)
	}
	sum, all := 0.0, 0.0
	for cell := c.cell(from); c.edge(cell) < to; cell++ {
		p := max(c.powers[cell], 1e-30)
		middle := max(from, min(to-1, (c.edge(cell)+c.edge(cell+1))/2))
		all += p
		sum += p * math.Pow(10, gain.Value(middle)/10)
	}
	return sum / all
}

// End takes what the listener is behind into account: silence follows.
func (s *Stretch) End() { s.Add(audio.NewBlock(len(s.watch), meter.OversLate+1)) }

// Curve is the gain, in dB, in the time of the frames that were listened to; none where no peak needs one.
func (c *Ceiling) Curve() (automation.Curve, error) {
	// Each cell goes as deep as it, or one beside it, needs.
	depth := map[int64]float64{}
	for k, v := range c.needs {
		for n := k - 1; n <= k+1; n++ {
			depth[n] = max(depth[n], v)
		}
	}
	// At the edge between two cells it is as deep as the deeper of them; and on both sides of these it comes down to that.
	edges := map[int64]float64{}
	for k, v := range depth {
		for n := k; n <= k+1; n++ {
			edges[n] = max(edges[n], v)
		}
		for _, n := range []int64{k - 1, k + 2} {
			if _, there := edges[n]; !there {
				edges[n] = 0
			}
		}
	}
	at := make([]int64, 0, len(edges))
	for k := range edges {
		at = append(at, k)
	}
	slices.Sort(at)
	var out automation.Curve
	for i, k := range at {
		p := automation.Point{At: c.edge(k), Value: -edges[k], Shape: automation.Smooth}
		if p.Value == 0 {
			p.Value = 0 // no negative zero
		}
		if i > 0 && i+1 < len(at) && edges[at[i-1]] == edges[k] && edges[k] == edges[at[i+1]] {
			continue // within a stretch of one value
		}
		out = append(out, p)
	}
	if len(out) > automation.MaxPoints {
		return nil, snag.Refuse("not_reached", "the ceiling would be at work almost all the time, at %d places: ask for less loudness, or for a higher ceiling", len(c.needs))
	}
	return out, nil
}
