package mix_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/automation"
	"zestyloom/core/mix"
	"zestyloom/core/reel"
	"zestyloom/core/weave"
)

// A stretch has the same fingerprint as long as it sounds the same, whatever is done elsewhere, and another once it does not.
func TestFingerprints(t *testing.T) {
	_, sources := strandsOf(t, 1, 2, modelFrames)
	long := int64(1 << 20)
	made := func() reel.Reel {
		r := oneTrack(reel.Clip{ID: "1", Strands: []string{"0/0"}, At: 0, Length: 4 * long, GainDB: -3},
			reel.Clip{ID: "2", Strands: []string{"0/1"}, At: 6 * long, Length: long})
		return r
	}
	print := func(r reel.Reel, from int64) uint64 {
		p, err := mix.Compile(r, 48000, sources)
		require.NoError(t, err)
		h, err := p.Fingerprints().Of("DX", from, from+long, 1000, 64)
		require.NoError(t, err)
		return h
	}
	base := made()
	for name, c := range map[string]struct {
		do   func(r *reel.Reel)
		same []int64
		not  []int64
	}{
		"a clip is cut elsewhere": {func(r *reel.Reel) {
			a := r.Tracks[0].Clips[0]
			b := a
			b.ID, b.At, b.In, b.Length = "1b", 3*long+5, 3*long+5, long-5
			a.Length = 3*long + 5
			r.Tracks[0].Clips = append([]reel.Clip{a, b}, r.Tracks[0].Clips[1])
		}, []int64{0, long, 6 * long}, nil},
		"a gain of one clip":  {func(r *reel.Reel) { r.Tracks[0].Clips[1].GainDB = 1 }, []int64{0, 2 * long}, []int64{6 * long}},
		"the send's gain":     {func(r *reel.Reel) { r.Weave.Sends["t"] = to("DX", weave.Both, -1) }, nil, []int64{0, 6 * long}},
		"a range off":         {func(r *reel.Reel) { r.Tracks[0].Clips[0].Off = []reel.Range{{From: 10, To: 100}} }, []int64{2 * long}, []int64{0}},
		"a name and a note":   {func(r *reel.Reel) { r.Tracks[0].Clips[0].Name, r.Tracks[0].Clips[0].Note = "x", "y" }, []int64{0, 2 * long}, nil},
		"a fade at the end":   {func(r *reel.Reel) { r.Tracks[0].Clips[0].FadeOut.Length = 100 }, []int64{0, 2 * long}, []int64{3 * long}},
		"the second is moved": {func(r *reel.Reel) { r.Tracks[0].Clips[1].At += 5 }, []int64{0}, []int64{6 * long}},
		"the track is off":    {func(r *reel.Reel) { r.Tracks[0].Off = true }, nil, []int64{0, 6 * long}},
		"a point of the track's gain": {func(r *reel.Reel) {
			r.Tracks[0].Gain = automation.Curve{{At: 0, Value: 0}, {At: 6 * long, Value: 0}, {At: 6*long + 9, Value: -3}}
		}, nil, []int64{6 * long}},
	} {
		r := made()
		c.do(&r)
		for _, at := range c.same {
			assert.Equal(t, print(base, at), print(r, at), "%s: at %d", name, at/long)
		}
		for _, at := range c.not {
			assert.NotEqual(t, print(base, at), print(r, at), "%s: at %d", name, at/long)
		}
	}
	p, err := mix.Compile(base, 48000, sources)
	require.NoError(t, err)
	_, err = p.Fingerprints().Of("nobody", 0, 1, 0, 0)
	assert.Error(t, err)
}
