package reel_test

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"zestyloom/core/reel"
)

func TestChangesThatBringStrands(t *testing.T) {
	was := reel.Reel{Tracks: []reel.Track{{ID: "t", Clips: []reel.Clip{{ID: "a", Strands: []string{"1"}}, {ID: "b", Strands: []string{"2", "3"}}}}}}
	clips := func(clips ...reel.Clip) (c reel.Changes) {
		for _, clip := range clips {
			c.Clips = append(c.Clips, reel.Laid{Track: "t", Clip: clip})
		}
		return c
	}
	for what, c := range map[string]struct {
		changes reel.Changes
		want    bool
	}{
		"nothing":                 {reel.Changes{Gone: []string{"a"}}, false},
		"clips that were there":   {clips(reel.Clip{ID: "a", Strands: []string{"1"}, In: 5}, reel.Clip{ID: "b", Strands: []string{"2", "3"}}), false},
		"a clip of other strands": {clips(reel.Clip{ID: "a", Strands: []string{"4"}}), true},
		"fewer strands":           {clips(reel.Clip{ID: "b", Strands: []string{"2"}}), true},
		"a clip that came":        {clips(reel.Clip{ID: "a", Strands: []string{"1"}}, reel.Clip{ID: "c", Strands: []string{"1"}}), true},
	} {
		assert.Equal(t, c.want, reel.BringsStrands(was, c.changes), what)
	}
}
