package httpapi_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/audio"
	"zestyloom/internal/httpapi/contract"
)

// A layout of one's own is kept by name, offered with the others, used by a bus as one of them, and forgotten without the bus
// losing it.
func TestLayoutsOfOnesOwn(t *testing.T) {
	s := start(t, "")
	dome := audio.OwnLayout{Format: 1, Name: " Dome ", Speakers: []audio.Placed{{Name: "L", Azimuth: 22, Distance: 2.5, TrimDB: -1}, {Name: "R", Azimuth: -22}, {Name: "Top", Elevation: 90}, {Name: "LFE", NoPlace: true}}}
	var kept contract.LayoutOffered
	require.Equal(t, 200, s.call("PUT", "/api/layouts", dome, &kept))
	assert.Equal(t, "Dome", kept.Says)
	assert.Equal(t, "custom L@22/0/2.5/-1 R@-22/0 Top@0/90 LFE", kept.Name)
	assert.Equal(t, []string{"L", "R", "Top", "LFE"}, kept.Channels)
	assert.Equal(t, dome.Speakers, kept.Speakers)
	offered := func() (own []string) {
		var all []contract.LayoutOffered
		require.Equal(t, 200, s.call("GET", "/api/layouts", nil, &all))
		for _, l := range all {
			if l.Own != nil {
				own = append(own, l.Says)
			}
		}
		assert.Greater(t, len(all), 20)
		return own
	}
	assert.Equal(t, []string{"Dome"}, offered())
	dome.Speakers = dome.Speakers[:3]
	var again contract.LayoutOffered
	require.Equal(t, 200, s.call("PUT", "/api/layouts", dome, &again))
	assert.Equal(t, kept.Own, again.Own, "one of that name is replaced")
	assert.Equal(t, []string{"Dome"}, offered())

	p := s.production()
	var r contract.Reel
	require.Equal(t, 200, s.call("GET", "/api/productions/"+p+"/reel", nil, &r))
	edit := map[string]any{"version": r.Version, "what": "a dome", "actions": []any{map[string]any{"weave": map[string]any{"add_bus": map[string]any{"bus": map[string]any{"name": "Dome FX", "role": "stem", "layout": kept.Name}}}}}}
	require.Equal(t, 200, s.call("POST", "/api/reels/"+r.Id.String()+"/edits", edit, nil))
	require.Equal(t, 204, s.call("DELETE", "/api/layouts/"+kept.Own.String(), nil, nil))
	assert.Empty(t, offered())
	assert.Equal(t, 404, s.call("DELETE", "/api/layouts/"+kept.Own.String(), nil, nil))
	require.Equal(t, 200, s.call("GET", "/api/productions/"+p+"/reel", nil, &r))
	bus := r.Doc.Weave.Buses[len(r.Doc.Weave.Buses)-1]
	assert.Equal(t, kept.Name, bus.Layout)
	assert.Equal(t, []string{"L", "R", "Top", "LFE"}, (*r.WorkedOut.Layouts)[kept.Name])

	for name, bad := range map[string]audio.OwnLayout{
		"a name of ours": {Format: 1, Name: "5.1", Speakers: dome.Speakers},
		"twice":          {Format: 1, Name: "x", Speakers: []audio.Placed{{Name: "A"}, {Name: "a"}}},
		"two words":      {Format: 1, Name: "x", Speakers: []audio.Placed{{Name: "A B"}}},
	} {
		assert.Equal(t, 422, s.call("PUT", "/api/layouts", bad, nil), name)
	}
	assert.Equal(t, 400, s.call("PUT", "/api/layouts", audio.OwnLayout{Name: "x", Speakers: []audio.Placed{{Name: "A", Azimuth: 200}}}, nil))
}
