package weave

import (
	"slices"
	"strings"
	"unicode"

	"zestyloom/core/snag"
)

// notNames are words of labels that say how something was recorded, or which side it is, and not whose it is.
var notNames = map[string]bool{
	"lav": true, "lavs": true, "lavalier": true, "radio": true, "wireless": true, "body": true, "boom": true, "booms": true, "plant": true,
	"mic": true, "mike": true, "mics": true, "iso": true, "mix": true, "mixl": true, "mixr": true, "strand": true, "track": true, "ch": true,
	"l": true, "r": true, "m": true, "s": true, "left": true, "right": true, "mid": true, "side": true, "mono": true, "stereo": true,
	"dx": true, "mx": true, "fx": true, "vo": true, "print": true,
}

// PartNamed is the name of the part that a label proposes: what is left of it without the words for microphones and sides, and without
// numbers, such as Ines of "Lav Ines 2"; empty where nothing is left.
func PartNamed(label string) string {
	words := strings.FieldsFunc(label, func(r rune) bool { return unicode.IsSpace(r) || strings.ContainsRune("_-.,/()", r) })
	words = slices.DeleteFunc(words, func(w string) bool {
		return notNames[strings.ToLower(w)] || !strings.ContainsFunc(w, unicode.IsLetter)
	})
	return strings.Join(words, " ")
}

// PartsByLabel gives a stem the parts that the labels of its tracks propose, and sends these tracks into them as they were sent into
// the stem; a part of that name that is there is used. Tracks of which the label says nothing stay where they are.
type PartsByLabel struct {
	Stem string `json:"stem"` // a bus's ID
}

func (o *PartsByLabel) apply(d *changing) error {
	i, err := d.bus(o.Stem)
	if err != nil {
		return err
	}
	stem := d.Buses[i]
	if stem.Role != Stem {
		return snag.Refuse("bad_stem", "%s is no stem: parts are of one", stem.Name)
	}
	at, some := i+1, false
	for _, t := range d.tracks {
		s, sent := d.Send(t.ID)
		name := PartNamed(t.Label)
		if !sent || s.To != stem.ID || name == "" {
			continue
		}
		part := slices.IndexFunc(d.Buses, func(b Bus) bool {
			return b.Role == Part && b.Of == stem.ID && (strings.EqualFold(b.Name, name) || strings.EqualFold(b.Name, stem.Name+" "+name))
		})
		var id string
		if part >= 0 {
			id = d.Buses[part].ID
		} else {
			id = d.newID()
			if d.freeName(name) != nil {
				name = stem.Name + " " + name
			}
			if err := (&AddBus{Bus: Bus{ID: id, Name: name, Role: Part, Of: stem.ID, Layout: stem.Layout}, Index: &at}).apply(d); err != nil {
				return err
			}
			at++
		}
		sends := slices.Clone(d.Sends[t.ID])
		b, _ := d.Bus(id)
		_, misfits := s.Patch.Between(t.Layout, b.Channels())
		if misfits != nil || slices.ContainsFunc(sends[1:], func(s Send) bool { return s.To == id }) {
			continue
		}
		sends[0].To = id
		d.Sends[t.ID], some = sends, true
	}
	if !some {
		return snag.Refuse("nothing_chosen", "no label of a track that is sent to %s says whose it is, such as Ines in \"Lav Ines\"", stem.Name)
	}
	return nil
}
