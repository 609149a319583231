package weave

import (
	"fmt"
	"maps"
	"slices"

	"zestyloom/core/automation"
	"zestyloom/core/loudness"
	"zestyloom/core/snag"
)

// Correction is what was worked out to bring a bus to a target: gains of that bus, or the same gains of all stems that it
// is made of, so that they still add up to it. They stand beside the levels that were set by hand, and can be taken off.
type Correction struct {
	ID     string          `json:"id"`
	Bus    string          `json:"bus"`   // the ID of the bus that was measured
	Buses  []string        `json:"buses"` // the IDs of those that get the gains
	Target loudness.Target `json:"target"`
	GainDB float64         `json:"gain_db"`
	// Gain is the slow gain in dB, in the reel's time. ByHand is set where somebody has drawn in it since it was worked out.
	Gain   automation.Curve `json:"gain,omitempty"`
	ByHand bool             `json:"by_hand,omitempty"`
	// Peaks is the gain in dB that holds true peaks under the ceiling. Off an LFE it stays where FreeLFE is set.
	Peaks   automation.Curve `json:"peaks,omitempty"`
	FreeLFE bool             `json:"free_lfe,omitempty"`
	Off     bool             `json:"off,omitempty"`
	// Print is the fingerprint of what the bus was without it: with another the sound is another one by now.
	Print string `json:"print"`
}

// Bounds of what a correction does, in dB: a slow gain that is drawn by hand may raise, too.
const (
	leastCorrection = -200
	mostCorrection  = 24
	mostCorrections = 64
)

// Equal reports whether two corrections are the same.
func (c Correction) Equal(o Correction) bool {
	return c.ID == o.ID && c.Bus == o.Bus && slices.Equal(c.Buses, o.Buses) && c.Target.Equal(o.Target) && c.GainDB == o.GainDB &&
		slices.Equal(c.Gain, o.Gain) && c.ByHand == o.ByHand && slices.Equal(c.Peaks, o.Peaks) && c.FreeLFE == o.FreeLFE && c.Off == o.Off && c.Print == o.Print
}

func (w Weave) checkCorrections() error {
	if len(w.Corrections) > mostCorrections {
		return snag.Refuse("bad_correction", "%d corrections: a weave has up to %d", len(w.Corrections), mostCorrections)
	}
	for i, c := range w.Corrections {
		b, ok := w.Bus(c.Bus)
		if !ok {
			return snag.Refuse("no_such_stem", "there is no bus %q to correct", c.Bus)
		}
		if slices.ContainsFunc(w.Corrections[:i], func(o Correction) bool { return o.ID == c.ID || o.Bus == c.Bus }) || c.ID == "" {
			return snag.Refuse("bad_correction", "%s is corrected twice: a bus has one correction, which can be made anew", b.Name)
		}
		if len(c.Buses) == 0 {
			return snag.Refuse("bad_correction", "the correction of %s is of no bus", b.Name)
		}
		for k, id := range c.Buses {
			if _, ok := w.Bus(id); !ok || slices.Contains(c.Buses[:k], id) {
				return snag.Refuse("bad_correction", "the correction of %s names bus %q, which is not there or is named twice", b.Name, id)
			}
		}
		if err := c.Target.Check(); err != nil {
			return err
		}
		if !(c.GainDB >= -loudness.MaxCorrection && c.GainDB <= loudness.MaxCorrection) {
			return snag.Refuse("bad_gain", "the correction of %s: a gain of %g dB is more than %d dB", b.Name, c.GainDB, loudness.MaxCorrection)
		}
		for _, curve := range []automation.Curve{c.Gain, c.Peaks} {
			if err := curve.Check(leastCorrection, mostCorrection); err != nil {
				return snag.Refuse("bad_gain", "the correction of %s: %w", b.Name, err)
			}
		}
	}
	return nil
}

// BusGain is all of a bus's gain: its level, and what corrections add.
type BusGain struct {
	DB     float64
	Curves []automation.Curve // dB, added
	// Peaks are further ones that leave an LFE alone.
	Peaks []automation.Curve
}

// Moves reports whether it is not the same at all times.
func (g BusGain) Moves() bool { return len(g.Curves)+len(g.Peaks) > 0 }

// Plain reports whether it leaves everything as it is.
func (g BusGain) Plain() bool { return g.DB == 0 && !g.Moves() }

// Gain is all of a bus's gain.
func (w Weave) Gain(id string) BusGain {
	l := w.Levels[id]
	g := BusGain{DB: l.GainDB}
	if len(l.Gain) > 0 {
		g.Curves = append(g.Curves, l.Gain)
	}
	for _, c := range w.Corrections {
		if c.Off || !slices.Contains(c.Buses, id) {
			continue
		}
		g.DB += c.GainDB
		if len(c.Gain) > 0 {
			g.Curves = append(g.Curves, c.Gain)
		}
		switch {
		case len(c.Peaks) == 0:
		case c.FreeLFE:
			g.Peaks = append(g.Peaks, c.Peaks)
		default:
			g.Curves = append(g.Curves, c.Peaks)
		}
	}
	return g
}

