package audio

import (
	"slices"
	"strings"
)

// ChannelOrder is an order of a layout's speakers that is met in files.
type ChannelOrder struct {
	Layout   string
	Name     string // such as "film order"
	Speakers []Speaker
}

// Orders lists the orders met beside the default ones of Layouts.
var Orders = []ChannelOrder{
	{"LCR", "L R C order", []Speaker{"L", "R", "C"}},
	{"5.1", "film order", []Speaker{"L", "C", "R", "Ls", "Rs", "LFE"}},
	{"5.1", "fronts, surrounds, centre order", []Speaker{"L", "R", "Ls", "Rs", "C", "LFE"}},
	{"7.1", "film order", []Speaker{"L", "C", "R", "Lss", "Rss", "Lsr", "Rsr", "LFE"}},
	{"7.1", "mask order", []Speaker{"L", "R", "C", "LFE", "Lsr", "Rsr", "Lss", "Rss"}},
}

// NameOrder says in words in which order speakers stand: "broadcast order (L R C LFE Ls Rs)". For
// speakers that form no layout it just names them.
func NameOrder(speakers []Speaker) string {
	var names []string
	for _, s := range speakers {
		names = append(names, string(s))
	}
	list := strings.Join(names, " ")
	if l, ok := LayoutOf(speakers); ok && slices.Equal(l.Speakers, speakers) {
		if len(speakers) > 3 {
			return "broadcast order (" + list + ")"
		}
		return list
	}
	for _, o := range Orders {
		if slices.Equal(o.Speakers, speakers) {
			return o.Name + " (" + list + ")"
		}
	}
	return "the order " + list
}

// CanonicalOrder reports whether speakers stand in the default order of the layout they form.
func CanonicalOrder(speakers []Speaker) bool {
	l, ok := LayoutOf(speakers)
	return ok && slices.Equal(l.Speakers, speakers)
}
