package delivery

import (
	"bytes"
	"fmt"
	"math"
	"slices"
	"strings"

	"zestyloom/core/adm"
	"zestyloom/core/audio"
	"zestyloom/core/loudness"
	"zestyloom/core/source"
	"zestyloom/core/wave"
	"zestyloom/core/weave"
)

// describes reports whether a file of the plan has a description by the audio definition model in it.
func (p Plan) describes(f File) bool {
	return p.Order.Spec.Metadata.ADM && Containers[f.Container].Described
}

// scene is a file as the audio definition model describes it; left names the groups and channels that stand for no place there.
func (p Plan) scene(f File) (s adm.Scene, left []string) {
	s = adm.Scene{Programme: strings.TrimSpace(p.Order.Titles.Production + " " + p.Order.Titles.Reel), Rate: p.Rates.Files, Bits: f.coding().Bits(), Frames: p.Frames}
	first := 0
	for _, g := range f.Groups {
		channels := f.Channels[first : first+g.Count]
		l, err := audio.ParseLayout(g.Layout)
		if err == nil {
			if known, ok := audio.LayoutOf(l.Speakers); ok && l.Kind == audio.Bed { // in whatever order
				l = known
			}
			err = adm.Can(l)
		}
		e := adm.Element{Name: g.Name, Layout: l}
		for i := range l.Count {
			k := i
			if l.Kind == audio.Bed && l.Count > 1 { // the file may have them in another order
				if at := slices.IndexFunc(channels, func(c Channel) bool { return c.Speaker == string(l.Speakers[i]) }); at >= 0 {
					k = at
				}
			}
			e.Tracks = append(e.Tracks, first+k)
		}
		b, ok := p.busOf(channels)
		if e.Name == "" {
			e.Name = channels[0].Name
		}
		if ok {
			e.Content = p.content(b)
		}
		switch {
		case err != nil || l.Count != g.Count:
			left = append(left, e.Name)
		case slices.ContainsFunc(channels, func(c Channel) bool { return c.Signal != "" || c.Output >= 0 }):
			s.Elements = append(s.Elements, e)
		}
		first += g.Count
	}
	for _, c := range f.Channels[first:] {
		left = append(left, c.Name)
	}
	return s, left
}

// undescribed says of what files can't say where it stands.
func (p *Plan) undescribed() {
	for _, f := range p.Files {
		if !p.describes(f) {
			continue
		}
		if _, left := p.scene(f); len(left) > 0 {
			p.problem(false, "weave", "no_place", "%s says by the audio definition model where its channels stand, and of %s it can't: put them into a group of outputs with a layout of speakers, or a sound field", f.Name, strings.Join(left, ", "))
		}
	}
}

// busOf is the bus that all of some channels are of.
func (p Plan) busOf(channels []Channel) (weave.Bus, bool) {
	id := ""
	for _, c := range channels {
		of := c.Signal
		if of == "" && c.Output >= 0 && c.Output < len(p.Reel.Weave.Outputs) {
			of = p.Reel.Weave.Outputs[c.Output].Bus
		}
		if of == "" {
			continue
		}
		if id != "" && of != id {
			return weave.Bus{}, false
		}
		id = of
	}
	return p.Reel.Weave.Bus(id)
}

// content is what is heard in a bus: by the kind of a stem or of a part's; a mix is a complete one where speech is in it.
func (p Plan) content(b weave.Bus) adm.Content {
	w := p.Reel.Weave
	if b.Role == weave.Part {
		if stem, ok := w.Bus(b.Of); ok {
			b.Kind = stem.Kind
		}
	}
	if b.Role == weave.Mix {
		for _, from := range w.Buses {
			if from.Kind != "DX" && from.Kind != "VO" {
				continue
			}
			if slices.ContainsFunc(w.Sends[from.ID], func(s weave.Send) bool { return s.To == b.ID }) {
				return adm.Mix
			}
		}
		return adm.Mixed
	}
	return map[string]adm.Content{"DX": adm.Dialogue, "VO": adm.VoiceOver, "MX": adm.Music, "FX": adm.Effects}[b.Kind]
}

// chunks are those of the description, the text with room for loudness that is measured while it is written.
func (p Plan) chunks(f File) []wave.RawChunk {
	if !p.describes(f) {
		return nil
	}
	s, _ := p.scene(f)
	axml, chna, err := adm.Marshal(s)
	if err != nil {
		return nil // what can't be described was left out of the scene
	}
	if p.Order.Spec.Metadata.Loudness {
		if room, err := adm.Room(s); err == nil {
			axml = roomy(axml, room)
		}
	}
	return []wave.RawChunk{{ID: "chna", Data: chna}, {ID: "axml", Data: axml}}
}

