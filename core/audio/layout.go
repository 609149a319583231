package audio

import "strings"

// Speaker is a channel's place in a layout, by its usual short name.
type Speaker string

// Layout is a named, ordered set of speakers.
type Layout struct {
	Name     string
	Speakers []Speaker
	// Mask is the WAVEFORMATEXTENSIBLE channel mask when the order equals the order of the
	// mask's bits, and 0 when no mask can say this order.
	Mask uint32
}

// Layouts lists the layouts by their default channel order (SMPTE/ITU for surround), narrowest
// first.
var Layouts = []Layout{
	{"mono", []Speaker{"C"}, 0x4},
	{"stereo", []Speaker{"L", "R"}, 0x3},
	{"stereo total", []Speaker{"Lt", "Rt"}, 0x3},
	{"stereo only", []Speaker{"Lo", "Ro"}, 0x3},
	{"mid-side", []Speaker{"M", "S"}, 0},
	{"LCR", []Speaker{"L", "C", "R"}, 0},
	{"5.1", []Speaker{"L", "R", "C", "LFE", "Ls", "Rs"}, 0x3F},
	{"7.1", []Speaker{"L", "R", "C", "LFE", "Lss", "Rss", "Lsr", "Rsr"}, 0},
	{"7.1.4", []Speaker{"L", "R", "C", "LFE", "Lss", "Rss", "Lsr", "Rsr", "Ltf", "Rtf", "Ltr", "Rtr"}, 0},
}

// maskSpeakers are the speakers of a WAVEFORMATEXTENSIBLE channel mask by their bits. Channels stand
// in the order of the bits.
var maskSpeakers = []struct {
	bit     uint32
	speaker Speaker
}{{0x1, "L"}, {0x2, "R"}, {0x4, "C"}, {0x8, "LFE"}, {0x10, "Lsr"}, {0x20, "Rsr"}, {0x200, "Lss"}, {0x400, "Rss"}, {0x1000, "Ltf"}, {0x4000, "Rtf"}, {0x8000, "Ltr"}, {0x20000, "Rtr"}}

// MaskSpeakers reads a channel mask: the speakers of a layout in the order of the channels, or nil
// where they form none that is known. With one pair of surrounds, at the back or at the sides, they
// are Ls and Rs.
func MaskSpeakers(mask uint32) []Speaker {
	var out []Speaker
	back, side := mask&0x30 == 0x30, mask&0x600 == 0x600
	for _, m := range maskSpeakers {
		if mask&m.bit == 0 {
			continue
		}
		mask &^= m.bit
		sp := m.speaker
		if back != side {
			switch sp {
			case "Lsr", "Lss":
				sp = "Ls"
			case "Rsr", "Rss":
				sp = "Rs"
			}
		}
		out = append(out, sp)
	}
	if _, ok := LayoutOf(out); mask != 0 || !ok {
		return nil
	}
	return out
}

// LayoutOf finds the layout that has exactly the given speakers, in any order.
func LayoutOf(speakers []Speaker) (Layout, bool) {
	for _, l := range Layouts {
		if len(l.Speakers) != len(speakers) {
			continue
		}
		have := map[Speaker]bool{}
		for _, s := range speakers {
			have[s] = true
		}
		all := len(have) == len(speakers)
		for _, s := range l.Speakers {
			all = all && have[s]
		}
		if all {
			return l, true
		}
	}
	return Layout{}, false
}

// speakerNames maps the spellings met in file names and labels, in lower case, to speakers.
var speakerNames = map[string]Speaker{
	"l": "L", "left": "L", "r": "R", "right": "R", "c": "C", "centre": "C", "center": "C",
	"lfe": "LFE", "sub": "LFE", "lf": "LFE",
	"ls": "Ls", "left surround": "Ls", "rs": "Rs", "right surround": "Rs",
	"lss": "Lss", "rss": "Rss",
	"lsr": "Lsr", "lrs": "Lsr", "lb": "Lsr", "rsr": "Rsr", "rrs": "Rsr", "rb": "Rsr",
	"lt": "Lt", "rt": "Rt", "lo": "Lo", "ro": "Ro", "m": "M", "s": "S",
	"ltf": "Ltf", "rtf": "Rtf", "ltr": "Ltr", "rtr": "Rtr",
}

// ParseSpeaker reads a speaker's name in any of the spellings met, whatever their case.
func ParseSpeaker(s string) (Speaker, bool) {
	sp, ok := speakerNames[strings.ToLower(strings.TrimSpace(s))]
	return sp, ok
}

// Rank is a speaker's place in the widest default order: sorting by it gives every default
// layout its order. Speakers outside the surround layouts come after them in pairs.
func (s Speaker) Rank() int {
	for i, o := range [...]Speaker{"L", "R", "C", "LFE", "Ls", "Rs", "Lss", "Rss", "Lsr", "Rsr",
		"Ltf", "Rtf", "Ltr", "Rtr", "Lt", "Rt", "Lo", "Ro", "M", "S"} {
		if o == s {
			return i
		}
	}
	return 99
}

// Order gives each of a set of speakers its place: that in the default order of the layout they
// form, else that of Rank.
func Order(set []Speaker) map[Speaker]int {
	out := map[Speaker]int{}
	if l, ok := LayoutOf(set); ok {
		for i, s := range l.Speakers {
			out[s] = i
		}
		return out
	}
	for _, s := range set {
		out[s] = s.Rank()
	}
	return out
}
