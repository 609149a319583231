package weave

import (
	"encoding/json"
	"fmt"
	"slices"
	"strings"

	"zestyloom/core/audio"
	"zestyloom/core/snag"
	"zestyloom/core/take"
)

// TemplateFormat is the version of the JSON that templates are written in.
const TemplateFormat = 1

// Template is a weave under a name, to be used in any reel: buses, what they are sent into, outputs and groups, and by
// which label or kind tracks find their way.
type Template struct {
	Format      int    `json:"format"`
	Name        string `json:"name"`
	Description string `json:"description"`
	Weave       Weave  `json:"weave"` // without tracks
	// Routes are the ways of tracks, by their labels.
	Routes []LabelRoute `json:"routes,omitempty"`
	// PerTrack gives every track a bus and outputs of its own, under its label.
	PerTrack bool `json:"per_track,omitempty"`
}

// LabelRoute is the way of tracks of a label.
type LabelRoute struct {
	Label string `json:"label"`
	Sends []Send `json:"sends"`
}

// ParseTemplate reads a template from JSON, and refuses what is none.
func ParseTemplate(b []byte) (Template, error) {
	var t Template
	if err := json.Unmarshal(b, &t); err != nil {
		return t, snag.Refuse("bad_template", "this is no template of a weave: %w", err)
	}
	return t, t.Check()
}

// Check refuses a template that can't be used.
func (t Template) Check() error {
	switch {
	case t.Format != TemplateFormat:
		return snag.Refuse("bad_template", "a template of format %d: this program reads format %d", t.Format, TemplateFormat)
	case strings.TrimSpace(t.Name) == "" || len(t.Name) > 200 || len(t.Description) > 2000:
		return snag.Refuse("bad_template", "a template needs a name of at most 200 letters, and a description of at most 2000")
	case len(t.Weave.Buses) == 0 && !t.PerTrack:
		return snag.Refuse("bad_template", "template %s has no buses", t.Name)
	}
	if err := t.Weave.Check(nil); err != nil {
		return snag.Refuse("bad_template", "template %s: %w", t.Name, err)
	}
	for _, r := range t.Routes {
		for _, s := range r.Sends {
			if _, ok := t.Weave.Bus(s.To); !ok {
				return snag.Refuse("bad_template", "template %s sends %s to a bus %q that it has not", t.Name, r.Label, s.To)
			}
		}
	}
	return nil
}

// TemplateOf is a reel's weave as a template. Tracks are remembered by their labels.
func (w Weave) TemplateOf(name, description string, tracks []Track) Template {
	t := Template{Format: TemplateFormat, Name: name, Description: description, Weave: w.Clone()}
	t.Weave.Corrections = nil // they are of this reel's sound
	seen := map[string]bool{}
	for _, track := range tracks {
		sends := t.Weave.Sends[track.ID]
		delete(t.Weave.Sends, track.ID)
		if label := strings.ToLower(strings.TrimSpace(track.Label)); len(sends) > 0 && label != "" && !seen[label] {
			seen[label] = true
			t.Routes = append(t.Routes, LabelRoute{track.Label, sends})
		}
	}
	return t
}

// Use gives a reel the weave of a template. Tracks go where their label is sent in it, else into the bus that has the name,
// the kind or the language of the one they were in, as they entered that where it can be.
type Use struct {
	Template Template `json:"template"`
}

