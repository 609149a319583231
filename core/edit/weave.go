package edit

import (
	"zestyloom/core/reel"
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
