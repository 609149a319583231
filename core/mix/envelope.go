package mix

import (
	"zestyloom/core/reel"
)

// envelope is what a clip's sound is multiplied by over n samples from a sample of the reel's time on: its gain,
// polarity, fades and ranges that are off. It is one factor where moving is nil.
func (c *clip) envelope(moving []float64, at int64, n int) (factor float64, _ []float64) {
	frame := c.In + at - c.At // of the strands
	factor, still := c.gain.at(frame, frame+int64(n))
	fades := at < c.At+c.FadeIn.Length || at+int64(n) > c.End()-c.FadeOut.Length
	off := false
	for _, r := range c.Off {
		off = off || r.From < frame+int64(n) && r.To > frame
	}
	sign := 1.0
	if c.Invert {
		sign = -1
	}
	if still && !fades && !off {
		return sign * factor, nil
	}
	e := moving[:n]
	if still {
		for i := range e {
			e[i] = factor
		}
	} else {
		c.gain.fill(e, frame)
	}
	if c.Invert {
		scale(e, -1)
	}
	if fades {
		for i := range min(int64(n), max(0, c.At+c.FadeIn.Length-at)) {
			e[i] *= c.FadeIn.At(at + i - c.At)
		}
		for i := max(0, c.End()-c.FadeOut.Length-at); i < int64(n); i++ {
			e[i] *= c.FadeOut.At(c.End() - 1 - at - i)
		}
	}
	for _, r := range c.Off {
		lo, hi := max(r.From, frame), min(r.To, frame+int64(n))
		for f := lo; f < hi; f++ {
			e[f-frame] *= offAt(r, f)
		}
	}
	return 1, e
}

// offAt is the factor of a sample within a range that is off.
func offAt(r reel.Range, frame int64) float64 {
	ramp := reel.Fade{Length: r.Ramp}
	return max(1-ramp.At(frame-r.From), 1-ramp.At(r.To-1-frame))
}

// loudest bounds the factors of a clip's envelope over [from, to) of the reel's time.
func (c *clip) loudest(from, to int64) float64 {
	return c.gain.most(c.In+from-c.At, c.In+to-c.At)
}
