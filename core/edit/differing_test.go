package edit_test

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"zestyloom/core/edit"
	"zestyloom/core/reel"
)

// A track that is called otherwise than all that it plays is said to be; one that plays several things, or nothing, is not.
func TestDiffering(t *testing.T) {
	clips := func(strands ...string) (out []reel.Clip) {
		for _, s := range strands {
			out = append(out, reel.Clip{Strands: []string{s}})
		}
		return out
	}
	r := reel.Reel{Tracks: []reel.Track{
		{ID: "same", Label: "Boom", Clips: clips("a", "b")},
		{ID: "other", Label: "Ines", Clips: clips("a", "b")},
		{ID: "several", Label: "Ines", Clips: clips("a", "c")},
		{ID: "unknown", Label: "Ines", Clips: clips("a", "x")},
		{ID: "empty", Label: "Ines"},
	}}
	assert.Equal(t, map[string]string{"other": "Boom"}, edit.Differing(r, map[string]string{"a": "Boom", "b": "Boom", "c": "Lav"}))
}
