package weave

// Shipped are the templates that come with the program, named by what they are.
func Shipped() []Template {
	stem := func(name, kind, layout string) Bus {
		return Bus{ID: name, Name: name, Role: Stem, Kind: kind, Layout: layout}
	}
	spoken := func(name, kind, layout, language string) Bus {
		b := stem(name, kind, layout)
		b.Language = language
		return b
	}
	mix := func(name, layout string) Bus { return Bus{ID: name, Name: name, Role: Mix, Layout: layout} }
	// A mix is made of stems; outputs are all channels of buses in order.
	made := func(name, description string, buses []Bus, mixes map[string][]string, outputs ...string) Template {
		w := Weave{Buses: buses, Sends: map[string][]Send{}}
		for _, m := range buses {
			for _, of := range mixes[m.ID] {
				b, _ := w.Bus(of)
				way, _ := Way(b.Channels(), m.Channels(), 0)
				w.Sends[of] = append(w.Sends[of], Send{To: m.ID, Patch: way})
			}
		}
		group := 0
		d := &changing{Weave: &w, newID: func() string {
			group++
			return "group " + string(rune('0'+group))
		}}
		for _, o := range outputs {
			_ = (&InsertOutputs{At: len(w.Outputs), Bus: o}).apply(d) // of a bus that is there, at the end
		}
		return Template{Format: TemplateFormat, Name: name, Description: description, Weave: w}
	}
	three := func(layout string) []Bus {
		return []Bus{stem("DX", "DX", layout), stem("MX", "MX", layout), stem("FX", "FX", layout)}
	}
	all := []string{"DX", "MX", "FX"}
	return []Template{
		made("Stereo stems DX MX FX", "Dialogue, music and effects as stereo pairs on outputs 1 to 6.", three("stereo"), nil, all...),
		made("Mono split DX MX FX", "Dialogue, music and effects as one mono output each.", three("mono"), nil, all...),
		made("Stereo stems and full mix", "Three stereo stems on outputs 1 to 6, and their sum on 7 and 8.",
			append(three("stereo"), mix("Full mix", "stereo")), map[string][]string{"Full mix": all}, "DX", "MX", "FX", "Full mix"),
		made("Stereo stems and M&E", "Three stereo stems on outputs 1 to 6, and music with effects on 7 and 8.",
			append(three("stereo"), mix("M&E", "stereo")), map[string][]string{"M&E": {"MX", "FX"}}, "DX", "MX", "FX", "M&E"),
		made("Two languages, MX, FX, M&E", "Narration in two languages, dialogue, music and effects as stereo stems, a full mix for each language, and music with effects.",
			[]Bus{stem("DX", "DX", "stereo"), spoken("VO EN", "VO", "stereo", "en"), spoken("VO PT", "VO", "stereo", "pt"), stem("MX", "MX", "stereo"), stem("FX", "FX", "stereo"),
				mix("Full mix EN", "stereo"), mix("Full mix PT", "stereo"), mix("M&E", "stereo")},
			map[string][]string{"Full mix EN": {"DX", "VO EN", "MX", "FX"}, "Full mix PT": {"DX", "VO PT", "MX", "FX"}, "M&E": {"MX", "FX"}},
			"VO EN", "VO PT", "DX", "MX", "FX", "Full mix EN", "Full mix PT", "M&E"),
		made("Full mix, DX, VO, MX on six channels", "A stereo full mix on outputs 1 and 2, dialogue and narration as mono stems on 3 and 4, music as a stereo stem on 5 and 6; effects are in the full mix alone.",
			[]Bus{stem("DX", "DX", "mono"), stem("VO", "VO", "mono"), stem("MX", "MX", "stereo"), stem("FX", "FX", "stereo"), mix("Full mix", "stereo")},
			map[string][]string{"Full mix": {"DX", "VO", "MX", "FX"}}, "Full mix", "DX", "VO", "MX"),
		made("5.1 and stereo on eight channels", "A 5.1 full mix on outputs 1 to 6, and its fold-down to stereo (BS.775, without LFE) on 7 and 8.",
			append(three("5.1"), mix("Full mix 5.1", "5.1"), mix("Full mix stereo", "stereo")),
			map[string][]string{"Full mix 5.1": all, "Full mix stereo": {"Full mix 5.1"}}, "Full mix 5.1", "Full mix stereo"),
		made("5.1 stems and 5.1 mix", "Dialogue, music and effects as 5.1 stems, and their sum.",
			append(three("5.1"), mix("Full mix", "5.1")), map[string][]string{"Full mix": all}, "Full mix", "DX", "MX", "FX"),
		made("7.1.4 mix", "A 7.1.4 full mix of three stems of the same width.",
			append(three("7.1.4"), mix("Full mix", "7.1.4")), map[string][]string{"Full mix": all}, "Full mix"),
		made("First-order ambisonic and head-locked stereo", "An ambisonic field on outputs 1 to 4 (ACN, SN3D), and a head-locked stereo pair on 5 and 6.",
			[]Bus{stem("Field", "FX", "ambisonic 1 SN3D"), stem("Head-locked", "DX", "stereo")}, nil, "Field", "Head-locked"),
		made("News split", "Commentary on output 1, actuality on output 2.",
			[]Bus{stem("Commentary", "VO", "mono"), stem("Actuality", "DX", "mono")}, nil, "Commentary", "Actuality"),
		{Format: TemplateFormat, Name: "One output a microphone", Description: "Every track has an output of its own, under its label.",
			Weave: Weave{Buses: []Bus{}, Sends: map[string][]Send{}, Outputs: []Output{}}, PerTrack: true},
	}
}
