package edit_test

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"zestyloom/core/edit"
	"zestyloom/core/reel"
)

// A clip that somebody has put in its place is not said to have no start any more; nor are those that were moved with it.
func TestWhatIsMovedIsPlaced(t *testing.T) {
	r := laidInto(t, reel.New(), edit.Take{Name: "Wild", Start: -1, Frames: 1000, Strands: []edit.TakeStrand{{ID: "a", Position: 1, Label: "Boom", Frames: 1000}, {ID: "b", Position: 2, Label: "Lav", Frames: 1000}}})
	clip := r.Tracks[0].Clips[0]
	assert.True(t, clip.Unplaced)
	now := do(t, r, edit.Action{Move: &edit.Move{Clips: []string{clip.ID}, By: 500}})
	for _, tr := range now.Tracks {
		assert.False(t, tr.Clips[0].Unplaced, tr.Label)
		assert.EqualValues(t, 500, tr.Clips[0].At)
	}
}
