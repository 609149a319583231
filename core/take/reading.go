package take

import (
	"fmt"
	"slices"
	"strings"

	"zestyloom/core/audio"
	"zestyloom/core/snag"
	"zestyloom/core/source"
)

// Reading says how some strands of a take are to be read together. Strands that no reading names are
// mono.
type Reading struct {
	Kind      string          `json:"kind"`      // stereo, mid_side, surround or ambisonic
	Positions []int           `json:"positions"` // strands in the take, from 1, in the order they stand
	Order     []audio.Speaker `json:"order"`     // of surround: the speaker of each
	// Norm is that of a sound field whose strands are not in ACN order and SN3D: FuMa, or AFormat.
	Norm string `json:"norm,omitempty"`
	// From says what it was worked out from (FromContainer and on), empty where a person has said it, and Why the same in words.
	From string `json:"from,omitempty"`
	Why  string `json:"why,omitempty"`
}

// What readings are worked out from. Those from labels, names of files and sound are worked out anew when labels change.
const (
	FromContainer = "container" // streams and groups that the file itself says there are
	FromSet       = "set"       // what the names of its files say
	FromLabels    = "labels"
	FromName      = "name"
	FromSound     = "sound" // headers, names and sound together
)

// Standing are the readings that stay when labels change.
func Standing(rs []Reading) []Reading {
	return slices.DeleteFunc(slices.Clone(rs), func(r Reading) bool { return r.From == FromLabels || r.From == FromName || r.From == FromSound })
}

// Norms of readings as sound fields; none is ACN order and SN3D.
const (
	FuMa = "FuMa" // W X Y Z and on, W at -3 dB
	// AFormat is four capsules on the corners of a cube, two of them opposite each other above and two below: front left up, front
	// right down, back left down, back right up.
	AFormat = "A-format"
)

// Kinds of reading.
const (
	Stereo    = "stereo"
	MidSide   = "mid_side"
	Surround  = "surround"
	Ambisonic = "ambisonic"
)

// SameReadings reports whether two lists read the same strands in the same ways, for the same reasons.
func SameReadings(a, b []Reading) bool {
	return slices.EqualFunc(a, b, func(x, y Reading) bool {
		return x.Kind == y.Kind && x.Norm == y.Norm && x.From == y.From && x.Why == y.Why && slices.Equal(x.Positions, y.Positions) && slices.Equal(x.Order, y.Order)
	})
}

// CheckReadings refuses readings that a take of so many strands can't have.
func CheckReadings(rs []Reading, strands int) error {
	used := map[int]bool{}
	for _, r := range rs {
		for _, p := range r.Positions {
			if p < 1 || p > strands || used[p] {
				return snag.Refuse("bad_reading", "strand %d can't be read as %s: it is not there, or read as something else already", p, r.Name())
			}
			used[p] = true
		}
		n := len(r.Positions)
		switch r.Kind {
		case Stereo, MidSide:
			if n != 2 {
				return snag.Refuse("bad_reading", "a %s is two strands, not %d", r.Name(), n)
			}
		case Surround:
			if _, ok := audio.LayoutOf(r.Order); !ok || len(r.Order) != n {
				return snag.Refuse("bad_reading", "%d strands in the order %v are no layout that is known", n, r.Order)
			}
		case Ambisonic:
			if _, ok := AmbisonicOrder(n); !ok {
				return snag.Refuse("bad_reading", "an ambisonic recording of order N has (N+1)² channels: 4, 9, 16 and so on, not %d", n)
			}
			if r.Norm != "" && r.Norm != FuMa && r.Norm != AFormat || r.Norm == FuMa && n > 16 || r.Norm == AFormat && n != 4 {
				return snag.Refuse("bad_reading", "%d strands can't be read as a sound field in %q: FuMa has up to 16, and A-format 4", n, r.Norm)
			}
		default:
			return snag.Refuse("bad_reading", "strands are read as stereo, mid-side, surround or ambisonic, not as %q", r.Kind)
		}
	}
	return nil
}

// AmbisonicOrder is the order of a recording of so many channels, (N+1)² for order N.
func AmbisonicOrder(channels int) (int, bool) {
	for n := 1; (n+1)*(n+1) <= channels; n++ {
		if (n+1)*(n+1) == channels {
			return n, true
		}
	}
	return 0, false
}

// Name says in words how the strands are read.
func (r Reading) Name() string {
	switch r.Kind {
	case Stereo:
		return "stereo pair"
	case MidSide:
		return "mid-side pair, decoded"
	case Surround:
		l, _ := audio.LayoutOf(r.Order)
		return l.Name + " in " + audio.NameOrder(r.Order)
	case Ambisonic:
		n, _ := AmbisonicOrder(len(r.Positions))
		switch r.Norm {
		case FuMa:
			return fmt.Sprintf("ambisonic, order %d, FuMa", n)
		case AFormat:
			return "A-format recording, FLU FRD BLD BRU"
		}
		return fmt.Sprintf("ambisonic, order %d, ACN", n)
	}
	return r.Kind
}

