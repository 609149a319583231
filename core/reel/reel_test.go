package reel_test

import (
	"fmt"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/reel"
	"zestyloom/core/snag"
	"zestyloom/core/weave"
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

// Whatever is done is undone by the inverse, exactly, for thousands of random operations; and the
// reel that was started from is never changed.
func TestEveryOperationHasItsInverse(t *testing.T) {
	rnd := rand.New(rand.NewPCG(4, 2))
	r := laid(t, reel.New(), lay("1", 1000, 500, "a", "b", "c"))
	applied := 0
	for range 5000 {
		var track string
		if len(r.Tracks) > 0 {
			track = r.Tracks[rnd.IntN(len(r.Tracks))].ID
		}
		var op reel.Op
		switch rnd.IntN(9) {
		case 8:
			if i := rnd.IntN(max(1, len(r.Tracks))); i < len(r.Tracks) && len(r.Tracks[i].Clips) > 0 {
				op.SetPlaced = &reel.SetPlaced{Track: r.Tracks[i].ID, ID: r.Tracks[i].Clips[rnd.IntN(len(r.Tracks[i].Clips))].ID, Placed: rnd.IntN(2) == 0}
			}
		case 0:
			op.AddTrack = &reel.AddTrack{Index: rnd.IntN(5), Track: reel.Track{ID: newID(), Label: "x"}, Route: &weave.Route{Stem: "DX", Position: weave.Both}}
		case 1:
			op.RemoveTrack = &reel.RemoveTrack{ID: track}
		case 2, 3:
			op.AddClip = &reel.AddClip{Track: track, Clip: reel.Clip{ID: newID(), Strand: "s", At: rnd.Int64N(100000), Length: 1 + rnd.Int64N(500)}}
		case 4:
			if i := rnd.IntN(max(1, len(r.Tracks))); i < len(r.Tracks) && len(r.Tracks[i].Clips) > 0 {
				op.RemoveClip = &reel.RemoveClip{Track: r.Tracks[i].ID, ID: r.Tracks[i].Clips[rnd.IntN(len(r.Tracks[i].Clips))].ID}
			}
		case 5:
			op.SetTrack = &reel.SetTrack{ID: track, Label: fmt.Sprint("l", rnd.IntN(9)), Off: rnd.IntN(2) == 0}
		case 6:
			op.SetRoute = &reel.SetRoute{Track: track}
			if rnd.IntN(3) > 0 {
				op.SetRoute.Route = &weave.Route{Stem: []string{"DX", "MX", "gone"}[rnd.IntN(3)], GainDB: float64(rnd.IntN(20)), Position: weave.Left}
			}
		case 7:
			s := rnd.Int64N(1000)
			op.SetStart = &reel.SetStart{Start: &s}
			if rnd.IntN(2) == 0 {
				outs, err := r.Weave.Resize(1 + rnd.IntN(12))
				require.NoError(t, err)
				op = reel.Op{SetOutputs: &reel.SetOutputs{Outputs: outs}}
			}
		}
		before := fmt.Sprintf("%+v", r)
		after, inverse, err := reel.Apply(r, []reel.Op{op})
		require.Equal(t, before, fmt.Sprintf("%+v", r), "the reel given is left alone")
		if err != nil {
			continue // refused, and nothing changed
		}
		applied++
		back, _, err := reel.Apply(after, inverse)
		require.NoError(t, err)
		require.Equal(t, r.Tracks, back.Tracks)
		require.Equal(t, r.Weave, back.Weave)
		require.Equal(t, r.Start, back.Start)
		r = after
	}
	assert.Greater(t, applied, 2500)
}

func TestRefusals(t *testing.T) {
	r := laid(t, reel.New(), lay("1", 1000, 500, "a"))
	id := r.Tracks[0].ID
	neg := int64(-1)
	for code, op := range map[string]reel.Op{
		"overlap":       {AddClip: &reel.AddClip{Track: id, Clip: reel.Clip{ID: "n", Strand: "s", At: 1499, Length: 5}}},
		"bad_clip":      {AddClip: &reel.AddClip{Track: id, Clip: reel.Clip{ID: "n", Strand: "s", At: 5, Length: 0}}},
		"no_such_track": {SetPlaced: &reel.SetPlaced{Track: "none", ID: "none"}},
		"no_such_clip":  {SetPlaced: &reel.SetPlaced{Track: id, ID: "none", Placed: true}},
		"bad_label":     {SetTrack: &reel.SetTrack{ID: id, Label: "  "}},
		"bad_start":     {SetStart: &reel.SetStart{Start: &neg}},
		"bad_operation": {},
		"bad_track":     {AddTrack: &reel.AddTrack{Track: reel.Track{ID: id}}},
	} {
		_, _, err := reel.Apply(r, []reel.Op{op})
		if assert.Error(t, err, code) {
			assert.Equal(t, code, snag.Of(err).Code)
		}
	}
}
