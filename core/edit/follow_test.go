package edit_test

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/edit"
	"zestyloom/core/reel"
)

// cutTo is a stretch of one of three takes of three strands.
func cutTo(name string, from, at, length int64) edit.Cutting {
	t := edit.Take{Name: name, Start: 0, Frames: long}
	for i, label := range []string{"Boom", "Ines", "MixL"} {
		t.Strands = append(t.Strands, edit.TakeStrand{ID: fmt.Sprint(label, name), Position: i + 1, Label: label, Frames: long})
	}
	return edit.Cutting{Take: t, From: from, At: at, Length: length, Before: 1 << 40, Behind: 1 << 40}
}

func follow(t *testing.T, r reel.Reel, now ...edit.Cutting) reel.Reel {
	t.Helper()
	plan, err := edit.Follow(r, now, 1<<40, newID)
	require.NoError(t, err)
	require.NoError(t, plan.After.Check())
	done, undo, err := reel.Apply(r, plan.Ops)
	require.NoError(t, err)
	require.Equal(t, text(t, plan.After), text(t, done))
	back, _, err := reel.Apply(done, undo)
	require.NoError(t, err)
	require.Equal(t, text(t, r), text(t, back))
	inSync(t, done)
	return done
}

func clipsOf(r reel.Reel, track int) (out []string) {
	for _, c := range r.Tracks[track].Clips {
		out = append(out, fmt.Sprintf("%s %d-%d in %d", c.Name, c.At, c.End(), c.In))
	}
	return out
}

// A second version of a cut list: what moved takes along what was done to it, what was trimmed is trimmed at its outer edges,
// what went goes and what came is laid; nothing else is touched.
func TestTheReelFollowsTheCut(t *testing.T) {
	first := []edit.Cutting{cutTo("A", 500, 10_000, 2000), cutTo("B", 100, 12_000, 1000), cutTo("C", 0, 13_000, 1500)}
	r := follow(t, reel.New(), first...)
	assert.Equal(t, []string{"A 10000-12000 in 500", "B 12000-13000 in 100", "C 13000-14500 in 0"}, clipsOf(r, 0))
	assert.True(t, r.Tracks[2].Off, "the mix")
	require.Len(t, r.Cut, 3)

	// Done to A since: a line borrowed on one strand, a range off on another. To C: one strand cut alone.
	a, c := r.Tracks[0].Clips[0], r.Tracks[0].Clips[2]
	r = do(t, r,
		edit.Action{Borrow: &edit.Borrow{Track: r.Tracks[0].ID, From: 10_800, To: 11_200, Strand: "other", In: 50, Name: "lent"}},
		edit.Action{Off: &edit.Off{From: 11_300, To: 11_400, Tracks: []string{r.Tracks[1].ID}}},
		edit.Action{Cut: &edit.Cut{At: 13_700, Clips: []string{c.ID}, Alone: true}},
		edit.Action{AddTrack: &reel.AddTrack{Index: 9, Track: reel.Track{ID: "music", Label: "Music", Layout: "mono", Clips: []reel.Clip{{ID: "m", Name: "score", Strands: []string{"m"}, At: 9000, Length: 3000}}}}})
	_ = a

	// A begins 300 later in its take and lies 700 later; B is gone; C is where it was, 200 longer at its end; D is new.
	second := []edit.Cutting{cutTo("A", 800, 11_000, 1700), cutTo("C", 0, 13_000, 1700), cutTo("D", 40, 15_000, 500)}
	says := edit.Compare(r.Cut, second)
	var kinds []string
	for _, f := range says {
		kinds = append(kinds, fmt.Sprintf("%s %s %d %d %d", f.Name, f.Kind, f.By, f.Head, f.Tail))
	}
	assert.Equal(t, []string{"A both 700 300 0", "C trimmed 0 0 200", "D new 0 0 0", "B gone 0 0 0"}, kinds)
	now := follow(t, r, second...)
	assert.Equal(t, []string{"A 11000-11500 in 800", "lent 11500-11900 in 50", "A 11900-12700 in 1700", "C 13000-13700 in 0", "C 13700-14700 in 700", "D 15000-15500 in 40"}, clipsOf(now, 0))
	assert.Equal(t, []string{"A 11000-12700 in 800", "C 13000-14700 in 0", "D 15000-15500 in 40"}, clipsOf(now, 1))
	assert.Equal(t, []reel.Range{{From: 1800, To: 1900}}, now.Tracks[1].Clips[0].Off, "what was off stays off, where it sounds")
	assert.Equal(t, []string{"score 9000-12000 in 0"}, clipsOf(now, 3))
	assert.Equal(t, text(t, now), text(t, follow(t, now, second...)), "the same list once more changes nothing")

	// Let go and away from home it follows all the same, as far away.
	gone := do(t, now, edit.Action{Move: &edit.Move{Clips: []string{now.Tracks[1].Clips[0].ID}, By: 77, Alone: true}})
	third := follow(t, gone, cutTo("A", 800, 21_000, 1700), second[1], second[2])
	last := third.Tracks[1].Clips[len(third.Tracks[1].Clips)-1]
	assert.EqualValues(t, []int64{21_077, 77}, []int64{last.At, last.Away})

	// With handles: they go along.
	h := cutTo("A", 500, 10_000, 1000)
	h.Handle = 60
	handled := follow(t, reel.New(), h)
	assert.Equal(t, []string{"A 9940-11060 in 440"}, clipsOf(handled, 0))
	h.At = 12_000
	assert.Equal(t, []string{"A 11940-13060 in 440"}, clipsOf(follow(t, handled, h), 0))
}
