package loudness

import (
	"math"

	"zestyloom/core/audio"
)

// Applier carries a correction out, block by block. It is late by the reach of its limiter; End gives the rest.
type Applier struct {
	c       Correction
	limiter *Limiter
	at      int64
	gains   []float64
	width   int
}

// NewApplier makes one for sound of a layout at a rate in Hz. The LFE is limited with the other channels unless freeLFE
// leaves it alone.
func NewApplier(c Correction, l audio.Layout, rate int, freeLFE bool) (*Applier, error) {
	if err := c.Curve.Check(-200, 0); err != nil {
		return nil, err
	}
	a := &Applier{c: c, width: l.Count}
	if c.Ceiling != nil {
		a.limiter = NewLimiter(l, rate, *c.Ceiling, freeLFE)
	}
	return a, nil
}

// Limited says how far the limiter went down, in dB, at which frame, and for how many frames it was at work.
func (a *Applier) Limited() (deepest float64, at, frames int64) {
	if a.limiter == nil {
		return 0, 0, 0
	}
	return a.limiter.Deepest, a.limiter.DeepestAt, a.limiter.Touched
}

// Add takes a block in, which is changed, and returns the frames that are ready, after those that were returned before.
func (a *Applier) Add(b audio.Block) audio.Block {
	if b.Frames() > 0 {
		a.scale(b)
	}
	a.at += int64(b.Frames())
	if a.limiter == nil {
		return b
	}
	return a.limiter.Add(b)
}

// scale multiplies a block by what its frames' gains come to; a gain of 0 dB leaves it as it is, bit for bit.
func (a *Applier) scale(b audio.Block) {
	n := b.Frames()
	still, constant := 0.0, true
	if len(a.c.Curve) > 0 {
		still, constant = a.c.Curve.Constant(a.at, a.at+int64(n))
	}
	if len(a.gains) < n {
		a.gains = make([]float64, n)
	}
	g := a.gains[:n]
	if constant {
		gain := audio.Gain(a.c.GainDB + still)
		if gain == 1 {
			return
		}
		for i := range g {
			g[i] = gain
		}
	} else {
		a.c.Curve.Fill(g, a.at)
		last, gain := math.NaN(), 1.0
		for i, v := range g {
			if v != last {
				last, gain = v, audio.Gain(a.c.GainDB+v)
			}
			g[i] = gain
		}
	}
	for _, x := range b {
		for i, gain := range g {
			x[i] *= gain
		}
	}
}

// End returns what is left.
func (a *Applier) End() audio.Block {
	if a.limiter == nil {
		return audio.NewBlock(a.width, 0)
	}
	return a.limiter.End()
}
