package cutlist

import (
	"encoding/json"
	"fmt"
	"math"
	"net/url"
	"path"
	"strconv"
	"strings"

	"zestyloom/core/timecode"
)

// rational is a time of OpenTimelineIO: value counts of 1/rate seconds.
type rational struct {
	Value float64 `json:"value"`
	Rate  float64 `json:"rate"`
}

// samples is the time at a sample rate, to the nearest one; 0 for what is none.
func (t *rational) samples(rate int64) int64 {
	if t == nil || !(t.Rate > 0) || math.Abs(t.Value/t.Rate) > 1e7 || math.IsNaN(t.Value) {
		return 0
	}
	// Rates such as 23.976 are written rounded: they stand for n/1.001.
	r := t.Rate
	exact := timecode.Rate{Num: int64(math.Round(r)), Den: 1}
	if n := math.Round(r * 1.001); math.Abs(r-n/1.001) < 5e-3 && math.Abs(r-math.Round(r)) > 5e-3 {
		r = n / 1.001
		exact = timecode.Rate{Num: int64(n) * 1000, Den: 1001}
	} else if math.Abs(r-math.Round(r)) > 1e-9 {
		return int64(math.Round(t.Value / r * float64(rate)))
	}
	if whole := math.Round(t.Value); math.Abs(t.Value-whole) < 1e-6 {
		return exact.SampleAt(int64(whole), rate) // as timecode is, in every list
	}
	return int64(math.Round(t.Value / r * float64(rate)))
}

type timeRange struct {
	Start    *rational `json:"start_time"`
	Duration *rational `json:"duration"`
}

type reference struct {
	Schema    string         `json:"OTIO_SCHEMA"`
	Name      string         `json:"name"`
	URL       string         `json:"target_url"`
	Available *timeRange     `json:"available_range"`
	Metadata  map[string]any `json:"metadata"`
}

// node is whatever stands in a timeline.
type node struct {
	Schema     string               `json:"OTIO_SCHEMA"`
	Name       string               `json:"name"`
	Kind       string               `json:"kind"`
	Enabled    *bool                `json:"enabled"`
	Start      *rational            `json:"global_start_time"`
	Tracks     *node                `json:"tracks"`
	Children   []*node              `json:"children"`
	Range      *timeRange           `json:"source_range"`
	In         *rational            `json:"in_offset"`
	Out        *rational            `json:"out_offset"`
	Media      *reference           `json:"media_reference"`
	References map[string]reference `json:"media_references"`
	Active     string               `json:"active_media_reference_key"`
	Effects    []struct {
		Schema string `json:"OTIO_SCHEMA"`
	} `json:"effects"`
	Metadata map[string]any `json:"metadata"`
}

func (n *node) is(schema string) bool { return n != nil && strings.HasPrefix(n.Schema, schema+".") }

// reference is the media that a clip plays.
func (n *node) reference() *reference {
	if r, ok := n.References[n.Active]; ok {
		return &r
	}
	if r, ok := n.References["DEFAULT_MEDIA"]; ok {
		return &r
	}
	return n.Media
}

// length is how long something lasts in its track.
func (n *node) length(rate int64) int64 {
	switch {
	case n.Range != nil && n.Range.Duration != nil:
		return n.Range.Duration.samples(rate)
	case n.is("Clip"):
		if r := n.reference(); r != nil && r.Available != nil {
			return r.Available.Duration.samples(rate)
		}
	}
	return 0
}

