package cutlist

import (
	"fmt"
	"slices"
	"strings"
)

// Take is a take that events may be of.
type Take struct {
	Name   string
	Scene  string
	Take   string
	Roll   string
	Start  int64 // samples since midnight at the list's sample rate; -1 when not known
	Frames int64
}

func (t Take) holds(in, length int64) bool {
	return t.Start >= 0 && in < t.Start+t.Frames && in+length > t.Start
}

// Match is what was found for an event.
type Match struct {
	Event Event  `json:"event"`
	Takes []int  `json:"takes"` // by their places in what was given
	By    string `json:"by"`    // name, scene, reel or timecode; empty where nothing was found
	Says  string `json:"says"`  // what was found, or why nothing
	// Short is true where a take that was found does not hold all of the event.
	Short bool `json:"short"`
}

// Find finds the takes of every event: by the clip's name or its scene and take, else by reel name and timecode, else by
// timecode alone. All recorders that recorded a take are found. Where two takes that differ could be meant and nothing tells
// them apart, none is taken and it is said.
func Find(l List, takes []Take) []Match {
	out := make([]Match, len(l.Events))
	for i, e := range l.Events {
		out[i] = find(e, takes)
		for _, k := range out[i].Takes {
			t := takes[k]
			if e.In < t.Start || e.In+e.Length > t.Start+t.Frames {
				out[i].Short = true
			}
		}
	}
	return out
}

func find(e Event, takes []Take) Match {
	m := Match{Event: e, Takes: []int{}}
	named := func(t Take) bool { return e.Name != "" && plain(t.Name) != "" && plain(e.Name) == plain(t.Name) }
	slated := func(t Take) bool {
		return e.Scene != "" && e.Take != "" && plain(t.Scene) == plain(e.Scene) && plain(t.Take) == plain(e.Take)
	}
	rolled := func(t Take) bool { return e.Reel != "" && plain(t.Roll) == plain(e.Reel) }
	holds := func(t Take) bool { return t.holds(e.In, e.Length) }
	for _, way := range []struct {
		by   string
		is   func(Take) bool
		says string
	}{
		{"name", func(t Take) bool { return named(t) && holds(t) }, "by its name and timecode"},
		{"scene", func(t Take) bool { return slated(t) && holds(t) }, "by scene, take and timecode"},
		{"reel", func(t Take) bool { return rolled(t) && holds(t) }, "by reel and timecode"},
		{"timecode", holds, "by timecode alone"},
	} {
		for k, t := range takes {
			if way.is(t) {
				m.Takes = append(m.Takes, k)
			}
		}
		if len(m.Takes) == 0 {
			continue
		}
		m.By, m.Says = way.by, way.says
		if way.by == "timecode" && !oneSlate(m.Takes, takes) {
			var names []string
			for _, k := range m.Takes {
				names = append(names, takes[k].Name)
			}
			m.Says = fmt.Sprintf("its timecode lies in %s, and nothing tells which is meant", strings.Join(names, ", "))
			m.Takes, m.By = []int{}, ""
		}
		// What is of the same slate and recorded the same moment is the same take, by another recorder.
		for k, t := range takes {
			if m.By == "" || t.Scene == "" || t.Take == "" || !holds(t) {
				continue
			}
			for _, f := range m.Takes {
				if f == k {
					break
				}
				if o := takes[f]; plain(o.Scene) == plain(t.Scene) && plain(o.Take) == plain(t.Take) && !slices.Contains(m.Takes, k) {
					m.Takes = append(m.Takes, k)
					break
				}
			}
		}
		return m
	}
	m.Says = why(e, takes, named, slated, rolled)
	return m
}

// why says why nothing was found, by what comes nearest.
func why(e Event, takes []Take, named, slated, rolled func(Take) bool) string {
	for _, near := range []struct {
		is   func(Take) bool
		says string
	}{{named, "take %s is here, and its timecode does not hold the event"}, {slated, "take %s is of that scene and take, and its timecode does not hold the event"}, {rolled, "reel %s is here, and no take of it holds the event's timecode"}} {
		for _, t := range takes {
			if near.is(t) {
				name := t.Name
				if strings.HasPrefix(near.says, "reel") {
					name = t.Roll
				}
				if t.Start < 0 {
					return fmt.Sprintf("take %s is here and has no start timecode: line it up in Sync", t.Name)
				}
				return fmt.Sprintf(near.says, name)
			}
		}
	}
	if e.Reel != "" {
		return fmt.Sprintf("no take has the name %q, the reel %q or its timecode", e.Name, e.Reel)
	}
	return "no take has its name or its timecode"
}

// oneSlate reports whether takes are one and the same, by what their slates say.
func oneSlate(which []int, takes []Take) bool {
	first := takes[which[0]]
	for _, k := range which[1:] {
		t := takes[k]
		if t.Scene == "" || plain(t.Scene) != plain(first.Scene) || plain(t.Take) != plain(first.Take) {
			return false
		}
	}
	return true
}

// plain is a name as it is compared: letters and digits, in one case, numbers without leading zeros.
func plain(s string) string {
	var b strings.Builder
	digits := false
	for _, r := range strings.ToLower(strings.TrimSuffix(strings.TrimSpace(s), ".mov")) {
		digit := r >= '0' && r <= '9'
		switch {
		case digit && r == '0' && !digits:
			continue // leading zeros; a lone 0 is nothing, on both sides
		case digit, r >= 'a' && r <= 'z', r > 127:
			b.WriteRune(r)
		default:
			b.WriteRune(' ')
		}
		digits = digit
	}
	return strings.Join(strings.Fields(b.String()), " ")
}
