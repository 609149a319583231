package loudness

import (
	"math"

	"zestyloom/core/audio"
)

// Place is a greatest value and where it is: the frame with which its window ends, or of its peak.
type Place struct {
	Value float64
	At    int64
}

// Channel is what was found of one channel. Levels are in dB relative to full scale, -Inf for silence.
type Channel struct {
	Name       string // the speaker, or its number
	TruePeak   float64
	TrueAt     int64
	SamplePeak float64
	Quasi      float64 // programme meter of type IIa, as the level of the steady tone that reads the same
	DC         float64 // mean of all samples, full scale 1
	Invalid    int64   // samples that are no numbers, measured as silence
}

// Result is what was found of a sound. Loudness is in LUFS and -Inf where there is none to say.
type Result struct {
	Layout       string
	Rate         int
	Frames       int64
	Integrated   float64
	Gate         float64 // relative, in LUFS
	Range        float64 // LU, where RangeKnown
	RangeKnown   bool
	MaxMomentary Place
	MaxShortTerm Place
	TruePeak     Place // of all channels, dBTP
	Channels     []Channel
	Correlation  *float64 // of a pair
	MonoLoss     *float64 // LU, of a pair
}

// Quasi is the greatest reading of a programme meter on any channel, in dBFS of the steady tone that reads the same.
func (r Result) Quasi() float64 {
	most := math.Inf(-1)
	for _, c := range r.Channels {
		most = max(most, c.Quasi)
	}
	return most
}

// Result ends the measurement: nothing is added after it.
func (m *Meter) Result() Result {
	r := Result{Layout: m.layout.Name, Rate: m.rate, Frames: m.frames, TruePeak: Place{Value: math.Inf(-1)}}
	m.loudness(&r)
	for c, ch := range m.channels {
		tail := max(ch.peak, ch.levels.End(m.floor))
		if n := len(m.peaks); n > 0 {
			m.peaks[n-1] = max(m.peaks[n-1], tail)
		}
		p := ch.levels
		v := Channel{Name: m.layout.Channel(c), TruePeak: audio.Decibels(p.True), TrueAt: p.TrueAt, SamplePeak: audio.Decibels(p.Sample), Quasi: audio.Decibels(p.Quasi), Invalid: p.Invalid}
		if m.frames > 0 {
			v.DC = p.Sum / float64(m.frames)
		}
		if v.TruePeak > r.TruePeak.Value {
			r.TruePeak = Place{v.TruePeak, v.TrueAt}
		}
		r.Channels = append(r.Channels, v)
	}
	if m.pair != nil {
		r.pair(m.pair)
	}
	return r
}

// loudness fills in what the powers come to.
func (m *Meter) loudness(r *Result) {
	r.Integrated, r.Gate = m.powers.Gated()
	r.Range, _, _, r.RangeKnown = m.powers.Range()
	place := func(n int) Place {
		v, end := m.powers.Max(n)
		return Place{v, min(m.frames, edge(int64(end), m.rate))}
	}
	r.MaxMomentary, r.MaxShortTerm = place(MomentaryPowers), place(ShortTermPowers)
}

// pair fills in what is known of two sides.
func (r *Result) pair(p *pair) {
	if v, ok := p.correlation(); ok {
		r.Correlation = &v
	}
	if v, ok := p.monoLoss(); ok {
		r.MonoLoss = &v
	}
}
