package weave

import (
	"fmt"
	"slices"
	"strings"

	"zestyloom/core/audio"
	"zestyloom/core/naming"
	"zestyloom/core/snag"
)

// freeOutput is a name that no output but number k (from 0, or -1) has.
func (d *changing) freeOutput(name string, k int) string {
	taken := func(n string) bool {
		for i, o := range d.Outputs {
			if i != k && o.Name == n {
				return true
			}
		}
		return false
	}
	out := name
	for n := 2; taken(out); n++ {
		out = fmt.Sprintf("%s %d", name, n)
	}
	return out
}

func (d *changing) place(at, count int) error {
	if at < 0 || count < 1 || at > len(d.Outputs) || count > len(d.Outputs)-at {
		return snag.Refuse("bad_output", "outputs %d to %d: there are %d", at+1, at+count, len(d.Outputs))
	}
	return nil
}

// InsertOutputs puts in outputs for all channels of a bus, as a group, or so many that carry silence.
type InsertOutputs struct {
	At      int    `json:"at"`
	Bus     string `json:"bus,omitempty"`
	Silence int    `json:"silence,omitempty"`
}

func (o *InsertOutputs) apply(d *changing) error {
	if o.At < 0 || o.At > len(d.Outputs) {
		return snag.Refuse("bad_output", "there is no place %d among %d outputs", o.At+1, len(d.Outputs))
	}
	// In the midst of a group it would be torn: then the group is none any more.
	var fresh []Output
	if o.Bus == "" {
		if o.Silence < 1 || o.Silence > MaxOutputs {
			return snag.Refuse("bad_width", "1 to %d outputs can be put in, not %d", MaxOutputs, o.Silence)
		}
		for range o.Silence {
			fresh = append(fresh, Output{})
		}
	} else {
		i, err := d.bus(o.Bus)
		if err != nil {
			return err
		}
		b := d.Buses[i]
		group := ""
		if b.Channels().Count > 1 {
			group = d.newID()
			d.Groups = append(d.Groups, Group{ID: group, Layout: b.Layout})
		}
		for c := range b.Channels().Count {
			fresh = append(fresh, Output{Bus: b.ID, Channel: c, Group: group})
		}
	}
	d.Outputs = slices.Insert(d.Outputs, o.At, fresh...)
	for k := o.At; k < o.At+len(fresh); k++ {
		name := fmt.Sprintf("Out %d", k+1)
		if b, ok := d.Bus(d.Outputs[k].Bus); ok {
			if name = b.Name; b.Channels().Count > 1 {
				name += " " + b.Channels().Channel(d.Outputs[k].Channel)
			}
		}
		d.Outputs[k].Name = d.freeOutput(name, k)
	}
	d.regroup()
	return nil
}

// regroup drops groups that are torn.
func (d *changing) regroup() { d.Outputs, d.Groups = Regroup(d.Outputs, d.Groups) }

// RemoveOutputs takes outputs out.
type RemoveOutputs struct {
	At    int `json:"at"`
	Count int `json:"count"`
}

func (o *RemoveOutputs) apply(d *changing) error {
	if err := d.place(o.At, o.Count); err != nil {
		return err
	}
	if o.Count == len(d.Outputs) {
		return snag.Refuse("bad_width", "a master has at least one output")
	}
	for k := o.At; k < o.At+o.Count; k++ {
		d.lost = append(d.lost, fmt.Sprintf("output %d (%s) is no more", k+1, d.Outputs[k].Name))
	}
	d.Outputs = slices.Delete(d.Outputs, o.At, o.At+o.Count)
	d.regroup()
	return nil
}

// MoveOutputs puts outputs, one or several in a row, before the one that is at a place, counted without them.
type MoveOutputs struct {
	At    int `json:"at"`
	Count int `json:"count"`
	To    int `json:"to"`
}

func (o *MoveOutputs) apply(d *changing) error {
	if err := d.place(o.At, o.Count); err != nil {
		return err
	}
	moved := slices.Clone(d.Outputs[o.At : o.At+o.Count])
	d.Outputs = slices.Delete(d.Outputs, o.At, o.At+o.Count)
	if o.To < 0 || o.To > len(d.Outputs) {
		return snag.Refuse("bad_output", "there is no place %d among the other outputs", o.To+1)
	}
	d.Outputs = slices.Insert(d.Outputs, o.To, moved...)
	d.regroup()
	return nil
}

// SetOutput changes what is given of an output. A bus of "" is silence.
type SetOutput struct {
	At      int      `json:"at"`
	Name    *string  `json:"name,omitempty"`
	Bus     *string  `json:"bus,omitempty"`
	Channel *int     `json:"channel,omitempty"`
	TrimDB  *float64 `json:"trim_db,omitempty"`
	Invert  *bool    `json:"invert,omitempty"`
	Delay   *int     `json:"delay,omitempty"`
	Mute    *bool    `json:"mute,omitempty"`
}

func (o *SetOutput) apply(d *changing) error {
	if err := d.place(o.At, 1); err != nil {
		return err
	}
	out := &d.Outputs[o.At]
	if o.Name != nil {
		out.Name = strings.TrimSpace(*o.Name)
	}
	if o.Bus != nil {
		out.Bus, out.Channel = *o.Bus, 0
	}
	set(&out.Channel, o.Channel)
	set(&out.TrimDB, o.TrimDB)
	set(&out.Invert, o.Invert)
	set(&out.Delay, o.Delay)
	set(&out.Mute, o.Mute)
	return nil
}

func set[T any](to, from *T) {
	if from != nil {
		*to = *from
	}
}