func (o *Use) apply(d *changing) error {
	t := o.Template
	if err := t.Check(); err != nil {
		return err
	}
	was := d.Clone()
	now := t.Weave.Clone()
	// Buses that are there already under the same name and role stay the same ones.
	ids := map[string]string{}
	for i, b := range now.Buses {
		id := d.newID()
		if k := slices.IndexFunc(was.Buses, func(o Bus) bool { return o.Role == b.Role && o.Name == b.Name }); k >= 0 {
			id = was.Buses[k].ID
		}
		ids[b.ID] = id
		now.Buses[i].ID = id
	}
	mapped := func(sends []Send) []Send {
		out := slices.Clone(sends)
		for i := range out {
			out[i].To = ids[out[i].To]
		}
		return out
	}
	levels := map[string]Level{}
	for id, l := range now.Levels {
		levels[ids[id]] = Level{GainDB: l.GainDB, Treat: l.Treat}
	}
	now.Levels, now.Corrections = levels, nil
	for i, b := range now.Buses {
		if b.Of != "" {
			now.Buses[i].Of = ids[b.Of]
		}
	}
	sends := map[string][]Send{}
	for id, s := range now.Sends {
		sends[ids[id]] = mapped(s)
	}
	now.Sends = sends
	for i, out := range now.Outputs {
		now.Outputs[i].Bus = ids[out.Bus]
	}
	// Corrections of buses that stay go on, and say that the sound has changed.
	for _, c := range was.Corrections {
		there := func(id string) bool { _, ok := now.Bus(id); return ok }
		if there(c.Bus) && !slices.ContainsFunc(c.Buses, func(id string) bool { return !there(id) }) {
			now.Corrections = append(now.Corrections, c)
		} else {
			d.lost = append(d.lost, "the correction of "+d.nameOf(c.Bus))
		}
	}
	*d.Weave = now
	if t.PerTrack {
		d.perTrack()
		return nil
	}
	for i, track := range d.tracks {
		if kind := take.StemKind(track.Label); kind != "" {
			d.tracks[i].Kind, d.tracks[i].Language = kind, take.Language(track.Label)
		}
		d.reroute(d.tracks[i], was, t, mapped)
	}
	d.apart()
	return nil
}

// apart takes out of a voice-over stem what it would sum in more than one language: which of them it is to carry is asked.
func (d *changing) apart() {
	for _, b := range d.Buses {
		if b.Role != Stem || b.Kind != "VO" {
			continue
		}
		spoken := map[string]bool{}
		for _, t := range d.tracks {
			if s, ok := d.Send(t.ID); ok && s.To == b.ID && t.Language != "" {
				spoken[t.Language] = true
			}
		}
		if len(spoken) < 2 {
			continue
		}
		for _, t := range d.tracks {
			if s, ok := d.Send(t.ID); ok && s.To == b.ID && t.Language != "" && t.Language != b.Language {
				delete(d.Sends, t.ID)
				d.lost = append(d.lost, fmt.Sprintf("%s has no place: %s would carry %d languages at once", t.Label, b.Name, len(spoken)))
			}
		}
	}
}

// perTrack gives every track a bus and outputs of its own.
func (d *changing) perTrack() {
	for i, t := range d.tracks {
		name := t.Label
		if name == "" {
			name = fmt.Sprint("Track ", i+1)
		}
		if len(name) > 40 {
			name = strings.ToValidUTF8(name[:40], "")
		}
		free := name
		for n := 2; d.freeName(free) != nil; n++ {
			free = fmt.Sprint(name, " ", n)
		}
		b := Bus{ID: d.newID(), Name: free, Role: Stem, Kind: "DX", Layout: t.Layout.Name}
		d.Buses = append(d.Buses, b)
		d.Sends[t.ID] = []Send{{To: b.ID}}
		if len(d.Outputs)+t.Layout.Count > MaxOutputs {
			d.lost = append(d.lost, free+" is on no output: there are at most "+fmt.Sprint(MaxOutputs))
			continue
		}
		_ = (&InsertOutputs{At: len(d.Outputs), Bus: b.ID}).apply(d) // its place is the end
	}
}

