package weave

import (
	"slices"

	"zestyloom/core/audio"
	"zestyloom/core/snag"
)

// Check refuses a weave whose parts don't fit together. tracks are the layouts of the reel's tracks by their IDs.
func (w Weave) Check(tracks map[string]audio.Layout) error {
	if len(w.Buses) > MaxBuses {
		return snag.Refuse("too_many_buses", "%d buses: at most %d", len(w.Buses), MaxBuses)
	}
	if !slices.Contains(Laws, w.Law) {
		return snag.Refuse("bad_patch", "a law of %g dB for one channel on both sides: expected one of %v", w.Law, Laws)
	}
	ids := map[string]bool{}
	for _, b := range w.Buses {
		_, err := audio.ParseLayout(b.Layout)
		switch {
		case b.ID == "" || ids[b.ID]:
			return snag.Refuse("bad_stem", "bus %q has no identity of its own", b.Name)
		case b.Name == "" || len(b.Name) > 60:
			return snag.Refuse("bad_stem", "a bus needs a name of at most 60 letters")
		case b.Role != Stem && b.Role != Part && b.Role != Mix:
			return snag.Refuse("bad_stem", "bus %s: expected a stem, a part or a mix, not %q", b.Name, b.Role)
		case err != nil:
			return snag.Refuse("bad_stem", "bus %s: %w", b.Name, err)
		case b.Colour != "" && !slices.Contains(Colours, b.Colour):
			return snag.Refuse("bad_stem", "bus %s: a colour is one of %v, not %q", b.Name, Colours, b.Colour)
		case len(b.Language) > 35 || len(b.Kind) > 20:
			return snag.Refuse("bad_stem", "bus %s: a language has at most 35 letters, a kind 20", b.Name)
		}
		if of, ok := w.Bus(b.Of); b.Role == Part && (!ok || of.Role != Stem) {
			return snag.Refuse("bad_stem", "part %s is of no stem", b.Name)
		}
		ids[b.ID] = true
	}
	for id, sends := range w.Sends {
		from, ok := tracks[id]
		if b, bus := w.Bus(id); bus {
			from, ok = b.Channels(), true
		}
		if !ok {
			return snag.Refuse("no_such_track", "there is no track or bus %q to send", id)
		}
		if err := w.CheckSends(from, sends); err != nil {
			return err
		}
	}
	for id, l := range w.Levels {
		b, ok := w.Bus(id)
		if !ok {
			return snag.Refuse("no_such_stem", "there is no bus %q to have a level", id)
		}
		if !(l.GainDB >= MinGain && l.GainDB <= MaxGain) {
			return snag.Refuse("bad_gain", "bus %s: a gain of %g dB is outside %d to %d dB", b.Name, l.GainDB, MinGain, MaxGain)
		}
		if err := l.TreatMoves.Check(); err != nil {
			return err
		}
		if err := l.Treat.Check(); err != nil {
			return err
		}
		if err := l.Gain.Check(MinGain, MaxGain); err != nil {
			return snag.Refuse("bad_gain", "bus %s: gain over time: %w", b.Name, err)
		}
	}
	if err := w.checkCorrections(); err != nil {
		return err
	}
	if _, err := w.Order(); err != nil {
		return err
	}
	return w.CheckOutputs(w.Outputs, w.Groups)
}

// CheckSends refuses ways from a layout into buses that are not there, twice into the same one, with a gain that can't
// be, or with a patch that does not fit.
func (w Weave) CheckSends(from audio.Layout, sends []Send) error {
	for i, s := range sends {
		b, ok := w.Bus(s.To)
		switch {
		case !ok:
			return snag.Refuse("no_such_stem", "there is no bus %q to send to", s.To)
		case slices.ContainsFunc(sends[:i], func(o Send) bool { return o.To == s.To }):
			return snag.Refuse("sent_twice", "it is sent to %s twice", b.Name)
		case !(s.GainDB >= MinGain && s.GainDB <= MaxGain):
			return snag.Refuse("bad_gain", "a gain of %g dB is outside %d to %d dB", s.GainDB, MinGain, MaxGain)
		}
		if err := s.Gain.Check(MinGain, MaxGain); err != nil {
			return snag.Refuse("bad_gain", "gain over time: %w", err)
		}
		if _, err := s.Patch.Between(from, b.Channels()); err != nil {
			return err
		}
	}
	return nil
}

