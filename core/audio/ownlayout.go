package audio

import (
	"bytes"
	"encoding/json"
	"fmt"
	"math"
	"slices"
	"strconv"
	"strings"
)

// Placed is a speaker of a layout of one's own, and where it stands.
type Placed struct {
	Name      Speaker `json:"name"`      // a word of 16 letters at most
	Azimuth   float64 `json:"azimuth"`   // degrees to the left of straight ahead, -180 to 180
	Elevation float64 `json:"elevation"` // degrees above the horizon, -90 to 90
	// Distance from the listener in metres, up to 100, 0 where it is not said; TrimDB is the level that its amplifier is set by,
	// -40 to 20 dB. They are kept for who sets the room up: what is rendered goes by directions alone.
	Distance float64 `json:"distance,omitempty"`
	TrimDB   float64 `json:"trim_db,omitempty"`
	// NoPlace says that it is of low frequencies alone, as an LFE, and stands nowhere.
	NoPlace bool `json:"no_place,omitempty"`
}

// OwnLayout is a layout of one's own under its name.
type OwnLayout struct {
	Format      int      `json:"format"` // 1
	Name        string   `json:"name"`
	Description string   `json:"description,omitempty"`
	Speakers    []Placed `json:"speakers"` // in the order of the channels
}

// Bounds of what is said of a speaker.
const (
	maxDistance = 100
	minTrim     = -40
	maxTrim     = 20
)

// ParseOwnLayout reads one from its JSON.
func ParseOwnLayout(b []byte) (OwnLayout, error) {
	d := json.NewDecoder(bytes.NewReader(b))
	d.DisallowUnknownFields()
	var o OwnLayout
	if err := d.Decode(&o); err != nil {
		return o, fmt.Errorf("a layout is JSON with a name and speakers (name, azimuth, elevation, and distance and trim_db where they are known): %w", err)
	}
	_, err := o.Layout()
	return o, err
}

// Layout is it as one that a bus can have, which is known by the directions of its speakers: "custom L@30/0 Top@0/90".
func (o OwnLayout) Layout() (Layout, error) {
	name := strings.TrimSpace(o.Name)
	switch {
	case o.Format != 0 && o.Format != 1:
		return Layout{}, fmt.Errorf("the layout %s is of format %d: 1 is read", name, o.Format)
	case name == "" || len([]rune(name)) > 60:
		return Layout{}, fmt.Errorf("a layout of one's own has a name of 60 letters at most")
	case len(o.Speakers) == 0:
		return Layout{}, fmt.Errorf("the layout %s has no speakers", name)
	}
	if _, err := ParseLayout(name); err == nil {
		return Layout{}, fmt.Errorf("%s is the name of a layout that comes with the program: give it another", name)
	}
	words := []string{"custom"}
	for i, s := range o.Speakers {
		if i > 0 && slices.ContainsFunc(o.Speakers[:i], func(p Placed) bool { return strings.EqualFold(string(p.Name), string(s.Name)) }) {
			return Layout{}, fmt.Errorf("%s stands twice in the layout %s", s.Name, name)
		}
		word, err := s.word()
		if err != nil {
			return Layout{}, fmt.Errorf("layout %s: %w", name, err)
		}
		words = append(words, word)
	}
	return ParseLayout(strings.Join(words, " "))
}

// word is a speaker as ParseLayout reads it.
func (s Placed) word() (string, error) {
	for _, v := range []float64{s.Azimuth, s.Elevation, s.Distance, s.TrimDB} {
		if math.IsNaN(v) || math.IsInf(v, 0) {
			return "", fmt.Errorf("%s stands at no number", s.Name)
		}
	}
	if math.Abs(s.Azimuth) > 180 || math.Abs(s.Elevation) > 90 || s.Distance < 0 || s.Distance > maxDistance || s.TrimDB < minTrim || s.TrimDB > maxTrim {
		return "", fmt.Errorf("%s: azimuths are -180 to 180 and elevations -90 to 90 degrees, distances 0 to %d m, trims %d to %d dB", s.Name, maxDistance, minTrim, maxTrim)
	}
	if s.NoPlace {
		if s.Name != "LFE" {
			return "", fmt.Errorf("%s has no place: a channel of low frequencies alone is called LFE", s.Name)
		}
		return "LFE", nil
	}
	if s.Name == "LFE" {
		return "", fmt.Errorf("an LFE has no place")
	}
	figure := func(v float64) string { return strconv.FormatFloat(math.Round(v*100)/100, 'f', -1, 64) }
	word := fmt.Sprintf("%s@%s/%s", s.Name, figure(s.Azimuth), figure(s.Elevation))
	if s.Distance != 0 || s.TrimDB != 0 {
		word += "/" + figure(s.Distance)
	}
	if s.TrimDB != 0 {
		word += "/" + figure(s.TrimDB)
	}
	return word, nil
}

// Placed are the speakers of a bed and where they stand, in order; none for what is no bed.
func (l Layout) Placed() (out []Placed) {
	if l.Kind != Bed {
		return nil
	}
	for i, s := range l.Speakers {
		d, there := l.Direction(i)
		p := l.own[s]
		out = append(out, Placed{Name: s, Azimuth: d.Azimuth, Elevation: d.Elevation, Distance: p.Distance, TrimDB: p.TrimDB, NoPlace: !there})
	}
	return out
}

// String is where a speaker stands, in words.
func (s Placed) String() string {
	if s.NoPlace {
		return string(s.Name) + " without a place"
	}
	out := fmt.Sprintf("%s %g° left, %g° up", s.Name, s.Azimuth, s.Elevation)
	if s.Azimuth < 0 {
		out = fmt.Sprintf("%s %g° right, %g° up", s.Name, -s.Azimuth, s.Elevation)
	}
	if s.Distance != 0 {
		out += fmt.Sprintf(", %g m", s.Distance)
	}
	if s.TrimDB != 0 {
		out += fmt.Sprintf(", %+g dB", s.TrimDB)
	}
	return out
}

// IsCustom reports whether a layout is one of somebody's own.
func (l Layout) IsCustom() bool { return strings.HasPrefix(l.Name, "custom ") }
