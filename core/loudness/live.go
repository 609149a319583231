package loudness

import (
	"math"

	"zestyloom/core/audio"
)

// Live measures a sound while it is heard.
type Live struct {
	m    *Meter
	read int // powers that the readings are of
	now  Readings
}

// Readings are those of the meters of EBU Tech 3341 at a moment, since the beginning: in LUFS, and dBTP. They are -Inf where nothing
// sounded yet, or not for long enough.
type Readings struct {
	Momentary, ShortTerm, Integrated, TruePeak float64
}

// NewLive makes one for sound of a layout at a rate in Hz.
func NewLive(l audio.Layout, rate int) (*Live, error) {
	m, err := NewMeter(l, rate, Options{NoProgramme: true})
	none := math.Inf(-1)
	return &Live{m: m, now: Readings{none, none, none, none}}, err
}

// Add takes a block in and gives the readings at its end: loudness moves with each tenth of a second, the true peak with each
// block, but for the last samples, which have no neighbours yet.
func (v *Live) Add(b audio.Block) Readings {
	v.m.Add(b)
	for _, ch := range v.m.channels {
		v.now.TruePeak = max(v.now.TruePeak, audio.Decibels(ch.levels.True))
	}
	if p := v.m.powers; len(p) > v.read {
		v.read = len(p)
		v.now.Momentary, v.now.ShortTerm = p.At(len(p)-1, MomentaryPowers), p.At(len(p)-1, ShortTermPowers)
		v.now.Integrated = p.Integrated()
	}
	return v.now
}
