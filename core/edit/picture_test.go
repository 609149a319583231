package edit_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/edit"
	"zestyloom/core/reel"
)

// shown is what is seen at each sample of a stretch: which sample of which file, 0 for nothing.
func shown(r reel.Reel, from, to int64) []int64 {
	out := make([]int64, to-from)
	for _, p := range r.Pictures {
		for at := max(from, p.At); at < min(to, p.End()); at++ {
			out[at-from] = int64(p.File[0])<<32 + p.In + at - p.At
		}
	}
	return out
}

// A picture makes room for itself, and is put in, taken out and cut with the time of the reel, so that what is seen beside
// each sound is what was seen there before.
func TestPicturesKeepStepWithTheSound(t *testing.T) {
	r := do(t, scene(t), edit.Action{LayPicture: &edit.LayPicture{File: "a", Name: "cut.mov", At: 9000, Length: 20_000}})
	before := shown(r, 9000, 29_000)

	inserted := do(t, r, edit.Action{InsertTime: &edit.InsertTime{At: 12_000, By: 700}})
	require.Len(t, inserted.Pictures, 2)
	assert.Equal(t, before[:3000], shown(inserted, 9000, 12_000))
	assert.Equal(t, make([]int64, 700), shown(inserted, 12_000, 12_700), "nothing is seen in time that was put in")
	assert.Equal(t, before[3000:], shown(inserted, 12_700, 29_700))
	one := do(t, r, edit.Action{InsertTime: &edit.InsertTime{At: 12_000, By: 700, Tracks: []string{r.Tracks[0].ID}, Alone: true}})
	assert.Equal(t, before, shown(one, 9000, 29_000), "time put in on some tracks leaves the picture")

	closed := do(t, r, edit.Action{RemoveSpan: &edit.RemoveSpan{From: 11_000, To: 11_500, Close: edit.All}})
	assert.Equal(t, before[:2000], shown(closed, 9000, 11_000))
	assert.Equal(t, before[2500:], shown(closed, 11_000, 28_500))
	left := do(t, r, edit.Action{RemoveSpan: &edit.RemoveSpan{From: 11_000, To: 11_500}})
	assert.Equal(t, before, shown(left, 9000, 29_000), "a gap that is left leaves the picture")

	over := do(t, r, edit.Action{LayPicture: &edit.LayPicture{File: "b", At: 15_000, In: 40, Length: 1000}})
	require.Len(t, over.Pictures, 3)
	assert.EqualValues(t, 'b', shown(over, 15_000, 15_001)[0]>>32)
	assert.Equal(t, before[7000:], shown(over, 16_000, 29_000))

	down, err := edit.CutDown(r, 11_000, 12_000, newID)
	require.NoError(t, err)
	assert.Equal(t, before[2000:3000], shown(down, 11_000, 12_000))
	require.Len(t, down.Pictures, 1)

	_, err = try(t, r, edit.Action{CutPicture: &edit.CutPicture{At: 40_000}})
	require.ErrorContains(t, err, "no picture lies there")
	_, err = try(t, r, edit.Action{SetPictures: &reel.SetPictures{Put: []reel.Picture{{ID: "x", File: "b", At: 9500, Length: 10}}}})
	require.ErrorContains(t, err, "would lie over")
}
