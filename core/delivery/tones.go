package delivery

import (
	"math"

	"zestyloom/core/audio"
)

// Tone is a sine in all channels of all files, before or after the programme.
type Tone struct {
	Says      string  `json:"says"` // tone, 2-pop or tail pop
	From      int64   `json:"from"` // frames of the files
	To        int64   `json:"to"`
	LevelDBFS float64 `json:"level_dbfs"`
	Hz        float64 `json:"hz"`
}

// tones works out the tones of a plan whose programme lies at [first, last), samples since midnight at the files' rate.
func (p *Plan) tones(first, last int64) {
	shape, rate := p.Order.Spec.Programme, p.Rates.Files
	zero := first - p.Lead
	segments := func(list []Segment, at int64) {
		n := int64(0)
		for _, s := range list {
			from, frames := p.at(at, n, rate), p.framesIn(s.Seconds)
			n += frames
			if s.What == "tone" {
				p.Tones = append(p.Tones, Tone{"tone", from - zero, p.at(at, n, rate) - zero, s.LevelDBFS, hertz(s.Hz)})
			}
		}
	}
	segments(shape.Before, zero)
	if pop := shape.Pop; pop != nil {
		back := popLead * p.Rate.Base()
		p.Tones = append(p.Tones, Tone{"2-pop", p.at(first, -back, rate) - zero, p.at(first, 1-back, rate) - zero, pop.LevelDBFS, hertz(pop.Hz)})
	}
	segments(shape.After, last)
	if pop := shape.Pop; pop != nil && pop.Tail {
		// The last frame of programme is the one that ends with it, or that it ends in.
		n := p.Rate.FrameAt(last-first, int64(rate))
		for p.at(first, n, rate) < last {
			n++
		}
		n += popLead*p.Rate.Base() - 1
		p.Tones = append(p.Tones, Tone{"tail pop", p.at(first, n, rate) - zero, p.at(first, n+1, rate) - zero, pop.LevelDBFS, hertz(pop.Hz)})
	}
}

// outside fills a block of what stands before or after the programme, from a frame of the files on.
func (p Plan) outside(b audio.Block, at int64) {
	if len(b) == 0 {
		return
	}
	x := b[0]
	clear(x)
	for _, t := range p.Tones {
		level := audio.Gain(t.LevelDBFS)
		for k := max(t.From, at); k < min(t.To, at+int64(len(x))); k++ {
			x[k-at] = level * math.Sin(2*math.Pi*t.Hz*float64(k-t.From)/float64(p.Rates.Files))
		}
	}
	for _, y := range b[1:] {
		copy(y, x)
	}
}
