package httpapi_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/internal/httpapi/contract"
	"zestyloom/internal/testmedia"
)

// New reels begin with the template of their production, else with that of the house, else with none; one that has been forgotten is none.
func TestNewReelsBeginWithATemplate(t *testing.T) {
	s := start(t, "")
	buses := func(r contract.Reel) (names []string) {
		for _, b := range r.Doc.Weave.Buses {
			names = append(names, b.Name)
		}
		return names
	}
	added := func(p, name string) []string {
		var r contract.Reel
		require.Equal(t, 201, s.call("POST", "/api/productions/"+p+"/reels", map[string]any{"name": name}, &r))
		return buses(r)
	}
	before := s.production()
	plain := buses(s.reel(before))
	var b contract.Beginnings
	require.Equal(t, 200, s.call("PUT", "/api/beginnings", map[string]any{"template": "Stereo stems and M&E"}, &b))
	assert.Equal(t, contract.Beginnings{House: "Stereo stems and M&E"}, b)
	house := []string{"DX", "MX", "FX", "M&E"}
	assert.Equal(t, house, buses(s.reel(s.production())), "a production begins with what the house says")
	assert.Equal(t, plain, buses(s.reel(before)), "what is there stays as it is")
	assert.Equal(t, house, added(before, "Reel 2"))

	// A production says otherwise: a reel that nobody has touched is woven by it, and that is an edit like others.
	p := s.production()
	require.Equal(t, 200, s.call("PUT", "/api/beginnings", map[string]any{"production": p, "template": "5.1 and stereo on eight channels"}, &b))
	assert.Equal(t, contract.Beginnings{House: "Stereo stems and M&E", Production: "5.1 and stereo on eight channels"}, b)
	assert.Contains(t, buses(s.reel(p)), "Full mix 5.1")
	require.Equal(t, 200, s.call("POST", "/api/productions/"+p+"/undo", nil, nil))
	assert.Equal(t, house, buses(s.reel(p)))
	assert.Contains(t, added(p, "Reel 2"), "Full mix 5.1")

	// A template of one's own, that is then forgotten.
	var kept contract.KeptTemplate
	require.Equal(t, 200, s.call("POST", "/api/reels/"+s.reel(p).Id.String()+"/weave/template", map[string]any{"name": "Ours", "description": ""}, &kept))
	require.Equal(t, 200, s.call("PUT", "/api/beginnings", map[string]any{"production": p, "template": "Ours"}, nil))
	assert.Equal(t, house, added(p, "Reel 3"))
	require.Equal(t, 204, s.call("DELETE", "/api/weave-templates/"+kept.Id, nil, nil))
	require.Equal(t, 200, s.call("PUT", "/api/beginnings", map[string]any{"template": ""}, nil))
	assert.Equal(t, plain, added(p, "Reel 4"))

	var pr contract.Problem
	assert.Equal(t, 422, s.call("PUT", "/api/beginnings", map[string]any{"template": "Nothing"}, &pr))
	assert.Equal(t, "no_such_template", pr.Code)
	assert.Equal(t, 404, s.call("GET", "/api/beginnings?production=019a0000-0000-7000-8000-000000000001", nil, &pr))
}

// A track that was renamed by hand stays so when its strands are labelled, and says what these are called; either way brings them together.
func TestRenamedTracksSayThatTheyDiffer(t *testing.T) {
	s := start(t, "")
	p := s.production()
	s.uploadFile(p, testmedia.Path(t, "mono_bext.wav"))
	s.settled(p, 1)
	tk := s.takes(p)[0]
	label := func(value string) {
		require.Equal(t, 200, s.call("POST", "/api/productions/"+p+"/sheet", map[string]any{"what": "label", "cells": []any{map[string]any{"row": tk.Strands[0].Id, "field": "label", "value": value}}}, nil))
	}
	label("Boom")
	path := "/api/reels/" + s.reel(p).Id.String()
	require.Equal(t, 200, s.call("POST", path+"/takes", map[string]any{"takes": []any{tk.Id}}, nil))
	names := func() (out map[string]string) {
		require.Equal(t, 200, s.call("GET", path+"/names", nil, &out))
		return out
	}
	assert.Empty(t, names())
	r := s.reel(p)
	track := r.Doc.Tracks[0].ID
	require.Equal(t, 200, s.call("POST", path+"/edits", map[string]any{"version": r.Version, "what": "rename", "actions": []any{map[string]any{"set_track": map[string]any{"id": track, "label": "Ines"}}}}, nil))
	assert.Equal(t, map[string]string{track: "Boom"}, names())
	label("Lav")
	assert.Equal(t, "Ines", s.reel(p).Doc.Tracks[0].Label, "it does not follow any more")
	assert.Equal(t, map[string]string{track: "Lav"}, names())
	label("Ines")
	assert.Empty(t, names())
	label("Ben")
	assert.Equal(t, "Ben", s.reel(p).Doc.Tracks[0].Label, "called as its strands, it follows again")
}
