package audio

import (
	"fmt"
	"slices"
	"strings"
)

// orderNames are the words by which an order of a layout may be asked for.
var orderNames = map[string]string{
	"film": "film order", "mask": "mask order", "fronts": "fronts, surrounds, centre order", "lrc": "L R C order",
}

// ParseOrder finds the speakers of an order: "broadcast" (also smpte, itu, default) is the default order of the layout
// with so many channels; "film", "mask", "fronts" and "lrc" are further ones that are met; or the speakers by name, as in
// "L C R Ls Rs LFE".
func ParseOrder(text string, channels int) ([]Speaker, error) {
	name := strings.ToLower(strings.TrimSpace(text))
	var layout Layout
	for _, l := range Layouts {
		if l.Count == channels && l.Name != "stereo total" && l.Name != "stereo only" && l.Name != "mid-side" {
			layout = l
			break
		}
	}
	switch name {
	case "broadcast", "smpte", "itu", "default":
		if layout.Count == 0 {
			return nil, fmt.Errorf("there is no %s order of %d channels", name, channels)
		}
		return layout.Speakers, nil
	}
	if full, ok := orderNames[name]; ok {
		for _, o := range Orders {
			if o.Layout == layout.Name && o.Name == full {
				return o.Speakers, nil
			}
		}
		return nil, fmt.Errorf("there is no %s of %d channels", full, channels)
	}
	var out []Speaker
	seen := map[Speaker]bool{}
	for _, w := range strings.FieldsFunc(text, func(r rune) bool { return r == ' ' || r == ',' || r == '+' }) {
		s, ok := ParseSpeaker(w)
		if !ok {
			return nil, fmt.Errorf("%q is neither an order (broadcast, film, mask, fronts, lrc) nor a speaker", w)
		}
		if seen[s] {
			return nil, fmt.Errorf("%s stands twice in the order %s", s, text)
		}
		seen[s] = true
		out = append(out, s)
	}
	if len(out) != channels {
		return nil, fmt.Errorf("the order %q has %d speakers, and there are %d channels", text, len(out), channels)
	}
	return out, nil
}

// InOrder is the layout of speakers that stand in an order: the one that they form where it is its default order, else a
// custom one.
func InOrder(speakers []Speaker) (Layout, error) {
	if l, ok := LayoutOf(speakers); ok && slices.Equal(l.Speakers, speakers) {
		return l, nil
	}
	name := "custom"
	for _, s := range speakers {
		name += " " + string(s)
	}
	return ParseLayout(name)
}

// NamedOrder is an order of a layout's speakers under the word by which it may be asked for.
type NamedOrder struct {
	Word string `json:"order"` // broadcast, film, ...
	Name string `json:"name"`  // in words, with its speakers: "film order (L C R Ls Rs LFE)"
}

// Orders lists the orders that a layout's speakers are met in, its default first; none where there is but one.
func (l Layout) Orders() (out []NamedOrder) {
	for word, full := range orderNames {
		for _, o := range Orders {
			if o.Layout == l.Name && o.Name == full {
				out = append(out, NamedOrder{word, NameOrder(o.Speakers)})
			}
		}
	}
	if len(out) == 0 {
		return nil
	}
	slices.SortFunc(out, func(a, b NamedOrder) int { return strings.Compare(a.Word, b.Word) })
	return append([]NamedOrder{{"broadcast", NameOrder(l.Speakers)}}, out...)
}

// Offered lists the layouts that buses, groups of outputs and files are offered, narrowest first: all beds that sound is
// delivered in, sound fields to the third order, and channels that stand for no place.
func Offered() (out []Layout) {
	for _, l := range Beds() {
		if l.Name != "stereo only" && l.Name != "mid-side" {
			out = append(out, l)
		}
	}
	for _, norm := range []Norm{SN3D, N3D, FuMa} {
		for order := 1; order <= 3; order++ {
			if l, err := AmbisonicLayout(order, norm); err == nil {
				out = append(out, l)
			}
		}
	}
	for _, n := range []int{2, 4, 6, 8, 12, 16} {
		if l, err := DiscreteLayout(n); err == nil {
			out = append(out, l)
		}
	}
	return out
}
