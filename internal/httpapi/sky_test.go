package httpapi_test

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/internal/httpapi/contract"
)

// A sound that is put at a place in a sound field is seen there; what is no field has no sky.
func TestASky(t *testing.T) {
	s := start(t, "")
	_, r := s.laid()
	path := "/api/reels/" + r.Id.String()
	var after contract.ReelEdited
	boom := r.Doc.Tracks[2]
	edit := map[string]any{"version": r.Version, "what": "a field", "actions": []any{
		map[string]any{"weave": map[string]any{"add_bus": map[string]any{"bus": map[string]any{"id": "field", "name": "Field", "role": "stem", "kind": "FX", "layout": "ambisonic 3 SN3D"}}}},
		map[string]any{"set_sends": map[string]any{"from": boom.ID, "sends": []any{map[string]any{"to": "field", "gain_db": 0, "patch": map[string]any{"preset": "placed", "places": []any{map[string]any{"azimuth": -70}}}}}}},
	}}
	var problem contract.Problem
	if !assert.Equal(t, 200, s.call("POST", path+"/edits", edit, &after)) {
		s.call("POST", path+"/edits", edit, &problem)
		t.Fatal(problem.Detail)
	}
	var sky contract.Sky
	from := boom.Clips[0].At
	require.Equal(t, 200, s.call("GET", fmt.Sprintf("%s/sky?of=field&from=%d&to=%d&parts=4", path, from, from+20000), nil, &sky))
	require.Len(t, sky.Around, 4)
	require.Len(t, sky.Azimuths, 36)
	best := 0
	for a, v := range sky.Around[1] {
		if v > sky.Around[1][best] {
			best = a
		}
	}
	assert.InDelta(t, -70, sky.Azimuths[best], 0)
	assert.Greater(t, sky.Around[1][best], -60.0)
	assert.Equal(t, 422, s.call("GET", fmt.Sprintf("%s/sky?of=DX&from=%d&to=%d&parts=4", path, from, from+20000), nil, &problem))
	assert.Equal(t, "no_field", problem.Code)
	assert.Equal(t, 422, s.call("GET", fmt.Sprintf("%s/sky?of=field&from=%d&to=%d&parts=4", path, from, from+2), nil, &problem))
	assert.Equal(t, "bad_range", problem.Code)
}