// reroute finds a track its way in the template's weave.
func (d *changing) reroute(track Track, was Weave, t Template, mapped func([]Send) []Send) {
	label := strings.ToLower(strings.TrimSpace(track.Label))
	for _, r := range t.Routes {
		if strings.ToLower(strings.TrimSpace(r.Label)) != label {
			continue
		}
		if sends := mapped(r.Sends); d.CheckSends(track.Layout, sends) == nil {
			d.Sends[track.ID] = sends
			return
		}
	}
	last := was.chosen(track)
	stem, sent := was.StemOf(track.ID)
	kind := stem.Kind
	if kind == "" {
		kind = track.Kind
	}
	if !sent && kind == "" {
		return
	}
	stem.Kind, stem.Role = kind, Stem
	if !sent {
		stem.Name = strings.TrimSpace(track.Label)
	}
	if stem.Language == "" {
		stem.Language = track.Language
	}
	to, ok := d.Alike(stem)
	if !ok {
		d.lost = append(d.lost, fmt.Sprintf("%s has no place: no stem of the template is %s", track.Label, strings.TrimSpace(stem.Name+" ("+kind+")")))
		return
	}
	s, ok := d.Route(track.Layout, to, track.Place, last)
	if !ok {
		d.lost = append(d.lost, fmt.Sprintf("%s has no place: choose how its %s enters %s", track.Label, track.Layout.Name, to.Name))
		return
	}
	d.Sends[track.ID] = []Send{s}
}

// Alike is the bus that is most like one of another weave: of the same role by its name, a stem also by kind and language, or
// by kind. Speech of a language goes into no stem of another; speech that doesn't say which goes where there is but one stem
// of its kind. A narration is not dialogue: what has no stem of its own has none.
func (w Weave) Alike(b Bus) (Bus, bool) {
	stem := b.Role == Stem && b.Kind != ""
	for _, same := range []func(o Bus) bool{
		func(o Bus) bool { return b.Name != "" && o.Name == b.Name },
		func(o Bus) bool { return stem && o.Kind == b.Kind && o.Language == b.Language },
		func(o Bus) bool { return stem && o.Kind == b.Kind && o.Language == "" },
		func(o Bus) bool { return stem && o.Kind == b.Kind && b.Language == "" && w.only(o) },
		func(o Bus) bool { return stem && o.Kind == b.Kind && sameTongue(o.Language, b.Language) },
	} {
		for _, o := range w.Buses {
			if o.Role == b.Role && same(o) {
				return o, true
			}
		}
	}
	return Bus{}, false
}

// only reports whether a stem is the only one of its kind.
func (w Weave) only(b Bus) bool {
	n := 0
	for _, o := range w.Buses {
		if o.Role == Stem && o.Kind == b.Kind {
			n++
		}
	}
	return n == 1
}

// sameTongue reports whether two BCP 47 tags are of one language, whatever the region.
func sameTongue(a, b string) bool {
	x, _, _ := strings.Cut(a, "-")
	y, _, _ := strings.Cut(b, "-")
	return a != "" && strings.EqualFold(x, y)
}

// Row is one line of what a change would do.
type Row struct {
	What  string `json:"what"` // bus, track or output
	Name  string `json:"name"`
	State string `json:"state"` // kept, changed, added, gone, or without a place
	Says  string `json:"says"`
}

// Compare says row by row what is different between two weaves: buses, the ways of tracks, outputs.
func Compare(was, now Weave, tracks []Track) []Row {
	rows := []Row{}
	row := func(what, name, state, says string) { rows = append(rows, Row{what, name, state, says}) }
	for _, b := range now.Buses {
		o, there := was.Bus(b.ID)
		switch {
		case !there:
			row("bus", b.Name, "added", string(b.Role)+", "+b.Layout)
		case o != b:
			row("bus", b.Name, "changed", string(b.Role)+", "+o.Layout+" to "+b.Layout)
		default:
			row("bus", b.Name, "kept", string(b.Role)+", "+b.Layout)
		}
	}
	for _, b := range was.Buses {
		if _, there := now.Bus(b.ID); !there {
			row("bus", b.Name, "gone", string(b.Role)+", "+b.Layout)
		}
	}
	for _, t := range tracks {
		before, after := was.Ways(t), now.Ways(t)
		switch {
		case before == after:
			row("track", t.Label, "kept", after)
		case len(now.Sends[t.ID]) == 0:
			row("track", t.Label, "without a place", "was: "+before)
		case len(was.Sends[t.ID]) == 0:
			row("track", t.Label, "added", after)
		default:
			row("track", t.Label, "changed", before+", now: "+after)
		}
	}
	fed := func(w Weave, o Output) string {
		b, ok := w.Bus(o.Bus)
		if !ok {
			return "silence"
		}
		return b.Name + " " + b.Channels().Channel(o.Channel)
	}
	for i, o := range now.Outputs {
		name := fmt.Sprintf("%d %s", i+1, o.Name)
		if i >= len(was.Outputs) {
			row("output", name, "added", fed(now, o))
			continue
		}
		if p := was.Outputs[i]; p.Name == o.Name && fed(was, p) == fed(now, o) {
			row("output", name, "kept", fed(now, o))
		} else {
			row("output", name, "changed", fmt.Sprintf("%s (%s), now: %s", p.Name, fed(was, p), fed(now, o)))
		}
	}
	for i := len(now.Outputs); i < len(was.Outputs); i++ {
		row("output", fmt.Sprintf("%d %s", i+1, was.Outputs[i].Name), "gone", fed(was, was.Outputs[i]))
	}
	return rows
}

