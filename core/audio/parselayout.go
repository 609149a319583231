package audio

import (
	"fmt"
	"math"
	"regexp"
	"slices"
	"strconv"
	"strings"
)

// Beds lists every bed that has a name, narrowest first.
func Beds() []Layout {
	all := slices.Concat(Layouts, further)
	slices.SortStableFunc(all, func(a, b Layout) int { return a.Count - b.Count })
	return all
}

// AmbisonicLayout is the layout of an order and a norm: "ambisonic 1 SN3D".
func AmbisonicLayout(order int, norm Norm) (Layout, error) {
	most := MaxOrder
	switch norm {
	case SN3D, N3D:
	case FuMa:
		most = MaxFuMa
	default:
		return Layout{}, fmt.Errorf("ambisonic channels are scaled as SN3D, N3D or FuMa, not as %q", norm)
	}
	if order < 0 || order > most {
		return Layout{}, fmt.Errorf("an ambisonic layout in %s has an order of 0 to %d, not %d", norm, most, order)
	}
	return Layout{Name: fmt.Sprintf("ambisonic %d %s", order, norm), Kind: Ambisonic, Order: order, Norm: norm, Count: (order + 1) * (order + 1)}, nil
}

// DiscreteLayout is the layout of n channels that stand for no place: "discrete 8".
func DiscreteLayout(n int) (Layout, error) {
	if n < 1 || n > MaxChannels {
		return Layout{}, fmt.Errorf("a layout has 1 to %d channels, not %d", MaxChannels, n)
	}
	return Layout{Name: fmt.Sprintf("discrete %d", n), Kind: Discrete, Count: n}, nil
}

// customSpeaker is one of a custom layout: a name, and a direction where it is not a known one, with its distance in metres and
// its trim in dB where they are said.
var customSpeaker = regexp.MustCompile(`^([\pL\pN][\pL\pN+-]{0,15})(?:@(-?\d{1,3}(?:\.\d+)?)(?:/(-?\d{1,2}(?:\.\d+)?)(?:/(\d{1,3}(?:\.\d+)?)(?:/([+-]?\d{1,2}(?:\.\d+)?))?)?)?)?$`)

// ParseLayout finds a layout by its name: that of a bed, such as "5.1"; "ambisonic 3 SN3D"; "discrete 8"; or
// "custom" and the names of its speakers in order, each that is not one of ours with its direction, azimuth and
// elevation in degrees as in Direction, and its distance in metres and its trim in dB where they are known: "custom L R
// Top@0/90" or "custom L@22/0/2.5/-1 R@-22/0/2.5".
func ParseLayout(name string) (Layout, error) {
	for _, list := range [][]Layout{Layouts, further} {
		for _, l := range list {
			if l.Name == name {
				return l, nil
			}
		}
	}
	words := strings.Split(name, " ")
	switch {
	case words[0] == "ambisonic" && len(words) == 3:
		if order, err := strconv.Atoi(words[1]); err == nil {
			return AmbisonicLayout(order, Norm(words[2]))
		}
	case words[0] == "discrete" && len(words) == 2:
		if n, err := strconv.Atoi(words[1]); err == nil {
			return DiscreteLayout(n)
		}
	case words[0] == "custom" && len(words) > 1:
		return customLayout(name, words[1:])
	}
	return Layout{}, fmt.Errorf("the layout %q is not known: a bed such as 5.1, ambisonic 1 SN3D, discrete 8 or custom L R Top@0/90 is", name)
}