// StreamGroup is a stream of a container: how many channels it has, and whether it is marked as a sound field, with a head-locked pair
// after it.
type StreamGroup struct {
	Channels          int
	Field, HeadLocked bool
}

// GroupReadings gives the readings that a container's grouping of streams stands for: a stream of two channels is a stereo pair,
// one of six a 5.1 in its default order, one that is marked a sound field, in ACN order, and the pair after it.
func GroupReadings(groups []StreamGroup) (out []Reading) {
	var each []StreamGroup
	for _, g := range groups {
		if g.HeadLocked && g.Channels > 2 {
			each = append(each, StreamGroup{Channels: g.Channels - 2, Field: g.Field}, StreamGroup{Channels: 2})
		} else {
			each = append(each, g)
		}
	}
	at := 1
	for _, g := range each {
		n := g.Channels
		r := Reading{Order: []audio.Speaker{}, From: FromContainer, Why: "the streams of the file say so"}
		for i := range n {
			r.Positions = append(r.Positions, at+i)
		}
		at += n
		switch {
		case g.Field:
			if _, ok := AmbisonicOrder(n); !ok {
				continue
			}
			r.Kind = Ambisonic
		case n == 2:
			r.Kind = Stereo
		case n == 6, n == 8:
			r.Kind = Surround
			i := slices.IndexFunc(audio.Layouts, func(l audio.Layout) bool { return len(l.Speakers) == n })
			r.Order = audio.Layouts[i].Speakers
		default:
			continue
		}
		out = append(out, r)
	}
	return out
}

// FactReadings are the readings that groups of channels stand for which a file itself says there are: pairs, surround and sound fields in
// ACN order and SN3D. A group of another kind has none, and is read strand by strand.
func FactReadings(groups []source.GroupFact) (out []Reading) {
	for _, g := range groups {
		l, err := audio.ParseLayout(g.Layout)
		if err != nil || len(g.Channels) != l.Count || l.Count < 2 {
			continue
		}
		r := Reading{Positions: g.Channels, Order: []audio.Speaker{}, From: FromContainer, Why: "the file itself says so"}
		switch _, known := audio.LayoutOf(l.Speakers); {
		case l.Kind == audio.Ambisonic && l.Norm == audio.SN3D && l.Order > 0:
			r.Kind = Ambisonic
		case l.Kind == audio.Bed && l.Count == 2 && l.Name != "mid-side":
			r.Kind = Stereo
		case l.Kind == audio.Bed && known:
			r.Kind, r.Order = Surround, l.Speakers
		default:
			continue
		}
		out = append(out, r)
	}
	return out
}

// LabelSpeaker reads the speaker at the end of a label: "Score L", "Amb_W" has none.
func LabelSpeaker(label string) (stem string, sp audio.Speaker) {
	label = strings.TrimSpace(label)
	if s, ok := audio.ParseSpeaker(label); ok {
		return "", s
	}
	i := strings.LastIndexAny(label, " ._-")
	if i < 0 {
		return label, ""
	}
	if s, ok := audio.ParseSpeaker(label[i+1:]); ok {
		return strings.TrimRight(label[:i], " ._-"), s
	}
	return label, ""
}

// WaysToRead lists how n strands that stand together can be read, beside each by itself: the likeliest
// first.
func WaysToRead(n int) (out []Reading) {
	at := make([]int, n)
	for i := range at {
		at[i] = i + 1
	}
	if n == 2 {
		out = append(out, Reading{Kind: Stereo, Positions: at, Order: []audio.Speaker{}}, Reading{Kind: MidSide, Positions: at, Order: []audio.Speaker{}})
	}
	for _, l := range audio.Layouts {
		if len(l.Speakers) == n && n > 2 {
			out = append(out, Reading{Kind: Surround, Positions: at, Order: l.Speakers})
		}
	}
	for _, o := range audio.Orders {
		if len(o.Speakers) == n {
			out = append(out, Reading{Kind: Surround, Positions: at, Order: o.Speakers})
		}
	}
	if _, ok := AmbisonicOrder(n); ok {
		field := func(norm string) {
			out = append(out, Reading{Kind: Ambisonic, Positions: at, Order: []audio.Speaker{}, Norm: norm})
		}
		field("")
		if n <= 16 {
			field(FuMa)
		}
		if n == 4 {
			field(AFormat)
		}
	}
	return out
}
