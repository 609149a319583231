package delivery

import (
	"fmt"
	"maps"
	"slices"
	"strings"

	"zestyloom/core/audio"
	"zestyloom/core/reel"
	"zestyloom/core/weave"
)

// draft is a file before its channels are put in order and it has a name.
type draft struct {
	fields fields
	groups []group
}

// fields are what name patterns are filled with.
type fields map[string]string

func (f fields) with(name, value string) fields {
	out := maps.Clone(f)
	out[name] = value
	return out
}

func sameName(a, b string) bool { return strings.EqualFold(strings.TrimSpace(a), strings.TrimSpace(b)) }

// drafts are the files that a rule makes of the reel.
func (p *Plan) drafts(rule FileRule) (out []draft) {
	w := p.Reel.Weave
	base := p.fields()
	arranged := func(g group) group {
		if rule.Layout != "" && g.layout.Name != rule.Layout {
			p.problem(true, "weave", "layout_differs", "%s is %s and the spec asks for %s", g.name, g.layout.Name, rule.Layout)
		}
		order, err := rule.order(g.layout)
		if err != nil {
			p.problem(true, "weave", "no_order", "%s is %s: %v", g.name, g.layout.Name, err)
			order, _ = FileRule{}.order(g.layout)
		}
		g.order = order
		return g
	}
	switch rule.Each {
	case EachNone:
		d := draft{fields: base}
		groups := p.named(rule)
		if len(rule.Groups) == 0 {
			groups = p.outputGroups()
		}
		for _, g := range groups {
			d.groups = append(d.groups, arranged(g))
		}
		if len(d.groups) == 0 {
			p.problem(true, "weave", "no_bus", "%s would hold nothing: there is nothing of what the spec asks for in it", rule.Name)
			return nil
		}
		if len(d.groups) == 1 {
			d.fields = d.fields.with("layout", d.groups[0].layout.Name).with("bus", d.groups[0].name).with("language", d.groups[0].bus.Language)
		}
		return []draft{d}
	case EachOutput:
		// Each is a file; together they are measured as the weave groups them.
		for i := range w.Outputs {
			g := group{layout: mono, channels: []Channel{p.output(i)}, order: []int{0}, name: w.Outputs[i].Name, alone: true}
			f := base.with("number", fmt.Sprintf("%02d", i+1)).with("output", w.Outputs[i].Name)
			if b, ok := w.Bus(w.Outputs[i].Bus); ok {
				f = p.busFields(f, b).with("speaker", g.channels[0].Speaker)
			}
			out = append(out, draft{f, []group{g}})
		}
		p.measureOutputs(len(p.Files))
		return out
	case EachGroup:
		for i, g := range p.outputGroups() {
			f := base.with("number", fmt.Sprintf("%02d", i+1)).with("output", g.name).with("layout", g.layout.Name)
			set := g.measured(w)
			if b, ok := w.Bus(set.Bus); ok {
				f = p.busFields(f, b)
			}
			out = append(out, draft{f, []group{arranged(g)}})
		}
		return out
	case EachTrack:
		labels := map[string]int{}
		wanted := p.wanted(func(id string) bool {
			return slices.ContainsFunc(p.Reel.Tracks, func(t reel.Track) bool { return t.ID == id })
		})
		for i, t := range p.Reel.Tracks {
			label := t.Label
			if label == "" {
				label = fmt.Sprint("Track ", i+1)
			}
			if labels[label]++; labels[label] > 1 {
				label = fmt.Sprintf("%s %d", label, labels[label])
			}
			if !wanted(t.ID) {
				continue
			}
			g := group{name: label, layout: t.Channels()}
			for c := range g.layout.Count {
				name := label
				if g.layout.Count > 1 {
					name += " " + g.layout.Channel(c)
				}
				g.channels = append(g.channels, Channel{Name: name, Speaker: speaker(g.layout, c), Output: -1, Number: c + 1, Signal: t.ID, Of: c})
			}
			f := base.with("number", fmt.Sprintf("%02d", i+1)).with("track", label).with("layout", g.layout.Name)
			if b, ok := w.StemOf(t.ID); ok {
				f = p.busFields(f, b)
			}
			out = append(out, draft{f, []group{arranged(g)}})
		}
		if len(out) == 0 {
			p.problem(true, "reel", "no_tracks", "the reel has no tracks, and the spec asks for a file each")
		}
		return out
	}
	role := map[Each]weave.Role{EachStem: weave.Stem, EachPart: weave.Part, EachMix: weave.Mix}[rule.Each]
	n := 0
	wanted := p.wanted(func(id string) bool {
		b, ok := w.Bus(id)
		return ok && b.Role == role
	})
	for _, b := range w.Buses {
		kind := b.Kind
		if of, ok := w.Bus(b.Of); ok && b.Role == weave.Part {
			kind = of.Kind
		}
		if b.Role != role || !wanted(b.ID) || len(rule.Kinds) > 0 && !slices.Contains(rule.Kinds, kind) {
			continue
		}
		n++
		g := busGroup(b)
		out = append(out, draft{p.busFields(base, b).with("number", fmt.Sprintf("%02d", n)).with("layout", g.layout.Name), []group{arranged(g)}})
	}
	if n == 0 {
		what := string(role)
		if len(rule.Kinds) > 0 {
			what += " of " + strings.Join(rule.Kinds, ", ")
		}
		p.problem(true, "weave", "no_bus", "the spec asks for a file for each %s, and the weave has none", what)
	}
	return out
}