// Order gives the buses' indices so that each stands after all that are sent into it; a circle is refused.
func (w Weave) Order() ([]int, error) {
	feeds := map[string]int{} // how many buses that have no place yet are sent into one
	for _, b := range w.Buses {
		for _, s := range w.Sends[b.ID] {
			feeds[s.To]++
		}
	}
	var order []int
	done := make([]bool, len(w.Buses))
	for len(order) < len(w.Buses) {
		next := -1
		for i, b := range w.Buses {
			if !done[i] && feeds[b.ID] == 0 {
				next = i
				break
			}
		}
		if next < 0 {
			for i, b := range w.Buses {
				if !done[i] {
					return nil, snag.Refuse("circle", "bus %s would be sent into itself, by itself or through others", b.Name)
				}
			}
		}
		done[next] = true
		order = append(order, next)
		for _, s := range w.Sends[w.Buses[next].ID] {
			feeds[s.To]--
		}
	}
	return order, nil
}

// CheckOutputs refuses a list of outputs that can't be: too long, unnamed, named alike, of a bus channel that is not
// there, or with a group that is torn or not as wide as its layout.
func (w Weave) CheckOutputs(outs []Output, groups []Group) error {
	if len(outs) > MaxOutputs {
		return snag.Refuse("too_many_outputs", "%d outputs: at most %d", len(outs), MaxOutputs)
	}
	names := map[string]int{}
	for i, o := range outs {
		if o.Name == "" || len(o.Name) > 60 {
			return snag.Refuse("bad_output", "output %d needs a name of at most 60 letters", i+1)
		}
		if n, seen := names[o.Name]; seen {
			return snag.Refuse("bad_output", "outputs %d and %d are both named %s", n, i+1, o.Name)
		}
		names[o.Name] = i + 1
		if !(o.TrimDB >= MinGain && o.TrimDB <= MaxGain) || o.Delay < 0 || o.Delay > MaxDelay {
			return snag.Refuse("bad_output", "output %d (%s): a trim is %d to %d dB and a delay 0 to %d samples, not %g dB and %d", i+1, o.Name, MinGain, MaxGain, MaxDelay, o.TrimDB, o.Delay)
		}
		if o.Bus == "" {
			continue
		}
		b, ok := w.Bus(o.Bus)
		if !ok || o.Channel < 0 || o.Channel >= b.Channels().Count {
			return snag.Refuse("bad_output", "output %d (%s) takes channel %d of a bus %q that has no such channel", i+1, o.Name, o.Channel+1, o.Bus)
		}
	}
	return checkGroups(outs, groups)
}

func checkGroups(outs []Output, groups []Group) error {
	width, seen := map[string]int{}, map[string]bool{}
	for _, g := range groups {
		l, err := audio.ParseLayout(g.Layout)
		if g.ID == "" || seen[g.ID] || err != nil {
			return snag.Refuse("bad_group", "group %q of outputs: it needs an identity of its own and a layout, not %q", g.ID, g.Layout)
		}
		seen[g.ID], width[g.ID] = true, l.Count
	}
	for i, o := range outs {
		if o.Group == "" {
			continue
		}
		if !seen[o.Group] {
			return snag.Refuse("bad_group", "output %d (%s) is of a group %q that is not there", i+1, o.Name, o.Group)
		}
		first := i == 0 || outs[i-1].Group != o.Group
		if first && width[o.Group] < 0 {
			return snag.Refuse("bad_group", "output %d (%s) is torn off its group", i+1, o.Name)
		}
		if !first {
			continue
		}
		n := 0
		for _, m := range outs[i:] {
			if m.Group != o.Group {
				break
			}
			n++
		}
		if n != width[o.Group] {
			return snag.Refuse("bad_group", "the group that begins at output %d (%s) has %d outputs, and its layout %d channels", i+1, o.Name, n, width[o.Group])
		}
		width[o.Group] = -1
	}
	return nil
}
