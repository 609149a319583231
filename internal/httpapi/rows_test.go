package httpapi_test

import (
	"encoding/json"
	"fmt"
	"maps"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/google/uuid"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/internal/httpapi/contract"
	"zestyloom/internal/testmedia"
)

// mirror is a list of takes that is kept as a browser keeps it: read once, and then only what events say has changed.
type mirror struct {
	s      *server
	path   string
	events <-chan contract.Event
	takes  map[uuid.UUID]string // as JSON
	rows   int                  // that were read singly
	whole  int                  // times that the list was read whole
}

func (s *server) mirror(production string) *mirror {
	m := &mirror{s: s, path: "/api/productions/" + production + "/takes", events: s.listen(production), takes: map[uuid.UUID]string{}}
	m.read("")
	return m
}

func (m *mirror) read(query string) {
	m.s.t.Helper()
	var page contract.TakePage
	require.Equal(m.s.t, 200, m.s.call("GET", m.path+query, nil, &page))
	for _, t := range page.Items {
		b, err := json.Marshal(t)
		require.NoError(m.s.t, err)
		m.takes[t.Id] = string(b)
	}
}

// hear takes in what has come.
func (m *mirror) hear() {
	for {
		select {
		case e := <-m.events:
			switch {
			case e.Kind != contract.EventKindTakes:
			case e.Rows == nil:
				m.whole++
				clear(m.takes)
				m.read("")
			default:
				m.rows += len(*e.Rows)
				var ids []string
				for _, id := range *e.Rows {
					delete(m.takes, id)
					ids = append(ids, id.String())
				}
				m.read("?rows=" + strings.Join(ids, ","))
			}
		case <-time.After(20 * time.Millisecond):
			return
		}
	}
}

// follows waits until the mirror is what the server has.
func (m *mirror) follows(what string) {
	m.s.t.Helper()
	full := func() map[uuid.UUID]string {
		f := &mirror{s: m.s, path: m.path, takes: map[uuid.UUID]string{}}
		f.read("")
		return f.takes
	}
	until(m.s.t, "the mirror after "+what, func() []string {
		m.hear()
		var out []string
		now := full()
		for _, id := range slices.Sorted(maps.Keys(m.all(now))) {
			if m.takes[uuid.MustParse(id)] != now[uuid.MustParse(id)] {
				out = append(out, fmt.Sprintf("%s\nhere  %s\nthere %s", id, m.takes[uuid.MustParse(id)], now[uuid.MustParse(id)]))
			}
		}
		return out
	}, func(differ []string) bool { return differ == nil })
}

func (m *mirror) all(now map[uuid.UUID]string) map[string]bool {
	out := map[string]bool{}
	for id := range now {
		out[id.String()] = true
	}
	for id := range m.takes {
		out[id.String()] = true
	}
	return out
}

// Whatever is done to takes, from wherever, what events say has changed is all that a list needs to read anew; and what
// changes one take reads no other.
func TestEventsSayWhichTakesHaveChanged(t *testing.T) {
	s := start(t, "")
	p := s.production()
	for _, f := range []string{"poly8_s24.wav", "1.48000.wav", "stereo_u8.wav", "six.wav"} {
		s.uploadFile(p, testmedia.Path(t, f))
	}
	s.settled(p, 4)
	m := s.mirror(p)
	m.follows("intake")
	takes := s.takes(p)
	slices.SortFunc(takes, func(a, b contract.Take) int { return len(b.Strands) - len(a.Strands) })
	eight := takes[0]
	reel := "/api/reels/" + s.reel(p).Id.String()
	edit := func(cells ...any) func() int {
		return func() int {
			return s.call("POST", "/api/productions/"+p+"/sheet", map[string]any{"what": "type", "cells": cells}, nil)
		}
	}
	cell := func(row uuid.UUID, field string, value any) any {
		return map[string]any{"row": row, "field": field, "value": value}
	}
	post := func(path string, body any) func() int {
		return func() int { return s.call("POST", path, body, nil) }
	}
	undo := post("/api/productions/"+p+"/undo", nil)
	for _, step := range []struct {
		what  string
		do    func() int
		whole bool // whether the list may be read whole
	}{
		{"a note", edit(cell(eight.Id, "note", "x")), false},
		{"labels of two takes", edit(cell(eight.Strands[0].Id, "label", "Boom"), cell(takes[1].Strands[0].Id, "label", "Lav")), false},
		{"undoing them", undo, false},
		{"doing them again", post("/api/productions/"+p+"/redo", nil), false},
		{"laying", post(reel+"/takes", map[string]any{"takes": []uuid.UUID{eight.Id}}), false},
		{"a stem", edit(cell(eight.Strands[2].Id, "stem", "DX")), false},
		{"another reel of the same", post("/api/productions/"+p+"/reels", map[string]any{"name": "Copy", "copy": s.reel(p).Id}), false},
		{"removing a track", func() int {
			return s.call("POST", reel+"/edits", map[string]any{"version": s.reel(p).Version, "what": "remove", "actions": []any{map[string]any{"remove_track": map[string]any{"id": s.reel(p).Doc.Tracks[0].ID}}}}, nil)
		}, false},
		{"removing the reel", func() int { return s.call("DELETE", reel, nil, nil) }, true},
		{"bringing it back", undo, true},
		{"bringing its tracks back", undo, false},
		{"deciding", func() int {
			open := s.takes(p)
			for _, tk := range open {
				if len(tk.Suggestions) > 0 {
					return s.call("POST", "/api/productions/"+p+"/suggestions", map[string]any{"suggestions": []uuid.UUID{tk.Suggestions[0].Id}, "accept": true}, nil)
				}
			}
			return 200
		}, false},
		{"letting a strand go", func() int {
			st := takes[1].Strands[0]
			return s.call("PUT", "/api/strands/"+st.Id.String()+"/detached", map[string]any{"detached": true, "shift": 48, "was": 0}, nil)
		}, false},
		{"removing a file", func() int { return s.call("DELETE", "/api/files/"+takes[3].Strands[0].File.String(), nil, nil) }, true},
		{"another file", func() int {
			s.uploadFile(p, testmedia.Path(t, "2.48000.wav"))
			s.settled(p, 4)
			return 200
		}, false},
	} {
		whole, rows := m.whole, m.rows
		status := step.do()
		require.Contains(t, []int{200, 201, 202, 204}, status, step.what)
		m.follows(step.what)
		if !step.whole {
			assert.Equal(t, whole, m.whole, "the list was read whole for %s", step.what)
		}
		t.Log(step.what, "rows", m.rows-rows, "whole", m.whole-whole)
	}
}