// wanted says of which of a kind there are files or groups: those that the order names, or all where it names none of the kind.
func (p *Plan) wanted(kind func(id string) bool) func(id string) bool {
	some := slices.ContainsFunc(p.Order.Only, kind)
	return func(id string) bool { return !some || slices.Contains(p.Order.Only, id) }
}

// rest are the groups for each of what no other group of a file is.
func (p *Plan) rest(each Each, rule FileRule, others []group) (out []group) {
	buses, outputs := map[string]bool{}, map[int]bool{}
	for _, g := range others {
		buses[g.measured(p.Reel.Weave).Bus] = true
		for _, ch := range g.channels {
			outputs[ch.Output] = true
		}
	}
	delete(buses, "")
	delete(outputs, -1)
	problems := len(p.Problems)
	for _, d := range p.drafts(FileRule{Each: each, Order: rule.Order}) {
		g := d.groups[0]
		if !buses[g.measured(p.Reel.Weave).Bus] && !slices.ContainsFunc(g.channels, func(ch Channel) bool { return outputs[ch.Output] }) {
			out = append(out, g)
		}
	}
	if len(others) > 0 {
		// There may be none besides.
		p.Problems = p.Problems[:problems]
	}
	return out
}

// fields are those that all files have alike.
func (p *Plan) fields() fields {
	o := p.Order
	f := fields{}
	for _, name := range Fields {
		f[name] = ""
	}
	f["production"], f["episode"], f["reel"], f["spec"], f["date"] = o.Titles.Production, o.Titles.Episode, o.Titles.Reel, o.Spec.Name, strings.ReplaceAll(o.Date, "-", "")
	f["rate"] = fmt.Sprint(o.Spec.SampleRate)
	f["from"], f["to"] = p.digits(p.From), p.digits(p.To)
	f["version"] = fmt.Sprintf("v%d", max(1, o.Version))
	return f
}

// digits is the timecode of a sample of the reel, without what names can't have.
func (p *Plan) digits(at int64) string {
	return strings.Map(func(r rune) rune {
		if r < '0' || r > '9' {
			return -1
		}
		return r
	}, p.says(at))
}

// busFields says of a file which bus it is of.
func (p *Plan) busFields(f fields, b weave.Bus) fields {
	f = f.with("bus", b.Name).with("language", b.Language)
	switch b.Role {
	case weave.Stem:
		f["stem"] = b.Name
	case weave.Part:
		f["part"] = b.Name
		if of, ok := p.Reel.Weave.Bus(b.Of); ok {
			f["stem"] = of.Name
			if f["language"] == "" {
				f["language"] = of.Language
			}
		}
	}
	return f
}

func speaker(l audio.Layout, c int) string {
	if l.Kind != audio.Bed || l.Count == 1 {
		return ""
	}
	return string(l.Speakers[c])
}

func busGroup(b weave.Bus) group {
	g := group{name: b.Name, layout: b.Channels(), bus: b}
	for c := range g.layout.Count {
		name := b.Name
		if g.layout.Count > 1 {
			name += " " + g.layout.Channel(c)
		}
		g.channels = append(g.channels, Channel{Name: name, Speaker: speaker(g.layout, c), Output: -1, Number: c + 1, Signal: b.ID, Of: c})
	}
	return g
}

// output is an output as a channel.
func (p *Plan) output(i int) Channel {
	o := p.Reel.Weave.Outputs[i]
	ch := Channel{Name: o.Name, Output: i, Number: i + 1}
	if b, ok := p.Reel.Weave.Bus(o.Bus); ok {
		ch.Speaker = speaker(b.Channels(), o.Channel)
	}
	return ch
}

