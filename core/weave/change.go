package weave

import (
	"fmt"
	"maps"
	"slices"
	"strings"

	"zestyloom/core/audio"
	"zestyloom/core/snag"
	"zestyloom/core/union"
)

// Change is one thing that is done to a weave as a whole. Exactly one of its fields is set (core/union).
type Change struct {
	AddBus        *AddBus        `json:"add_bus,omitempty"`
	SetBus        *SetBus        `json:"set_bus,omitempty"`
	RemoveBus     *RemoveBus     `json:"remove_bus,omitempty"`
	MoveBus       *MoveBus       `json:"move_bus,omitempty"`
	SetMembers    *SetMembers    `json:"set_members,omitempty"`
	InsertOutputs *InsertOutputs `json:"insert_outputs,omitempty"`
	RemoveOutputs *RemoveOutputs `json:"remove_outputs,omitempty"`
	MoveOutputs   *MoveOutputs   `json:"move_outputs,omitempty"`
	SetOutput     *SetOutput     `json:"set_output,omitempty"`
	GroupOutputs  *GroupOutputs  `json:"group_outputs,omitempty"`
	Ungroup       *Ungroup       `json:"ungroup,omitempty"`
	OrderGroup    *OrderGroup    `json:"order_group,omitempty"`
	NameOutputs   *NameOutputs   `json:"name_outputs,omitempty"`
	SetWay        *SetWay        `json:"set_way,omitempty"`
	SetLaw        *SetLaw        `json:"set_law,omitempty"`
	Use           *Use           `json:"use,omitempty"`
	SetLevels     *SetLevels     `json:"set_levels,omitempty"`
	SetCrossings  *SetCrossings  `json:"set_crossings,omitempty"`
	PartsByLabel  *PartsByLabel  `json:"parts_by_label,omitempty"`

	SetCorrection    *SetCorrection    `json:"set_correction,omitempty"`
	AlterCorrection  *AlterCorrection  `json:"alter_correction,omitempty"`
	RemoveCorrection *RemoveCorrection `json:"remove_correction,omitempty"`
}

// changer changes a weave, which is a clone, in place.
type changer interface {
	apply(d *changing) error
}

// changing is a weave while it is changed.
type changing struct {
	*Weave
	tracks []Track
	newID  func() string
	lost   []string // what has no place any more, in words
}

// Changed gives the weave after a change, and what has no place any more, in words. tracks are the reel's; newID makes
// identities. The weave is not changed.
func (w Weave) Changed(c Change, tracks []Track, newID func() string) (Weave, []string, error) {
	what, ok := union.Of[changer](c)
	if !ok {
		return w, nil, snag.Refuse("bad_operation", "a change says one thing to do")
	}
	now := w.Clone()
	d := &changing{Weave: &now, tracks: tracks, newID: newID}
	if err := what.apply(d); err != nil {
		return w, nil, err
	}
	layouts := map[string]audio.Layout{}
	for _, t := range tracks {
		layouts[t.ID] = t.Layout
	}
	if err := now.Check(layouts); err != nil {
		return w, nil, err
	}
	return now, d.lost, nil
}

func (d *changing) bus(id string) (int, error) {
	i := slices.IndexFunc(d.Buses, func(b Bus) bool { return b.ID == id })
	if i < 0 {
		return 0, snag.Refuse("no_such_stem", "there is no bus %q in this weave any more", id)
	}
	return i, nil
}

// freeName is a bus's name that no other has.
func (d *changing) freeName(name string) error {
	if slices.ContainsFunc(d.Buses, func(b Bus) bool { return b.Name == name }) {
		return snag.Refuse("bad_stem", "there is a bus %s already", name)
	}
	return nil
}

// AddBus puts a bus at a place in the order (the end where none is given). What feeds it is given for a mix.
type AddBus struct {
	Bus     Bus      `json:"bus"`
	Index   *int     `json:"index,omitempty"`
	Members []Member `json:"members,omitempty"`
}

func (o *AddBus) apply(d *changing) error {
	b := o.Bus
	if b.Name = strings.TrimSpace(b.Name); b.ID == "" {
		b.ID = d.newID()
	}
	if err := d.freeName(b.Name); err != nil {
		return err
	}
	if of, ok := d.Bus(b.Of); b.Role == Part && ok {
		if b.Layout == "" {
			b.Layout = of.Layout
		}
		way, ok := Way(b.Channels(), of.Channels(), d.Law)
		if !ok {
			return misfit(b.Channels(), of.Channels(), "a part is as wide as its stem, or has a way into it")
		}
		d.Sends[b.ID] = []Send{{To: of.ID, Patch: way}}
	}
	if b.Role == Mix && b.Layout == "" {
		b.Layout = d.widest(o.Members)
	}
	if _, err := audio.ParseLayout(b.Layout); err != nil {
		return snag.Refuse("bad_stem", "%s: %w", b.Name, err)
	}
	at := len(d.Buses)
	if o.Index != nil {
		at = max(0, min(at, *o.Index))
	}
	d.Buses = slices.Insert(d.Buses, at, b)
	if len(o.Members) > 0 {
		return (&SetMembers{ID: b.ID, Members: o.Members}).apply(d)
	}
	return nil
}

