package mix_test

import (
	"reflect"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/audio"
	"zestyloom/core/automation"
	"zestyloom/core/mix"
	"zestyloom/core/reel"
	"zestyloom/core/spatial"
	"zestyloom/core/treat"
	"zestyloom/core/weave"
)

// Every property of a clip and of a track is either heard, and then another fingerprint, or said here not to be: one that is added
// and is in neither list fails.
func TestEveryPropertyIsHeardOrNot(t *testing.T) {
	_, sources := strandsOf(t, 1, 2, modelFrames)
	base := func() reel.Reel {
		return oneTrack(reel.Clip{ID: "1", Strands: []string{"0/0"}, At: 0, Length: 48000, GainDB: -3})
	}
	fingerprint := func(r reel.Reel) uint64 {
		p, err := mix.Compile(r, 48000, sources)
		require.NoError(t, err)
		h, err := p.Fingerprints().Of("DX", 0, 48000, 1000, 64)
		require.NoError(t, err)
		return h
	}
	clip := func(do func(c *reel.Clip)) func(*reel.Reel) {
		return func(r *reel.Reel) { do(&r.Tracks[0].Clips[0]) }
	}
	// What there has to be beside, so that they can be.
	beside := map[string]func(*reel.Reel){
		"Clip.Patch":       clip(func(c *reel.Clip) { c.Patch = weave.Patch{Matrix: audio.Matrix{{0.5}}, Preset: weave.Custom} }),
		"Track.TreatMoves": func(r *reel.Reel) { r.Tracks[0].Treat.HighPass = treat.Pass{Hz: 100, Slope: 12} },
		"Track.Layout": func(r *reel.Reel) {
			r.Weave.Sends["t"][0].Patch = weave.Patch{Matrix: audio.Matrix{{1}, {0.5}}, Preset: weave.Custom}
			r.Tracks[0].Clips[0].Layout = "mono"
			r.Tracks[0].Clips[0].Patch = weave.Patch{Matrix: audio.Matrix{{0.5}}, Preset: weave.Custom}
		},
	}
	beside["Clip.Layout"] = beside["Clip.Patch"]
	heard := map[string]func(*reel.Reel){
		"Clip.Strands": clip(func(c *reel.Clip) { c.Strands = []string{"0/1"} }),
		"Clip.At":      clip(func(c *reel.Clip) { c.At = 7 }),
		"Clip.In":      clip(func(c *reel.Clip) { c.In = 7 }),
		"Clip.Length":  clip(func(c *reel.Clip) { c.Length = 7000 }),
		"Clip.Layout": func(r *reel.Reel) {
			beside["Clip.Patch"](r)
			r.Tracks[0].Clips[0].Layout = "discrete 1"
		},
		"Clip.Patch":   beside["Clip.Patch"],
		"Clip.GainDB":  clip(func(c *reel.Clip) { c.GainDB = -4 }),
		"Clip.Gain":    clip(func(c *reel.Clip) { c.Gain = automation.Curve{{At: 0, Value: -1}, {At: 100, Value: -2}} }),
		"Clip.Invert":  clip(func(c *reel.Clip) { c.Invert = true }),
		"Clip.FadeIn":  clip(func(c *reel.Clip) { c.FadeIn.Length = 100 }),
		"Clip.FadeOut": clip(func(c *reel.Clip) { c.FadeOut.Length = 100 }),
		"Clip.Off":     clip(func(c *reel.Clip) { c.Off = []reel.Range{{From: 10, To: 20}} }),

		"Track.Off":    func(r *reel.Reel) { r.Tracks[0].Off = true },
		"Track.GainDB": func(r *reel.Reel) { r.Tracks[0].GainDB = 1 },
		"Track.Gain":   func(r *reel.Reel) { r.Tracks[0].Gain = automation.Curve{{At: 0, Value: -1}, {At: 100, Value: -2}} },
		"Track.Treat":  beside["Track.TreatMoves"],
		"Track.TreatMoves": func(r *reel.Reel) {
			beside["Track.TreatMoves"](r)
			r.Tracks[0].TreatMoves = treat.Moves{"high_pass": automation.Curve{{At: 0, Value: 100}, {At: 1000, Value: 300}}}
		},
		"Track.Clips": func(r *reel.Reel) { r.Tracks[0].Clips = []reel.Clip{} },
		"Track.Layout": func(r *reel.Reel) {
			beside["Track.Layout"](r)
			r.Tracks[0].Layout = "discrete 1"
		},
	}
	silent := map[string]func(*reel.Reel){
		"Clip.ID": clip(func(c *reel.Clip) { c.ID = "x" }), "Clip.Name": clip(func(c *reel.Clip) { c.Name = "x" }), "Clip.Tie": clip(func(c *reel.Clip) { c.Tie = "x" }),
		"Clip.Away": clip(func(c *reel.Clip) { c.Away = 3 }), "Clip.Note": clip(func(c *reel.Clip) { c.Note = "x" }), "Clip.Unplaced": clip(func(c *reel.Clip) { c.Unplaced = true }),

		"Track.Label": func(r *reel.Reel) { r.Tracks[0].Label = "x" },
		// Where it is sent to when nobody says how: its sends say how it is.
		"Track.Place": func(r *reel.Reel) { r.Tracks[0].Place = &spatial.Position{Azimuth: 30} },
	}
	was := fingerprint(base())
	for of, typ := range map[string]reflect.Type{"Clip.": reflect.TypeFor[reel.Clip](), "Track.": reflect.TypeFor[reel.Track]()} {
		for i := range typ.NumField() {
			name := of + typ.Field(i).Name
			if name == "Track.ID" {
				continue // by which it is found
			}
			r := base()
			if do, ok := silent[name]; ok {
				do(&r)
				assert.Equal(t, was, fingerprint(r), "%s is not heard", name)
				continue
			}
			do, ok := heard[name]
			if !assert.True(t, ok, "%s is neither heard nor said not to be: add it to what it is, and to the fingerprint where it is heard", name) {
				continue
			}
			do(&r)
			without := base()
			if b, ok := beside[name]; ok && name != "Clip.Patch" {
				b(&without)
			}
			assert.NotEqual(t, fingerprint(without), fingerprint(r), "%s is heard", name)
		}
	}
}
