package edit

import (
	"slices"

	"zestyloom/core/reel"
	"zestyloom/core/snag"
	"zestyloom/core/weave"
)

// Reweave changes the routing as a whole: buses, mixes, outputs, a template.
type Reweave struct {
	weave.Change
}

func (o *Reweave) plan(d *draft) error {
	now, _, err := d.Weave.Changed(o.Change, d.Routed(), d.NewID)
	if err != nil {
		return err
	}
	return d.do(reel.Op{SetWeave: &reel.SetWeave{Weave: now}})
}

// Route sends a track to a bus: as it has been sent so far, where it can enter so, else as one enters when nobody says
// otherwise. What cannot enter is refused: how it does has to be chosen.
type Route struct {
	Track string `json:"track"`
	To    string `json:"to"`             // a bus
	Also  bool   `json:"also,omitempty"` // beside where it goes already
}

func (o *Route) plan(d *draft) error {
	i := slices.IndexFunc(d.Tracks, func(t reel.Track) bool { return t.ID == o.Track })
	if i < 0 {
		return snag.Refuse("no_such_track", "there is no track %q in the reel", o.Track)
	}
	to, ok := d.Weave.Bus(o.To)
	if !ok {
		return snag.Refuse("no_such_bus", "there is no bus %q in the reel", o.To)
	}
	t := d.Tracks[i].Route()
	sends := d.Weave.Rerouted(t, to)
	if o.Also {
		if s, ok := d.Weave.Route(t.Layout, to, t.Place, nil); ok {
			others := slices.DeleteFunc(slices.Clone(d.Weave.Sends[t.ID]), func(s weave.Send) bool { return s.To == to.ID })
			sends = append(others, s)
		}
	}
	if sends == nil {
		return snag.Refuse("bad_patch", "%s (%s) has no way into %s (%s) by itself: choose in Weave how it enters", t.Label, t.Layout.Name, to.Name, to.Layout)
	}
	return d.do(reel.Op{SetSends: &reel.SetSends{From: t.ID, Sends: sends}})
}
