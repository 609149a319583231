package reel_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/reel"
	"zestyloom/core/snag"
)

func TestClipsMoveTogether(t *testing.T) {
	r := reel.New()
	r.Tracks = []reel.Track{
		{ID: "1", Label: "Boom", Clips: []reel.Clip{{ID: "a", Strand: "x1", At: 100, Length: 50}, {ID: "b", Strand: "x1", At: 150, In: 50, Length: 50}, {ID: "c", Strand: "y", At: 300, Length: 10}}},
		{ID: "2", Label: "Lav", Clips: []reel.Clip{{ID: "d", Strand: "x2", At: 100, Length: 100}}},
	}
	of := func(s string) bool { return strings.HasPrefix(s, "x") }
	ops := reel.MoveClips(r, reel.Move{Of: of, By: 30})
	moved, undo, err := reel.Apply(r, ops)
	require.NoError(t, err, "b takes the place that a leaves")
	assert.Equal(t, []int64{130, 180, 300}, []int64{moved.Tracks[0].Clips[0].At, moved.Tracks[0].Clips[1].At, moved.Tracks[0].Clips[2].At})
	assert.EqualValues(t, 130, moved.Tracks[1].Clips[0].At)
	back, _, err := reel.Apply(moved, undo)
	require.NoError(t, err)
	assert.Equal(t, r, back)

	// A clock that ran twice as fast as was thought: what two clips show of it still meets.
	moved, _, err = reel.Apply(r, reel.MoveClips(r, reel.Move{Of: of, Retime: func(f int64) int64 { return f / 2 }}))
	require.NoError(t, err)
	a, b := moved.Tracks[0].Clips[0], moved.Tracks[0].Clips[1]
	assert.Equal(t, reel.Clip{ID: "a", Strand: "x1", At: 100, Length: 25}, a)
	assert.Equal(t, a.End(), b.At)
	assert.EqualValues(t, 25, b.In)

	_, _, err = reel.Apply(r, reel.MoveClips(r, reel.Move{Of: of, By: 120}))
	assert.Equal(t, "overlap", snag.Of(err).Code)
	assert.Empty(t, reel.MoveClips(r, reel.Move{Of: of}))
}