// outputGroups are the outputs as the weave groups them; those that stand alone are one of one.
func (p *Plan) outputGroups() (out []group) {
	w := p.Reel.Weave
	layouts := map[string]audio.Layout{}
	for _, g := range w.Groups {
		layouts[g.ID], _ = audio.ParseLayout(g.Layout)
	}
	for i := 0; i < len(w.Outputs); {
		o := w.Outputs[i]
		g := group{name: o.Name, layout: mono}
		if l, ok := layouts[o.Group]; ok && o.Group != "" && l.Count > 1 && i+l.Count <= len(w.Outputs) {
			g.layout, g.name = l, ""
		}
		var names []string
		for c := range g.layout.Count {
			ch := p.output(i + c)
			if ch.Speaker = speaker(g.layout, c); g.layout.Count == 1 {
				ch.Speaker = ""
			}
			g.channels = append(g.channels, ch)
			names = append(names, ch.Name)
		}
		if g.name == "" {
			g.name = shared(names)
		}
		i += g.layout.Count
		out = append(out, g)
	}
	return out
}

// shared is what the names of a group's outputs begin with, else all of them.
func shared(names []string) string {
	first := names[0]
	for _, n := range names[1:] {
		k := 0
		for k < len(first) && k < len(n) && first[k] == n[k] {
			k++
		}
		first = first[:k]
	}
	if first = strings.TrimRight(strings.ToValidUTF8(first, ""), " _-."); first != "" {
		return first
	}
	return strings.Join(names, " ")
}

// measureOutputs has outputs that become a file each, from file number first on, measured in their groups.
func (p *Plan) measureOutputs(first int) {
	for _, g := range p.outputGroups() {
		set := g.measured(p.Reel.Weave)
		for _, c := range g.channels {
			set.Places = append(set.Places, Place{first + c.Output, 0})
		}
		p.Sets = append(p.Sets, set)
	}
}

// named are the groups that a rule names.
func (p *Plan) named(rule FileRule) (out []group) {
	w := p.Reel.Weave
	number := 0
	for _, asked := range rule.Groups {
		if asked.Each != EachNone {
			out = append(out, group{each: asked.Each})
			continue
		}
		l, _ := audio.ParseLayout(asked.Layout) // checked
		g := group{name: asked.Name, layout: l, headLocked: asked.HeadLocked}
		if asked.Bus != "" {
			i := slices.IndexFunc(w.Buses, func(b weave.Bus) bool { return sameName(b.Name, asked.Bus) })
			switch {
			case i < 0:
				p.problem(true, "weave", "no_bus", "the spec asks for %s, and the weave has no bus of that name", asked.Bus)
			case w.Buses[i].Layout != l.Name && w.Buses[i].Channels().Count != l.Count:
				p.problem(true, "weave", "layout_differs", "%s is %s and the spec asks for %s", w.Buses[i].Name, w.Buses[i].Layout, l.Name)
			default:
				g = busGroup(w.Buses[i])
				g.headLocked = asked.HeadLocked
				if asked.Name != "" {
					g.name = asked.Name
				}
			}
		}
		for c := range l.Count {
			if asked.Bus != "" {
				break
			}
			i := slices.IndexFunc(w.Outputs, func(o weave.Output) bool { return sameName(o.Name, asked.Outputs[c]) })
			ch := Channel{Name: asked.Outputs[c], Output: -1}
			switch {
			case asked.Outputs[c] == "":
				ch.Name = "silence"
			case i < 0:
				p.problem(true, "weave", "no_output", "the spec asks for output %s, and the weave has none of that name", asked.Outputs[c])
			default:
				ch = p.output(i)
			}
			ch.Speaker = speaker(l, c)
			g.channels = append(g.channels, ch)
		}
		if len(g.channels) < l.Count { // a bus that is not there: silence, which the problem says
			g.channels = nil
			for c := range l.Count {
				g.channels = append(g.channels, Channel{Name: asked.Bus + " " + l.Channel(c), Speaker: speaker(l, c), Output: -1})
			}
		}
		if g.name == "" {
			var names []string
			for _, c := range g.channels {
				names = append(names, c.Name)
			}
			g.name = shared(names)
		}
		out = append(out, g)
	}
	// What stands for the rest is known once all others are.
	var all []group
	for _, g := range out {
		if g.each == EachNone {
			all = append(all, g)
			continue
		}
		all = append(all, p.rest(g.each, rule, slices.DeleteFunc(slices.Clone(out), func(o group) bool { return o.each != EachNone }))...)
	}
	for _, g := range all {
		for c := range g.channels {
			number++
			g.channels[c].Number = number
		}
	}
	return all
}