// GroupOutputs makes a group of the outputs from a place on, as many as a layout has channels.
type GroupOutputs struct {
	At     int    `json:"at"`
	Layout string `json:"layout"`
}

func (o *GroupOutputs) apply(d *changing) error {
	l, err := audio.ParseLayout(o.Layout)
	if err != nil {
		return snag.Refuse("bad_group", "%w", err)
	}
	if err := d.place(o.At, l.Count); err != nil {
		return err
	}
	id := d.newID()
	d.Groups = append(d.Groups, Group{ID: id, Layout: o.Layout})
	for k := o.At; k < o.At+l.Count; k++ {
		d.Outputs[k].Group = id
	}
	d.regroup()
	return nil
}

// Ungroup lets the outputs of a group stand alone.
type Ungroup struct {
	Group string `json:"group"`
}

func (o *Ungroup) apply(d *changing) error {
	i := slices.IndexFunc(d.Groups, func(g Group) bool { return g.ID == o.Group })
	if i < 0 {
		return snag.Refuse("bad_group", "there is no group %q of outputs any more", o.Group)
	}
	d.Groups = slices.Delete(slices.Clone(d.Groups), i, i+1)
	for k := range d.Outputs {
		if d.Outputs[k].Group == o.Group {
			d.Outputs[k].Group = ""
		}
	}
	return nil
}

// OrderGroup puts the outputs of a group into another order of their speakers, by a name or by the speakers: see
// audio.ParseOrder.
type OrderGroup struct {
	Group string `json:"group"`
	Order string `json:"order"`
}

func (o *OrderGroup) apply(d *changing) error {
	first, n := -1, 0
	for k, out := range d.Outputs {
		if out.Group == o.Group && o.Group != "" {
			if first < 0 {
				first = k
			}
			n++
		}
	}
	if first < 0 {
		return snag.Refuse("bad_group", "there is no group %q of outputs any more", o.Group)
	}
	order, err := audio.ParseOrder(o.Order, n)
	if err != nil {
		return snag.Refuse("bad_order", "%w", err)
	}
	was := slices.Clone(d.Outputs[first : first+n])
	speaker := func(out Output) audio.Speaker {
		b, ok := d.Bus(out.Bus)
		if !ok || b.Channels().Kind != audio.Bed {
			return ""
		}
		return b.Channels().Speakers[out.Channel]
	}
	for i, s := range order {
		k := slices.IndexFunc(was, func(out Output) bool { return speaker(out) == s })
		if k < 0 {
			return snag.Refuse("bad_order", "none of the outputs of the group is fed by a %s: it can't be put in the order %s", s, audio.NameOrder(order))
		}
		d.Outputs[first+i] = was[k]
	}
	layout, err := audio.InOrder(order)
	if err != nil {
		return snag.Refuse("bad_order", "%w", err)
	}
	for k := range d.Groups {
		if d.Groups[k].ID == o.Group {
			d.Groups[k].Layout = layout.Name
		}
	}
	return nil
}

// NameFields are those that a rule for the names of outputs may have.
var NameFields = []string{"bus", "channel", "number", "kind", "language"}

// NameOutputs names outputs by a rule, such as "{bus} {channel}"; all of them where Count is 0.
type NameOutputs struct {
	At    int    `json:"at"`
	Count int    `json:"count"`
	Rule  string `json:"rule"`
}

func (o *NameOutputs) apply(d *changing) error {
	at, count := o.At, o.Count
	if count == 0 {
		at, count = 0, len(d.Outputs)
	}
	if err := d.place(at, count); err != nil {
		return err
	}
	if err := naming.Check(o.Rule, NameFields); err != nil {
		return snag.Refuse("bad_pattern", "%w", err)
	}
	for k := at; k < at+count; k++ {
		out := &d.Outputs[k]
		fields := map[string]string{"bus": "", "channel": "", "number": fmt.Sprint(k + 1), "kind": "", "language": ""}
		if b, ok := d.Bus(out.Bus); ok {
			fields["bus"], fields["channel"], fields["kind"], fields["language"] = b.Name, b.Channels().Channel(out.Channel), b.Kind, b.Language
		} else {
			fields["bus"] = "silence"
		}
		name := o.Rule
		for f, v := range fields {
			name = strings.ReplaceAll(name, "{"+f+"}", v)
		}
		out.Name = fmt.Sprint("\x00", k) // out of the others' way
		out.Name = d.freeOutput(strings.Join(strings.Fields(name), " "), k)
	}
	return nil
}

// SetWay says how tracks enter the bus that they are sent to first.
type SetWay struct {
	Tracks []string `json:"tracks"`
	// Way is "both" (mono on both sides, 0 dB), "both_minus" (-3 dB), "left", "right", "split" (the first to the left, the
	// second to the right, and so on: pairs of two mono tracks) or "centre".
	Way string `json:"way"`
}

func (o *SetWay) apply(d *changing) error {
	if len(o.Tracks) == 0 {
		return snag.Refuse("nothing_chosen", "choose a track first")
	}
	if o.Way == "split" && len(o.Tracks)%2 != 0 {
		return snag.Refuse("bad_position", "pairs are made of two mono tracks each: %d are chosen", len(o.Tracks))
	}
	for i, id := range o.Tracks {
		sends := slices.Clone(d.Sends[id])
		_, name := d.layoutOf(id)
		if len(sends) == 0 {
			return snag.Refuse("no_such_route", "%s is sent to no stem", name)
		}
		preset := Preset(o.Way)
		if o.Way == "split" {
			preset = []Preset{Left, Right}[i%2]
		}
		sends[0].Patch = Patch{Preset: preset}
		d.Sends[id] = sends
	}
	return nil
}