// roomy is a text with spaces after it.
func roomy(text []byte, size int) []byte {
	return append(text, bytes.Repeat([]byte{' '}, max(0, size-len(text)))...)
}

// measuredText is the description with the loudness that was measured of each group of the file, as long as the one before.
func (p Plan) measuredText(f File, groups []*loudness.Result) ([]byte, error) {
	s := p.measuredScene(f, groups)
	room, err := adm.Room(s)
	if err != nil {
		return nil, err
	}
	axml, _, err := adm.Marshal(s)
	return roomy(axml, room), err
}

// measuredScene is a scene with the loudness of each group, and of the programme where it is one group.
func (p Plan) measuredScene(f File, groups []*loudness.Result) adm.Scene {
	s, _ := p.scene(f)
	first := 0
	for i, g := range f.Groups {
		for k, e := range s.Elements {
			if groups[i] != nil && len(e.Tracks) > 0 && e.Tracks[0] >= first && e.Tracks[0] < first+g.Count {
				s.Elements[k].Loudness = admLoudness(*groups[i])
			}
		}
		first += g.Count
	}
	if len(f.Groups) == 1 && groups[0] != nil {
		s.Loudness = admLoudness(*groups[0])
	}
	return s
}

// admLoudness is a measurement as the audio definition model has it.
func admLoudness(r loudness.Result) *adm.Loudness {
	l := &adm.Loudness{Integrated: r.Integrated, Range: r.Range, TruePeak: r.TruePeak.Value, Momentary: r.MaxMomentary.Value, ShortTerm: r.MaxShortTerm.Value}
	if !r.RangeKnown {
		l.Range = math.NaN()
	}
	return l
}

// describedLoudness compares the loudness that a description says with what was measured as the file was read.
func (fp *FileProof) describedLoudness(p Plan, f File, groups []*loudness.Result, src *source.Source) {
	found, err := src.Scene()
	if err != nil || found == nil {
		return // said already
	}
	want := p.measuredScene(f, groups)
	fp.check("loudness in the description (ADM)", loudnessSays(want), loudnessSays(*found))
}

// loudnessSays is what a scene says of loudness, in the hundredths that it is written in.
func loudnessSays(s adm.Scene) string {
	var out []string
	tell := func(name string, l *adm.Loudness) {
		if l == nil {
			return
		}
		says := name
		for _, v := range []float64{l.Integrated, l.Range, l.TruePeak, l.Momentary, l.ShortTerm} {
			if math.IsNaN(v) || math.IsInf(v, 0) {
				says += " -"
			} else {
				says += fmt.Sprintf(" %.2f", v)
			}
		}
		out = append(out, says)
	}
	tell("programme", s.Loudness)
	for _, e := range s.Elements {
		tell(e.Name, e.Loudness)
	}
	if len(out) == 0 {
		return "none"
	}
	return strings.Join(out, "; ")
}

// described compares what a file says of itself by the audio definition model with what it should.
func (fp *FileProof) described(p Plan, f File, src *source.Source) {
	if !p.describes(f) {
		return
	}
	want, _ := p.scene(f)
	found, err := src.Scene()
	switch {
	case err != nil:
		fp.check("description (ADM)", sceneSays(want), err.Error())
		return
	case found == nil:
		fp.check("description (ADM)", sceneSays(want), "missing")
		return
	}
	fp.check("description (ADM)", sceneSays(want), sceneSays(*found))
}

// sceneSays is a scene in words: its programme, and each element with its layout, content and tracks from 1.
func sceneSays(s adm.Scene) string {
	out := []string{s.Programme, fmt.Sprintf("%d frames", s.Frames)}
	for _, e := range s.Elements {
		var tracks []string
		for _, t := range e.Tracks {
			tracks = append(tracks, fmt.Sprint(t+1))
		}
		kind := string(e.Content)
		if kind == "" {
			kind = "no content said"
		}
		gain := ""
		if e.GainDB != 0 {
			gain = fmt.Sprintf(", %+.2f dB", e.GainDB)
		}
		out = append(out, fmt.Sprintf("%s: %s (%s) on %s%s", e.Name, e.Layout.Name, kind, strings.Join(tracks, " "), gain))
	}
	return strings.Join(out, "; ")
}
