package align

import "zestyloom/core/timecode"

// Stamp is a recording as its timecode has it.
type Stamp struct {
	Start  int64 // samples since midnight at its own rate, -1 when not known
	Rate   int   // Hz
	Frames int64
}

// ByTimecode is where a recording lies on another's clock by their timecodes: samples of the other
// from its first to the recording's first, to the nearest one. Both starts are exact; a day of the
// timecode wraps, and of the two ways round the shorter is taken. ok is false when either gives no
// start.
func ByTimecode(ref, file Stamp, day timecode.Rate) (offset int64, ok bool) {
	if ref.Start < 0 || file.Start < 0 || ref.Rate <= 0 || file.Rate <= 0 {
		return 0, false
	}
	to, from := int64(ref.Rate), int64(file.Rate)
	// The same moment in samples of the reference, in whole and rest: no product leaves 64 bits.
	whole, rest := file.Start/from, file.Start%from
	offset = whole*to + (rest*to+from/2)/from - ref.Start
	length := day.DaySamples(ref.Rate)
	if length <= 0 {
		return offset, true
	}
	return timecode.ShorterWay(offset, length), true
}

// Common is how many seconds two recordings have in common by their timecodes.
func Common(ref, file Stamp, day timecode.Rate) float64 {
	offset, ok := ByTimecode(ref, file, day)
	if !ok {
		return 0
	}
	at := float64(offset) / float64(ref.Rate)
	return max(0, min(float64(ref.Frames)/float64(ref.Rate), at+float64(file.Frames)/float64(file.Rate))-max(0, at))
}
