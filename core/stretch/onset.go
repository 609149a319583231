package stretch

import (
	"math"

	"zestyloom/core/audio"
)

// onsets finds where something begins: where the high part of all channels together grows within a few milliseconds to
// many times what it was before.
type onsets struct {
	read  Reader
	step  int64 // frames of a stretch
	next  int64 // the first frame that has not been looked at
	block audio.Block
	past  [onsetPast]float64 // energies of the stretches before, the newest last
	seen  int
	found []int64
}

const (
	onsetSeconds = 0.0025
	onsetPast    = 12 // stretches that an onset is compared with: 30 ms
	onsetTimes   = 12 // by which it is greater than their mean
	onsetFloor   = 1e-8
)

func newOnsets(read Reader, channels, rate int, from int64) onsets {
	step := max(8, int64(onsetSeconds*float64(rate)))
	return onsets{read: read, step: step, next: from, block: audio.NewBlock(channels, int(step)+1)}
}

// in reports whether an onset lies from a frame up to another, looking further ahead as far as it takes.
func (o *onsets) in(from, to int64) (bool, error) {
	for o.next < to {
		if err := o.look(); err != nil {
			return false, err
		}
	}
	for len(o.found) > 0 && o.found[0] < from-2*o.step {
		o.found = o.found[1:]
	}
	for _, at := range o.found {
		if at >= from && at < to {
			return true, nil
		}
	}
	return false, nil
}

func (o *onsets) look() error {
	if err := o.read(o.block, o.next-1); err != nil {
		return err
	}
	energy := 0.0
	for _, x := range o.block {
		for i := 1; i < len(x); i++ {
			d := x[i] - x[i-1] // what is low hardly shows where something begins
			energy += d * d
		}
	}
	mean := 0.0
	for _, e := range o.past {
		mean += e / onsetPast
	}
	if o.seen >= onsetPast && energy > onsetTimes*math.Max(mean, onsetFloor*float64(o.step)) {
		if n := len(o.found); n == 0 || o.next-o.found[n-1] > onsetPast*o.step {
			o.found = append(o.found, o.next)
		}
	}
	copy(o.past[:], o.past[1:])
	o.past[onsetPast-1] = energy
	o.seen++
	o.next += o.step
	return nil
}