// Ways says in words where a track is sent and how.
func (w Weave) Ways(t Track) string {
	var parts []string
	for _, s := range w.Sends[t.ID] {
		b, _ := w.Bus(s.To)
		part := b.Name
		if says := s.Patch.Says(t.Layout, b.Channels()); says != "" {
			part += ", " + says
		}
		if s.GainDB != 0 {
			part += fmt.Sprintf(", %+.1f dB", s.GainDB)
		}
		if len(s.Gain) > 0 {
			part += ", its gain moves"
		}
		parts = append(parts, part)
	}
	if len(parts) == 0 {
		return "sent nowhere"
	}
	return strings.Join(parts, "; ")
}

// Says is a patch in words, with its law in dB; empty where there is nothing to say.
func (p Patch) Says(from, to audio.Layout) string {
	switch p.Preset {
	case Plain:
		if from.Count == 1 {
			return ""
		}
		return "as it is"
	case Both:
		return "mono on both sides, 0 dB"
	case BothMinus:
		return "mono on both sides, -3 dB"
	case Left:
		return "left only, 0 dB"
	case Right:
		return "right only, 0 dB"
	case Centre:
		return "centre only, 0 dB"
	case Pan:
		if len(p.Moving) > 0 {
			return fmt.Sprintf("moving between left and right, %g dB in the middle", p.Law)
		}
		return fmt.Sprintf("%s, %g dB in the middle", sideways(p.Position), p.Law)
	case Exchanged:
		return "sides exchanged"
	case MidSide:
		return "mid and side decoded"
	case BySpeaker:
		return "each channel to its own speaker"
	case Balance:
		width := 1.0
		if p.Width != nil {
			width = *p.Width
		}
		return fmt.Sprintf("balance %s, %.0f %% wide", sideways(p.Position), 100*width)
	case Summed:
		return fmt.Sprintf("summed, each channel at %g dB", p.Law)
	case Placed:
		var at []string
		for _, place := range p.Places {
			if place.moves() {
				at = append(at, "moving")
				continue
			}
			at = append(at, fmt.Sprintf("%g°", place.Azimuth))
		}
		return "placed at " + strings.Join(at, ", ")
	case Folded:
		if f, err := FoldDown(from, to, p.LFE); err == nil {
			return "folded down: " + f.Says
		}
	case Field:
		return p.fieldSays(from, to)
	case Decoded:
		if d, err := p.decoded(from, to); err == nil {
			return d.Says
		}
	case Encoded:
		if p.Spread != nil && *p.Spread > 0 {
			return fmt.Sprintf("encoded where its speakers stand, each spread over %g°, LFE left out", *p.Spread)
		}
		return "encoded where its speakers stand, LFE left out"
	case Custom:
		if p.Name != "" {
			return "by the matrix " + p.Name
		}
		return "by a matrix"
	}
	return string(p.Preset)
}

func sideways(at float64) string {
	switch {
	case at == 0:
		return "in the middle"
	case at < 0:
		return fmt.Sprintf("%.0f %% left", -100*at)
	}
	return fmt.Sprintf("%.0f %% right", 100*at)
}
