package httpapi_test

import (
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/weave"
	"zestyloom/internal/httpapi/contract"
)

// A stereo reel becomes a master with M&E by a template that was looked at before; the mixes are sums; it is undone in one
// step, and kept as a template of its own that another production finds.
func TestWeavesFromTemplates(t *testing.T) {
	s := start(t, "")
	p, r := s.laid()
	path := "/api/reels/" + r.Id.String()
	boom, score := r.Doc.Tracks[2].ID, r.Doc.Tracks[4].ID
	send := func(track, stem string) map[string]any {
		return map[string]any{"set_sends": map[string]any{"from": track, "sends": []any{map[string]any{"to": stem, "gain_db": 0, "patch": map[string]any{"preset": "both"}}}}}
	}
	var after contract.ReelEdited
	require.Equal(t, 200, s.call("POST", path+"/edits", map[string]any{"version": r.Version, "what": "send", "actions": []any{send(boom, "DX"), send(score, "MX")}}, &after))
	assert.Equal(t, "DX, mono on both sides, 0 dB", (*after.WorkedOut.Ways)[boom])

	var templates []contract.KeptTemplate
	require.Equal(t, 200, s.call("GET", "/api/weave-templates", nil, &templates))
	i := slices.IndexFunc(templates, func(k contract.KeptTemplate) bool { return k.Template.Name == "Stereo stems and M&E" })
	require.GreaterOrEqual(t, i, 0)
	use := map[string]any{"use": map[string]any{"template": templates[i].Template}}
	var preview contract.WeavePreview
	require.Equal(t, 200, s.call("POST", path+"/weave/preview", use, &preview))
	assert.Empty(t, preview.Lost)
	assert.Contains(t, preview.Rows, contract.WeaveRow{What: "bus", Name: "M&E", State: "added", Says: "mix, stereo"})
	assert.Contains(t, preview.Rows, contract.WeaveRow{What: "track", Name: "Boom", State: "kept", Says: "DX, mono on both sides, 0 dB"})
	require.Equal(t, 200, s.call("POST", path+"/edits", map[string]any{"version": after.Version, "what": "weave by template", "actions": []any{map[string]any{"weave": use}}}, &after))
	assert.Len(t, after.Changes.Routing.Outputs, 8)

	var nulls []contract.NullFigure
	require.Equal(t, 200, s.call("GET", path+"/weave/nulls", nil, &nulls))
	require.Len(t, nulls, 1)
	assert.Nil(t, nulls[0].WorstDb)
	assert.Equal(t, "M&E is the sum of MX + FX, bit for bit", nulls[0].Says)

	var kept contract.KeptTemplate
	require.Equal(t, 200, s.call("POST", path+"/weave/template", map[string]any{"name": "House", "description": "ours"}, &kept))
	assert.False(t, kept.Shipped)
	assert.Len(t, kept.Template.Routes, 3, "what its label says is music has found its way there")
	var problem contract.Problem
	assert.Equal(t, 422, s.call("POST", path+"/weave/template", map[string]any{"name": "Stereo stems and M&E"}, &problem))
	assert.Equal(t, "bad_template", problem.Code)
	other := s.reel(s.production())
	require.Equal(t, 200, s.call("POST", "/api/reels/"+other.Id.String()+"/edits", map[string]any{"version": other.Version, "what": "weave", "actions": []any{map[string]any{"weave": map[string]any{"use": map[string]any{"template": kept.Template}}}}}, &after))
	assert.Len(t, after.Changes.Routing.Outputs, 8)
	require.Equal(t, 204, s.call("DELETE", "/api/weave-templates/"+kept.Id, nil, nil))
	assert.Equal(t, 404, s.call("DELETE", "/api/weave-templates/"+kept.Id, nil, &problem))

	require.Equal(t, 200, s.call("POST", "/api/productions/"+p+"/undo", nil, nil))
	now := s.reel(p)
	assert.Len(t, now.Doc.Weave.Outputs, 6)
	assert.Equal(t, "DX", now.Doc.Weave.Sends[boom][0].To)
	assert.Equal(t, 422, s.call("POST", path+"/edits", map[string]any{"version": now.Version, "what": "x", "actions": []any{map[string]any{"weave": map[string]any{"remove_bus": map[string]any{"id": "nobody"}}}}}, &problem))
	assert.Equal(t, 400, s.call("POST", path+"/weave/preview", map[string]any{}, &problem))
	bad := weave.Template{Format: 7, Name: "x"}
	assert.NotEqual(t, 200, s.call("POST", "/api/weave-templates", bad, &problem))
}

// Two people: one reroutes a track while the other changes the outputs; a template is in the way of both.
func TestWeaveEditsInEachOthersWay(t *testing.T) {
	s := start(t, "")
	_, r := s.laid()
	path := "/api/reels/" + r.Id.String() + "/edits"
	weaving := func(c map[string]any) map[string]any {
		return map[string]any{"version": r.Version, "what": "x", "actions": []any{map[string]any{"weave": c}}}
	}
	require.Equal(t, 200, s.call("POST", path, weaving(map[string]any{"add_bus": map[string]any{"bus": map[string]any{"name": "VO PT", "role": "stem", "layout": "stereo", "kind": "VO", "language": "pt"}}}), nil))
	assert.Equal(t, 409, s.call("POST", path, weaving(map[string]any{"insert_outputs": map[string]any{"at": 0, "silence": 1}}), nil))
	boom := r.Doc.Tracks[2].ID
	assert.Equal(t, 409, s.call("POST", path, map[string]any{"version": r.Version, "what": "x", "actions": []any{map[string]any{"set_sends": map[string]any{"from": boom, "sends": []any{}}}}}, nil), "the whole routing has been changed meanwhile")
	require.Equal(t, 200, s.call("POST", path, map[string]any{"version": r.Version, "what": "x", "actions": []any{map[string]any{"set_track": map[string]any{"id": boom, "off": true}}}}, nil), "what is no routing is not")
}
