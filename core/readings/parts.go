package readings

import "zestyloom/core/snag"

// inParts refuses a stretch [from, to) that is longer than so many seconds or can't be had in so many equal parts.
func inParts(from, to int64, rate, seconds, parts, mostParts int) error {
	switch {
	case from < 0 || to <= from || to-from > int64(seconds*rate):
		return snag.Refuse("bad_range", "from %d to %d: a stretch of at most %d s can be looked at", from, to, seconds)
	case parts < 1 || parts > mostParts || int64(parts) > to-from:
		return snag.Refuse("bad_range", "%d parts: at most %d can be had, of a sample each", parts, mostParts)
	}
	return nil
}
