package resample

import "math"

// Clock carries what a recorder counted over to another rate: moments as they are, lengths (Frames) with its drift
// corrected.
type Clock struct {
	from, to int
	drift    float64
	ratio
}

// NewClock prepares the counting of a recorder of rate from, in Hz, at rate to; drift is by how many parts in a million
// its clock ran fast, within the bounds of NewDrift.
func NewClock(from, to int, drift float64) (Clock, error) {
	if from == to && drift == 0 { // whatever the rate
		return Clock{from, to, 0, ratio{1, 1}}, nil
	}
	r, err := drifting(from, to, drift)
	return Clock{from, to, drift, r}, err
}

// Moment is a moment, or the distance of two, in samples of the other rate: to the nearest one, halves away from zero.
// Where a recording begins is a moment: its drift says nothing of that.
func (k Clock) Moment(samples int64) int64 {
	if samples < 0 {
		return -k.Moment(-samples)
	}
	a, b := int64(k.from), int64(k.to)
	return samples/a*b + (samples%a*b+a/2)/a
}

// Start is where a recording begins at the other rate; -1 where that is not known.
func (k Clock) Start(samples *int64) int64 {
	if samples == nil {
		return -1
	}
	return k.Moment(*samples)
}

// Retimed gives the place that a place in a recording becomes when its clock is read as k and no more as was, both at
// the other rate. longest bounds it, in the recorder's own samples.
func (k Clock) Retimed(was Clock, longest int64) func(frame int64) int64 {
	ratio, end := float64(k.from)/float64(k.to), k.Frames(longest)
	return func(frame int64) int64 {
		own := float64(frame) * ratio * (1 + was.drift*1e-6)
		return min(int64(math.Round(own/ratio/(1+k.drift*1e-6))), end)
	}
}

// RoundDrift is the drift nearest to one that can be corrected as it is, in parts in a million.
func RoundDrift(drift float64) float64 { return math.Round(drift/DriftStep) * DriftStep }