func parseOTIO(b []byte, rate timecode.Rate, sampleRate int64) (List, error) {
	var root node
	if err := json.Unmarshal(b, &root); err != nil {
		return List{}, bad("%v", err)
	}
	if !root.is("Timeline") {
		return List{}, bad("its schema is %q: expected an OpenTimelineIO Timeline", root.Schema)
	}
	l := List{Kind: "otio", Title: root.Name}
	if root.Tracks == nil {
		return l, nil
	}
	var chosen *node
	for _, kind := range []string{"Video", "Audio", ""} {
		for _, t := range root.Tracks.Children {
			if chosen == nil && t.is("Track") && (kind == "" || t.Kind == kind) && hasClips(t) {
				chosen = t
			}
		}
	}
	if chosen == nil {
		return l, nil
	}
	for _, t := range root.Tracks.Children {
		if t != chosen && t.is("Track") && hasClips(t) {
			l.Left = append(l.Left, fmt.Sprintf("track %s (%s): the list is read from %s", t.Name, t.Kind, chosen.Name))
		}
	}
	at := root.Start.samples(sampleRate)
	var fade int64
	for i, c := range chosen.Children {
		switch {
		case c == nil:
		case c.is("Transition"):
			fade = c.In.samples(sampleRate) + c.Out.samples(sampleRate)
			// What comes begins earlier, by as much as the transition lies before the cut.
			if i+1 < len(chosen.Children) && chosen.Children[i+1].is("Clip") {
				e := clipEvent(chosen.Children[i+1], sampleRate)
				early := min(c.In.samples(sampleRate), e.In, at)
				e.In, e.At, e.Length, e.Fade = e.In-early, at-early, e.Length+early, min(fade, e.Length+early)
				l.add(e, chosen.Children[i+1])
			}
		case c.is("Clip"):
			if i == 0 || !chosen.Children[i-1].is("Transition") {
				e := clipEvent(c, sampleRate)
				e.At = at
				l.add(e, c)
			}
			at += c.length(sampleRate)
		default:
			if !c.is("Gap") {
				l.Left = append(l.Left, fmt.Sprintf("%s %q in track %s: its time is kept, what is in it is not read", c.Schema, c.Name, chosen.Name))
			}
			at += c.length(sampleRate)
		}
		if len(l.Events) > maxEvents {
			break
		}
	}
	return l, nil
}

func (l *List) add(e Event, c *node) {
	e.Number = strconv.Itoa(len(l.Events) + 1)
	for _, f := range c.Effects {
		if strings.HasPrefix(f.Schema, "LinearTimeWarp") || strings.HasPrefix(f.Schema, "TimeEffect") || strings.HasPrefix(f.Schema, "FreezeFrame") {
			l.Left = append(l.Left, fmt.Sprintf("event %s changes the speed: the sound is laid at its own", e.Number))
		}
	}
	if e.Length > 0 && (c.Enabled == nil || *c.Enabled) {
		l.Events = append(l.Events, e)
	}
}

func hasClips(t *node) bool {
	for _, c := range t.Children {
		if c.is("Clip") {
			return true
		}
	}
	return false
}

// clipEvent is a clip as an event, but for its place.
func clipEvent(c *node, sampleRate int64) Event {
	e := Event{Name: c.Name, Length: max(0, c.length(sampleRate))}
	r := c.reference()
	switch {
	case c.Range != nil && c.Range.Start != nil:
		e.In = c.Range.Start.samples(sampleRate)
	case r != nil && r.Available != nil:
		e.In = r.Available.Start.samples(sampleRate)
	}
	e.In = max(0, e.In)
	e.Reel, e.Scene, e.Take = said(c.Metadata, "reel"), said(c.Metadata, "scene"), said(c.Metadata, "take")
	if r != nil {
		if e.Reel == "" {
			e.Reel = said(r.Metadata, "reel")
		}
		if e.Name == "" {
			e.Name = r.Name
		}
		if e.Name == "" && r.URL != "" {
			if u, err := url.Parse(r.URL); err == nil {
				base := path.Base(u.Path)
				e.Name = strings.TrimSuffix(base, path.Ext(base))
			}
		}
	}
	return e
}

// said finds a text in metadata under a key, at any depth of objects up to three.
func said(m map[string]any, key string) string {
	var find func(v map[string]any, depth int) string
	find = func(v map[string]any, depth int) string {
		for k, x := range v {
			if s, ok := x.(string); ok && strings.EqualFold(k, key) {
				return s
			}
		}
		if depth == 0 {
			return ""
		}
		for _, x := range v {
			if o, ok := x.(map[string]any); ok {
				if s := find(o, depth-1); s != "" {
					return s
				}
			}
		}
		return ""
	}
	return find(m, 2)
}
