package demo_test

import (
	"context"
	"slices"
	"testing"

	"github.com/google/uuid"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/reel"
	"zestyloom/internal/app"
	"zestyloom/internal/demo"
)

// The demonstration's second reel is an edited scene, with one of each thing that is done to laid sound; its third a trailer.
// Its cut lists find what they are meant to.
func sceneIsEdited(t *testing.T, a *app.App) {
	ctx := context.Background()
	ps, err := a.Store.Productions(ctx, uuid.Nil, 1)
	require.NoError(t, err)
	reels, err := a.Store.Reels(ctx, ps[0].ID)
	require.NoError(t, err)
	require.Len(t, reels, 4)
	surround(t, a, reels[3])
	var off, points, fades, over, borrowed, room int
	tied := map[string]map[int64]bool{}
	for _, tr := range reels[1].Doc.Tracks {
		for i, c := range tr.Clips {
			for _, o := range c.Off {
				if o.From < c.In+c.Length && c.In < o.To { // both parts of what was cut have what was drawn over it
					off++
				}
			}
			points += len(c.Gain)
			if c.FadeIn != (reel.Fade{}) {
				fades++
			}
			if i > 0 && tr.Clips[i-1].End() > c.At {
				over++
			}
			switch c.Name {
			case "21A-1":
				borrowed++
			case "room 21A-3":
				room++
			}
			assert.Zero(t, c.Away, "%s on %s", c.Name, tr.Label)
			if c.Tie != "" {
				if tied[c.Tie] == nil {
					tied[c.Tie] = map[int64]bool{}
				}
				tied[c.Tie][c.At-c.In-c.Away] = true
			}
		}
	}
	for tie, places := range tied {
		assert.Len(t, places, 1, "tie %s is in sync", tie)
	}
	assert.Equal(t, 2, off)
	assert.Equal(t, 1, borrowed)
	for name, n := range map[string]int{"points": points, "fades": fades, "crossfades": over, "room tone": room} {
		assert.Positive(t, n, name)
	}
	assert.Len(t, reels[1].Doc.Markers, 3)
	for _, r := range reels[1:3] { // the trailer is cut down from under the level that is drawn
		i := slices.IndexFunc(r.Doc.Tracks, func(tr reel.Track) bool { return tr.Label == "Ferry" })
		require.GreaterOrEqual(t, i, 0, r.Name)
		_, end := r.Doc.Span()
		assert.Equal(t, -9.0, r.Doc.Tracks[i].Gain.Value(end-1), r.Name)
	}
	kept := slices.IndexFunc(reels[1].Doc.Tracks, func(tr reel.Track) bool { return tr.Label == "Lav Marit, before print" })
	require.GreaterOrEqual(t, kept, 0, "a clip is printed, and what it was made of kept")
	assert.True(t, reels[1].Doc.Tracks[kept].Off)
	var seen []string
	for _, p := range reels[1].Doc.Pictures {
		seen = append(seen, p.Name)
	}
	assert.Equal(t, []string{"CAM_B_0007.mov", "CAM_A_0031.mov", "CAM_B_0007.mov"}, seen)
	assert.Len(t, reels[2].Doc.Pictures, 1)
	start, end := reels[2].Doc.Span()
	assert.EqualValues(t, 6*48000, end-start)
	for name, found := range map[string][]int{"low water, cut 1.edl": {1, 1, 1, 0}, "low water, cut 2.csv": {1, 1}} {
		c, err := a.ReadCutList(ctx, reels[0].ID, app.Incoming{Text: []byte(demo.CutLists[name])})
		require.NoError(t, err)
		require.Len(t, c.Matches, len(found), name)
		for i, m := range c.Matches {
			assert.Equal(t, found[i] > 0, len(m.Takes) > 0, "%s, event %d: %s", name, i+1, m.Says)
		}
	}
}
