package audio

import "strings"

// Speaker is a channel's place in a layout, by its usual short name.
type Speaker string

// Kind says what the channels of a layout stand for.
type Kind uint8

// The kinds.
const (
	Bed       Kind = iota // speakers
	Ambisonic             // spherical harmonics of a sound field
	Discrete              // channels that stand for no place
)

// Norm is how the channels of an ambisonic layout are ordered and scaled.
type Norm string

// The norms.
const (
	SN3D Norm = "SN3D" // in ACN order, as AmbiX has it
	N3D  Norm = "N3D"  // in ACN order
	FuMa Norm = "FuMa" // W X Y Z R S T U V K L M N O P Q, maxN with W at -3 dB, to order 3
)

// Bounds of layouts.
const (
	MaxOrder    = 7  // of an ambisonic layout: 64 channels
	MaxFuMa     = 3  // its highest order
	MaxChannels = 64 // of any layout
)

// Layout is what the channels of a signal stand for, and their order. It is known by its name: see ParseLayout.
type Layout struct {
	Name string
	Kind Kind
	// Speakers are a bed's, in order.
	Speakers []Speaker
	// Mask is the WAVEFORMATEXTENSIBLE channel mask when the order equals the order of the
	// mask's bits, and 0 when no mask can say this order.
	Mask uint32
	// Order and Norm are an ambisonic layout's.
	Order int
	Norm  Norm
	// Count is the number of channels of any.
	Count int
	// Directions are those of a custom bed's own speakers, by name.
	Directions map[Speaker]Direction
	own        map[Speaker]Placed // what else is said of them
}

func bed(name string, mask uint32, speakers ...Speaker) Layout {
	return Layout{Name: name, Speakers: speakers, Mask: mask, Count: len(speakers)}
}

// Layouts lists the beds that recordings come in, by their default channel order (SMPTE/ITU for surround), narrowest
// first.
var Layouts = []Layout{
	bed("mono", 0x4, "C"),
	bed("stereo", 0x3, "L", "R"),
	bed("stereo total", 0x3, "Lt", "Rt"),
	bed("stereo only", 0x3, "Lo", "Ro"),
	bed("mid-side", 0, "M", "S"),
	bed("LCR", 0, "L", "C", "R"),
	bed("5.1", 0x3F, "L", "R", "C", "LFE", "Ls", "Rs"),
	bed("7.1", 0, "L", "R", "C", "LFE", "Lss", "Rss", "Lsr", "Rsr"),
	bed("7.1.4", 0, "L", "R", "C", "LFE", "Lss", "Rss", "Lsr", "Rsr", "Ltf", "Rtf", "Ltr", "Rtr"),
}

// further are beds that a bus may have, and that no set of files is taken for.
var further = []Layout{
	bed("quad", 0x33, "L", "R", "Ls", "Rs"),
	bed("5.0", 0x37, "L", "R", "C", "Ls", "Rs"),
	bed("7.0", 0, "L", "R", "C", "Lss", "Rss", "Lsr", "Rsr"),
	bed("5.1.4", 0, "L", "R", "C", "LFE", "Ls", "Rs", "Ltf", "Rtf", "Ltr", "Rtr"),
	bed("7.0.4", 0, "L", "R", "C", "Lss", "Rss", "Lsr", "Rsr", "Ltf", "Rtf", "Ltr", "Rtr"),
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