// SetBus changes what is given of a bus. With another layout every way into it and out of it, and every output, keeps its
// place where it still has one.
type SetBus struct {
	ID       string  `json:"id"`
	Name     *string `json:"name,omitempty"`
	Kind     *string `json:"kind,omitempty"`
	Language *string `json:"language,omitempty"`
	Colour   *string `json:"colour,omitempty"`
	Layout   *string `json:"layout,omitempty"`
	// Level is its gain; one at rest at 0 dB takes it away.
	Level *Level `json:"level,omitempty"`
}

func (o *SetBus) apply(d *changing) error {
	i, err := d.bus(o.ID)
	if err != nil {
		return err
	}
	b := &d.Buses[i]
	if o.Name != nil && strings.TrimSpace(*o.Name) != b.Name {
		name := strings.TrimSpace(*o.Name)
		if err := d.freeName(name); err != nil {
			return err
		}
		// Outputs that are named after it go along.
		for k, out := range d.Outputs {
			if rest, after := strings.CutPrefix(out.Name, b.Name+" "); after && out.Bus == b.ID {
				d.Outputs[k].Name = d.freeOutput(name+" "+rest, k)
			}
		}
		b.Name = name
	}
	for _, v := range []struct{ from, to *string }{{o.Kind, &b.Kind}, {o.Language, &b.Language}, {o.Colour, &b.Colour}} {
		if v.from != nil {
			*v.to = strings.TrimSpace(*v.from)
		}
	}
	if o.Level != nil {
		d.level(o.ID, *o.Level)
	}
	if o.Layout != nil && *o.Layout != b.Layout {
		return d.relayout(i, *o.Layout)
	}
	return nil
}

// level gives a bus a gain, and what it is treated by.
func (d *changing) level(id string, l Level) {
	if l.Equal(Level{}) {
		delete(d.Levels, id)
		return
	}
	if d.Levels == nil {
		d.Levels = map[string]Level{}
	}
	d.Levels[id] = l
}

// widest is the layout that has room for all members of a mix: the bed among theirs with the most speakers, stereo at least.
func (d *changing) widest(members []Member) string {
	name, most := "stereo", 2
	for _, m := range members {
		if b, ok := d.Bus(m.Bus); ok && b.Channels().Kind == audio.Bed && b.Channels().Count > most {
			name, most = b.Layout, b.Channels().Count
		}
	}
	return name
}

// relayout gives a bus another layout.
func (d *changing) relayout(i int, layout string) error {
	to, err := audio.ParseLayout(layout)
	if err != nil {
		return snag.Refuse("bad_stem", "%w", err)
	}
	b := &d.Buses[i]
	was := b.Channels()
	b.Layout = layout
	refit := func(from string, of, into audio.Layout, name string, s Send) (Send, bool) {
		if _, err := s.Patch.Between(of, into); err == nil {
			return s, true
		}
		way, ok := Way(of, into, d.Law)
		if ok {
			s.Patch = way
			return s, true
		}
		d.lost = append(d.lost, fmt.Sprintf("%s is not sent to %s any more: choose how its %s enters %s", name, d.nameOf(s.To), of.Name, into.Name))
		return s, false
	}
	for id, sends := range d.Sends {
		from, name := d.layoutOf(id)
		kept := []Send{}
		for _, s := range sends {
			if s.To != b.ID && id != b.ID {
				kept = append(kept, s)
				continue
			}
			into := to
			if id == b.ID {
				from = to
				target, _ := d.Bus(s.To)
				into = target.Channels()
			}
			if s, ok := refit(id, from, into, name, s); ok {
				kept = append(kept, s)
			}
		}
		if d.Sends[id] = kept; len(kept) == 0 {
			delete(d.Sends, id)
		}
	}
	for k, o := range d.Outputs {
		if o.Bus != b.ID {
			continue
		}
		name := was.Channel(o.Channel)
		c := slices.Index(to.Channels(), name)
		switch {
		case c < 0 && to.Kind != audio.Bed && was.Kind == to.Kind && o.Channel < to.Count:
			c = o.Channel
		case c < 0 && to.Count == 1 && was.Count == 2: // all that there is, on both sides that carried it
			c = 0
		case c < 0 && was.Count == 1: // one channel goes on as the left
			c = max(0, to.Index("L"))
		}
		if c < 0 {
			d.lost = append(d.lost, fmt.Sprintf("output %d (%s) carries silence: %s has no %s", k+1, o.Name, to.Name, name))
			d.Outputs[k].Bus, d.Outputs[k].Channel = "", 0
			continue
		}
		d.Outputs[k].Channel = c
	}
	slices.Sort(d.lost)
	return nil
}

func (d *changing) nameOf(id string) string {
	b, _ := d.Bus(id)
	return b.Name
}

