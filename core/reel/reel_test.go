package reel_test

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/reel"
	"zestyloom/core/snag"
)

const day = 48000 * 86400

var ids int

func newID() string { ids++; return fmt.Sprint("id", ids) }

func lay(name string, start, frames int64, labels ...string) reel.Lay {
	l := reel.Lay{Name: name, Start: start, Frames: frames, DayLen: day, NewID: newID}
	for i, s := range labels {
		l.Strands = append(l.Strands, reel.Strand{ID: fmt.Sprint(name, "/", i), Label: s, Mix: s == "MixL"})
	}
	return l
}

func laid(t *testing.T, r reel.Reel, l reel.Lay) reel.Reel {
	t.Helper()
	ops, err := reel.LayTake(r, l)
	require.NoError(t, err)
	r, _, err = reel.Apply(r, ops)
	require.NoError(t, err)
	return r
}

func TestLayTake(t *testing.T) {
	r := laid(t, reel.New(), lay("1", 1000, 500, "MixL", "Boom", "", "Boom"))
	var labels []string
	for _, tr := range r.Tracks {
		labels = append(labels, fmt.Sprint(tr.Label, tr.Off))
		require.Len(t, tr.Clips, 1)
		assert.EqualValues(t, 1000, tr.Clips[0].At)
	}
	assert.Equal(t, []string{"MixLtrue", "Boomfalse", "Strand 3false", "Boomfalse"}, labels, "two strands of one label need two tracks")
	r = laid(t, r, lay("2", 1500, 500, "Boom", "Lav"))
	require.Len(t, r.Tracks, 5)
	assert.Len(t, r.Tracks[1].Clips, 2, "the same label goes on the same track")
	r = laid(t, r, lay("3", 1700, 10, "Lav")) // over take 2
	require.Len(t, r.Tracks, 6)
	r = laid(t, r, lay("4", -1, 100, "Boom"))
	assert.EqualValues(t, 2000, r.Tracks[1].Clips[2].At, "without a start: at the end of what is there")
	var unplaced []string
	for _, tr := range r.Tracks {
		for _, c := range tr.Clips {
			if c.Unplaced {
				unplaced = append(unplaced, c.Name)
			}
		}
	}
	assert.Equal(t, []string{"4"}, unplaced, "and only it is said to be unplaced")
	start, end := r.Span()
	assert.Equal(t, []int64{1000, 2100}, []int64{start, end})
	_, err := reel.LayTake(r, lay("1", 9000, 500, "MixL"))
	assert.Equal(t, "laid_already", snag.Of(err).Code)
	_, err = reel.LayTake(r, lay("5", 0, 0, "x"))
	assert.Equal(t, "nothing_to_lay", snag.Of(err).Code)
}

func TestLayTakePastMidnight(t *testing.T) {
	r := laid(t, reel.New(), lay("1", day-1000, 500, "Boom"))
	r = laid(t, r, lay("2", 200, 100, "Boom"))
	assert.EqualValues(t, day+200, r.Tracks[0].Clips[1].At)
	fixed := int64(day - 5000)
	r.Start = &fixed
	start, end := r.Span()
	assert.Equal(t, []int64{fixed, day + 300}, []int64{start, end})
}
