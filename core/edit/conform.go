package edit

import "zestyloom/core/reel"

// Cutting is a stretch of a take that is laid where picture has cut it to.
type Cutting struct {
	Take   Take
	From   int64 // first sample of the take
	At     int64 // samples since midnight of the reel's day
	Length int64
	Fade   int64 // samples over which it comes in, while what was before goes on
	After  int64 // samples over which it goes on under what comes in after it
	Handle int64 // samples that it is longer at either end, where nothing else of the list lies
	Before int64 // samples that are free before it, and Behind after it
	Behind int64
}

// conform lays stretches of takes: every strand of each, tied, on tracks by label, mixes off; what fades in is faded by equal
// power, and what goes on under it fades out as long.
func (d *draft) conform(all []Cutting, day int64) error {
	for _, c := range all {
		l := c.Take.Lay(d.Weave)
		from, at := c.From, c.At
		length := c.Length + c.After
		if c.Fade == 0 {
			early := min(c.Handle, c.Before, from, at)
			from, at, length = from-early, at-early, length+early
		}
		if c.After == 0 {
			length += min(c.Handle, c.Behind)
		}
		length = min(length, c.Take.Frames-from)
		if from < 0 { // the take begins later than the event
			at, length, from = at-from, length+from, 0
		}
		if length <= 0 || len(l.Strands) == 0 {
			continue
		}
		l.Start, l.Frames, l.DayLen, l.NewID = at, length, day, d.NewID
		l.Cut = &reel.Stretch{From: from}
		if c.Fade > 0 {
			l.Cut.FadeIn = reel.Fade{Length: min(c.Fade, length), Shape: reel.EqualPower}
		}
		if c.After > 0 {
			l.Cut.FadeOut = reel.Fade{Length: min(c.After, length), Shape: reel.EqualPower}
		}
		ops, err := reel.LayTake(d.Reel, l)
		if err != nil {
			return err
		}
		if err := d.do(ops...); err != nil {
			return err
		}
	}
	return nil
}