func (d *changing) layoutOf(id string) (audio.Layout, string) {
	if b, ok := d.Bus(id); ok {
		return b.Channels(), b.Name
	}
	for _, t := range d.tracks {
		if t.ID == id {
			return t.Layout, t.Label
		}
	}
	return audio.Layout{}, id
}

// RemoveBus takes a bus out, with its parts, all that is sent into it and from it; its outputs carry silence.
type RemoveBus struct {
	ID string `json:"id"`
}

func (o *RemoveBus) apply(d *changing) error {
	if _, err := d.bus(o.ID); err != nil {
		return err
	}
	gone := map[string]bool{o.ID: true}
	for _, b := range d.Buses {
		if b.Of == o.ID {
			gone[b.ID] = true
		}
	}
	for id, sends := range d.Sends {
		_, name := d.layoutOf(id)
		kept := slices.DeleteFunc(slices.Clone(sends), func(s Send) bool { return gone[s.To] })
		if len(kept) < len(sends) && !gone[id] {
			d.lost = append(d.lost, name+" is not sent to "+d.nameOf(o.ID)+" any more")
		}
		if d.Sends[id] = kept; len(kept) == 0 || gone[id] {
			delete(d.Sends, id)
		}
	}
	for k, out := range d.Outputs {
		if gone[out.Bus] {
			d.lost = append(d.lost, fmt.Sprintf("output %d (%s) carries silence", k+1, out.Name))
			d.Outputs[k].Bus, d.Outputs[k].Channel = "", 0
		}
	}
	d.withoutBuses(gone)
	d.Buses = slices.DeleteFunc(d.Buses, func(b Bus) bool { return gone[b.ID] })
	maps.DeleteFunc(d.Levels, func(id string, _ Level) bool { return gone[id] })
	slices.Sort(d.lost)
	return nil
}

// MoveBus puts a bus at another place in the order.
type MoveBus struct {
	ID    string `json:"id"`
	Index int    `json:"index"`
}

func (o *MoveBus) apply(d *changing) error {
	i, err := d.bus(o.ID)
	if err != nil {
		return err
	}
	b := d.Buses[i]
	d.Buses = slices.Delete(d.Buses, i, i+1)
	d.Buses = slices.Insert(d.Buses, max(0, min(len(d.Buses), o.Index)), b)
	return nil
}

// Member is a bus that a mix is made of, with its gain in it.
type Member struct {
	Bus    string  `json:"bus"`
	GainDB float64 `json:"gain_db"`
}

// SetMembers says of which buses a mix is the sum, in place of those it was of. Members that stay keep how they enter.
type SetMembers struct {
	ID      string   `json:"id"`
	Members []Member `json:"members"`
}

func (o *SetMembers) apply(d *changing) error {
	i, err := d.bus(o.ID)
	if err != nil {
		return err
	}
	mix := d.Buses[i]
	want := map[string]float64{}
	for _, m := range o.Members {
		if _, err := d.bus(m.Bus); err != nil {
			return err
		}
		want[m.Bus] = m.GainDB
	}
	for _, b := range d.Buses {
		gain, member := want[b.ID]
		sends := slices.Clone(d.Sends[b.ID])
		k := slices.IndexFunc(sends, func(s Send) bool { return s.To == o.ID })
		switch {
		case member && k >= 0:
			sends[k].GainDB = gain
		case member:
			way, ok := Way(b.Channels(), mix.Channels(), d.Law)
			if !ok {
				return misfit(b.Channels(), mix.Channels(), "choose how "+b.Name+" enters "+mix.Name)
			}
			sends = append(sends, Send{To: o.ID, GainDB: gain, Patch: way})
		case k >= 0:
			sends = slices.Delete(sends, k, k+1)
		}
		if d.Sends[b.ID] = sends; len(sends) == 0 {
			delete(d.Sends, b.ID)
		}
	}
	return nil
}

// SetLevels gives buses gains, as one change: such as one gain curve for all stems of a mix.
type SetLevels struct {
	Levels map[string]Level `json:"levels"`
}

func (o *SetLevels) apply(d *changing) error {
	for id, l := range o.Levels {
		if _, err := d.bus(id); err != nil {
			return err
		}
		d.level(id, l)
	}
	return nil
}

// Members are the buses that are sent into a bus, in the order of the buses.
func (w Weave) Members(id string) (out []Member) {
	for _, b := range w.Buses {
		for _, s := range w.Sends[b.ID] {
			if s.To == id {
				out = append(out, Member{b.ID, s.GainDB})
			}
		}
	}
	return out
}

// StemsOf are the stems that a mix is made of, by itself and through other mixes, in the order of the buses. Of a bus that
// is no mix it is the bus itself.
func (w Weave) StemsOf(id string) (out []string) {
	b, ok := w.Bus(id)
	if !ok {
		return nil
	}
	if b.Role != Mix {
		return []string{id}
	}
	for _, s := range w.Buses {
		if s.Role != Mix && s.Role != Part && w.Paths(s.ID, id) > 0 {
			out = append(out, s.ID)
		}
	}
	return out
}