func customLayout(name string, speakers []string) (Layout, error) {
	if len(speakers) > MaxChannels {
		return Layout{}, fmt.Errorf("a layout has 1 to %d channels, not %d", MaxChannels, len(speakers))
	}
	l := Layout{Name: name, Count: len(speakers), Directions: map[Speaker]Direction{}, own: map[Speaker]Placed{}}
	for _, w := range speakers {
		m := customSpeaker.FindStringSubmatch(w)
		if m == nil {
			return Layout{}, fmt.Errorf("layout %q: %q is no speaker: a name is, with a direction in degrees such as Top@0/90 if it is none of ours", name, w)
		}
		s := Speaker(m[1])
		if slices.Contains(l.Speakers, s) {
			return Layout{}, fmt.Errorf("layout %q: %s stands twice in it", name, s)
		}
		_, known := directions[s]
		switch {
		case m[2] != "":
			az, _ := strconv.ParseFloat(m[2], 64) // digits, by the expression
			el, _ := strconv.ParseFloat("0"+strings.TrimPrefix(m[3], "-"), 64)
			if strings.HasPrefix(m[3], "-") {
				el = -el
			}
			if math.Abs(az) > 180 || math.Abs(el) > 90 {
				return Layout{}, fmt.Errorf("layout %q: %s lies at no direction: azimuths are -180 to 180, elevations -90 to 90", name, w)
			}
			l.Directions[s] = Direction{az, el}
			far, _ := strconv.ParseFloat(m[4], 64) // nothing is 0
			trim, _ := strconv.ParseFloat(m[5], 64)
			if far > maxDistance || trim < minTrim || trim > maxTrim {
				return Layout{}, fmt.Errorf("layout %q: %s: distances are up to %d m, trims %d to %d dB", name, w, maxDistance, minTrim, maxTrim)
			}
			l.own[s] = Placed{Distance: far, TrimDB: trim}
		case !known && s != "LFE":
			return Layout{}, fmt.Errorf("layout %q: where %s stands is not known: write it with its direction, such as %s@30/0", name, s, s)
		}
		l.Speakers = append(l.Speakers, s)
	}
	return l, nil
}

// Channel names channel i: by its speaker, its ambisonic component, or its number from 1.
func (l Layout) Channel(i int) string {
	switch {
	case l.Kind == Ambisonic && l.Norm == FuMa:
		return "WXYZRSTUVKLMNOPQ"[i : i+1]
	case l.Kind == Ambisonic:
		return "ACN " + strconv.Itoa(i)
	case l.Kind == Discrete:
		return strconv.Itoa(i + 1)
	}
	return string(l.Speakers[i])
}

// Channels names all channels in order.
func (l Layout) Channels() []string {
	out := make([]string, l.Count)
	for i := range out {
		out[i] = l.Channel(i)
	}
	return out
}

// IsLFE reports whether channel i is a bed's LFE.
func (l Layout) IsLFE(i int) bool { return l.Kind == Bed && l.Speakers[i] == "LFE" }

// Index is the channel of a speaker, -1 where the layout has none.
func (l Layout) Index(s Speaker) int { return slices.Index(l.Speakers, s) }

// Direction is where a sound comes from: degrees to the left of straight ahead, and above the horizon.
type Direction struct {
	Azimuth   float64 `json:"azimuth"`
	Elevation float64 `json:"elevation"`
}

// directions are those of the speakers (ITU-R BS.775, BS.2051). An LFE has none, nor have matrixed pairs.
var directions = map[Speaker]Direction{
	"C": {0, 0}, "L": {30, 0}, "R": {-30, 0}, "Ls": {110, 0}, "Rs": {-110, 0},
	"Lss": {90, 0}, "Rss": {-90, 0}, "Lsr": {135, 0}, "Rsr": {-135, 0},
	"Ltf": {45, 45}, "Rtf": {-45, 45}, "Ltr": {135, 45}, "Rtr": {-135, 45},
	"Lo": {30, 0}, "Ro": {-30, 0}, "Lt": {30, 0}, "Rt": {-30, 0},
}

// Direction is where channel i stands; false for those without a place.
func (l Layout) Direction(i int) (Direction, bool) {
	if l.Kind != Bed {
		return Direction{}, false
	}
	if d, own := l.Directions[l.Speakers[i]]; own {
		return d, true
	}
	d, ok := directions[l.Speakers[i]]
	return d, ok
}
