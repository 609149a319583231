package reel_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/reel"
	"zestyloom/core/snag"
	"zestyloom/core/weave"
)

func TestClipsMoveTogether(t *testing.T) {
	r := reel.New()
	r.Tracks = []reel.Track{
		{ID: "1", Label: "Boom", Layout: "mono", Clips: []reel.Clip{{ID: "a", Strands: []string{"x1"}, At: 100, Length: 50}, {ID: "b", Strands: []string{"x1"}, At: 150, In: 50, Length: 50}, {ID: "c", Strands: []string{"y"}, At: 300, Length: 10}}},
		{ID: "2", Label: "Lav", Layout: "mono", Clips: []reel.Clip{{ID: "d", Strands: []string{"x2"}, At: 100, Length: 100}}},
	}
	of := func(s string) bool { return strings.HasPrefix(s, "x") }
	ops := reel.MoveClips(r, reel.Shift{Of: of, By: 30})
	moved, undo, err := reel.Apply(r, ops)
	require.NoError(t, err, "b takes the place that a leaves")
	assert.Equal(t, []int64{130, 180, 300}, []int64{moved.Tracks[0].Clips[0].At, moved.Tracks[0].Clips[1].At, moved.Tracks[0].Clips[2].At})
	assert.EqualValues(t, 130, moved.Tracks[1].Clips[0].At)
	back, _, err := reel.Apply(moved, undo)
	require.NoError(t, err)
	assert.Equal(t, r, back)

	// A clock that ran twice as fast as was thought: what two clips show of it still meets.
	moved, _, err = reel.Apply(r, reel.MoveClips(r, reel.Shift{Of: of, Retime: func(f int64) int64 { return f / 2 }}))
	require.NoError(t, err)
	a, b := moved.Tracks[0].Clips[0], moved.Tracks[0].Clips[1]
	assert.Equal(t, reel.Clip{ID: "a", Strands: []string{"x1"}, At: 100, Length: 25}, a)
	assert.Equal(t, a.End(), b.At)
	assert.EqualValues(t, 25, b.In)

	_, _, err = reel.Apply(r, reel.MoveClips(r, reel.Shift{Of: of, By: 120}))
	assert.Equal(t, "overlap", snag.Of(err).Code)

	// With room made for it: b would lie over c, and comes onto a track of its own below, routed alike.
	r.Weave.Sends["1"] = []weave.Send{{To: "DX", Patch: weave.Patch{Preset: weave.Left}}}
	made := 0
	newID := func() string { made++; return strings.Repeat("new", made) }
	room, undo, err := reel.Apply(r, reel.MoveClips(r, reel.Shift{Of: of, By: 120, NewID: newID}))
	require.NoError(t, err)
	require.Len(t, room.Tracks, 3)
	assert.Equal(t, "new", room.Tracks[1].ID)
	assert.Equal(t, "Boom", room.Tracks[1].Label)
	assert.Equal(t, []reel.Clip{{ID: "b", Strands: []string{"x1"}, At: 270, In: 50, Length: 50}}, room.Tracks[1].Clips)
	assert.Equal(t, room.Weave.Sends["1"], room.Weave.Sends["new"])
	assert.Len(t, room.Tracks[0].Clips, 2)
	back, _, err = reel.Apply(room, undo)
	require.NoError(t, err)
	assert.Equal(t, r, back)
	// Moved on, it finds the track of its label that has room, or is given one.
	room, _, err = reel.Apply(room, reel.MoveClips(room, reel.Shift{Of: func(s string) bool { return s == "y" }, By: -31, NewID: newID}))
	require.NoError(t, err)
	assert.Equal(t, 2, made, "no track of that label is free there")
	assert.Len(t, room.Tracks, 4)
	assert.Empty(t, reel.MoveClips(r, reel.Shift{Of: of}))
}

// What nobody knows the place of stays so while it is moved by hand, and not once it is placed, even where it lies
// already.
func TestMovedToWhereItBelongs(t *testing.T) {
	r := reel.New()
	r.Tracks = []reel.Track{{ID: "1", Label: "x", Layout: "mono", Clips: []reel.Clip{{ID: "a", Strands: []string{"x"}, At: 100, Length: 50, Unplaced: true}}}}
	of := func(string) bool { return true }
	for _, c := range []struct {
		m    reel.Shift
		want reel.Clip
	}{
		{reel.Shift{Of: of, By: 7}, reel.Clip{ID: "a", Strands: []string{"x"}, At: 107, Length: 50, Unplaced: true}},
		{reel.Shift{Of: of, By: 7, Placed: true}, reel.Clip{ID: "a", Strands: []string{"x"}, At: 107, Length: 50}},
		{reel.Shift{Of: of, Placed: true}, reel.Clip{ID: "a", Strands: []string{"x"}, At: 100, Length: 50}},
	} {
		moved, undo, err := reel.Apply(r, reel.MoveClips(r, c.m))
		require.NoError(t, err)
		assert.Equal(t, c.want, moved.Tracks[0].Clips[0])
		back, _, err := reel.Apply(moved, undo)
		require.NoError(t, err)
		assert.Equal(t, r, back)
	}
}

// A take that comes to begin elsewhere takes its clips along, the shorter way round the day; one that had no start comes
// from where it was laid for want of one, whatever lies beside it and however far a strand of it is from home.
func TestATakeComesToBeginElsewhere(t *testing.T) {
	const day = 1000
	r := reel.New()
	r.Tracks = []reel.Track{
		{ID: "1", Label: "Boom", Layout: "mono", Clips: []reel.Clip{{ID: "a", Strands: []string{"x"}, At: 990, In: 10, Length: 5}}},
		{ID: "2", Label: "Lav", Layout: "mono", Clips: []reel.Clip{{ID: "b", Strands: []string{"y"}, At: 993, In: 10, Length: 5}}},
		{ID: "3", Label: "Else", Layout: "mono", Clips: []reel.Clip{{ID: "c", Strands: []string{"z"}, At: 990, Length: 5}}},
	}
	m := reel.Realign{Strands: map[string]int64{"x": 0, "y": 3}, From: 980, To: 5, Day: day}
	moved, undo, err := reel.Apply(r, reel.RealignClips(r, m))
	require.NoError(t, err)
	at := func(r reel.Reel) (out []int64) {
		for _, tr := range r.Tracks {
			out = append(out, tr.Clips[0].At)
		}
		return out
	}
	assert.Equal(t, []int64{1015, 1018, 990}, at(moved), "over midnight, and not back through the day")
	back, _, err := reel.Apply(moved, undo)
	require.NoError(t, err)
	assert.Equal(t, r, back)

	for i := range 2 {
		r.Tracks[i].Clips[0].Unplaced = true
	}
	m.From, m.To = -1, 985
	moved, _, err = reel.Apply(r, reel.RealignClips(r, m))
	require.NoError(t, err)
	assert.Equal(t, []int64{995, 998, 990}, at(moved))
	assert.False(t, moved.Tracks[0].Clips[0].Unplaced)
	m.Strands = map[string]int64{"y": 3}
	moved, _, err = reel.Apply(r, reel.RealignClips(r, m))
	require.NoError(t, err)
	assert.Equal(t, []int64{990, 998, 990}, at(moved), "a strand away from home says as well where its take was laid")
}