// Correction finds the correction of a bus.
func (w Weave) Correction(bus string) (Correction, bool) {
	i := slices.IndexFunc(w.Corrections, func(c Correction) bool { return c.Bus == bus })
	if i < 0 {
		return Correction{}, false
	}
	return w.Corrections[i], true
}

// Uncorrected is the weave without the corrections of some buses, or without any where none is named.
func (w Weave) Uncorrected(buses ...string) Weave {
	var kept []Correction
	for _, c := range w.Corrections {
		if len(buses) > 0 && !slices.Contains(buses, c.Bus) {
			kept = append(kept, c)
		}
	}
	w.Corrections = kept
	return w
}

// WithoutGains is the weave with buses as they sum up: without their levels, and without what corrections add to them.
func (w Weave) WithoutGains(buses ...string) Weave {
	w.Levels = maps.Clone(w.Levels)
	var kept []Correction
	for _, id := range buses {
		delete(w.Levels, id)
	}
	for _, c := range w.Corrections {
		c.Buses = slices.DeleteFunc(slices.Clone(c.Buses), func(id string) bool { return slices.Contains(buses, id) })
		if len(c.Buses) > 0 {
			kept = append(kept, c)
		}
	}
	w.Corrections = kept
	return w
}

// Corrects are the IDs of the buses that sound otherwise by corrections that are on: those that get gains, and all that
// they are sent into.
func (w Weave) Corrects() map[string]bool {
	out := map[string]bool{}
	for _, c := range w.Corrections {
		if c.Off {
			continue
		}
		for _, id := range c.Buses {
			out[id] = true
			for _, on := range w.Reach(id) {
				out[on] = true
			}
		}
	}
	return out
}

// AlsoCorrected are the names of mixes that change with a correction though they were not meant.
func (w Weave) AlsoCorrected(c Correction) (names []string) {
	for _, b := range w.Buses {
		if b.ID == c.Bus || b.Role != Mix {
			continue
		}
		if slices.ContainsFunc(c.Buses, func(id string) bool { return id != b.ID && w.Paths(id, b.ID) > 0 }) {
			names = append(names, b.Name)
		}
	}
	return names
}

// SetCorrection corrects a bus: a correction that it has already is replaced.
type SetCorrection struct {
	Correction Correction `json:"correction"`
}

func (o *SetCorrection) apply(d *changing) error {
	c := o.Correction
	if c.ID == "" {
		c.ID = d.newID()
	}
	list := slices.Clone(d.Corrections)
	if i := slices.IndexFunc(list, func(was Correction) bool { return was.Bus == c.Bus }); i >= 0 {
		list[i] = c
	} else {
		list = append(list, c)
	}
	d.Corrections = list
	return nil
}

// AlterCorrection turns a correction off or on, or draws in its slow gain.
type AlterCorrection struct {
	ID   string            `json:"id"`
	Off  *bool             `json:"off,omitempty"`
	Gain *automation.Curve `json:"gain,omitempty"`
}

func (o *AlterCorrection) apply(d *changing) error {
	i, err := d.correction(o.ID)
	if err != nil {
		return err
	}
	list := slices.Clone(d.Corrections)
	if o.Off != nil {
		list[i].Off = *o.Off
	}
	if o.Gain != nil {
		list[i].Gain, list[i].ByHand = *o.Gain, true
	}
	d.Corrections = list
	return nil
}

// RemoveCorrection takes a correction away.
type RemoveCorrection struct {
	ID string `json:"id"`
}

func (o *RemoveCorrection) apply(d *changing) error {
	i, err := d.correction(o.ID)
	if err != nil {
		return err
	}
	d.Corrections = slices.Delete(slices.Clone(d.Corrections), i, i+1)
	return nil
}

func (d *changing) correction(id string) (int, error) {
	i := slices.IndexFunc(d.Corrections, func(c Correction) bool { return c.ID == id })
	if i < 0 {
		return 0, snag.Refuse("no_such_correction", "there is no correction %q in this weave any more", id)
	}
	return i, nil
}

// withoutBuses takes away what corrections were of buses that are gone, and says so.
func (d *changing) withoutBuses(gone map[string]bool) {
	var kept []Correction
	for _, c := range d.Corrections {
		buses := slices.DeleteFunc(slices.Clone(c.Buses), func(id string) bool { return gone[id] })
		if gone[c.Bus] || len(buses) == 0 {
			d.lost = append(d.lost, fmt.Sprintf("the correction of %s", d.nameOf(c.Bus)))
			continue
		}
		c.Buses = buses
		kept = append(kept, c)
	}
	d.Corrections = kept
}
