package delivery_test

import (
	"context"
	"os/exec"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/delivery"
	"zestyloom/core/picture"
	"zestyloom/core/picture/picturetest"
)

// A reel that reaches beyond its picture at both ends: black is made there where it is ordered, and the sound is whole.
func TestBlackWhereTheReelReachesBeyondThePicture(t *testing.T) {
	f := newFixture(t, 3)
	from, to := f.reel.Span()
	path := picturetest.Numbered(t, filepath.Join(f.dir, "picture.mov"), 10, "25", "-c:v", "mpeg2video", "-pix_fmt", "yuv420p", "-timecode", pal.FormatSamples(from+10*1920, 48000))
	own := custom(delivery.FileRule{Container: "mov", Name: "all", Groups: []delivery.Group{{Each: delivery.EachStem}}})
	made := func(s delivery.Spec, black bool) (delivery.Plan, string, delivery.Proof) {
		pic, info, err := delivery.PictureOf(t.Context(), path, "file", "picture.mov", f.reel, 48000, nil)
		require.NoError(t, err)
		plan, err := delivery.Make(delivery.Order{Spec: s, Picture: pic, Black: black, Accept: []string{"not_delivered"}}, f.reel, pal, 48000)
		require.NoError(t, err)
		require.NoError(t, plan.FitPicture(t.Context(), path, info))
		dir, proof := f.proven(t, plan, path)
		return plan, dir, proof
	}
	asks := func(p delivery.Plan) (n int) {
		for _, q := range p.Problems {
			if q.Code == "not_delivered" {
				n++
			}
		}
		return n
	}
	plan, _, proof := made(own, false)
	assert.True(t, proof.Passed, proof.Failures())
	assert.Equal(t, 2, asks(plan), "what is before it and what is behind it")
	assert.EqualValues(t, 10*1920, plan.Frames)

	plan, dir, proof := made(own, true)
	require.True(t, proof.Passed, proof.Failures())
	assert.Zero(t, asks(plan))
	assert.LessOrEqual(t, plan.From, from)
	assert.GreaterOrEqual(t, plan.To, to)
	behind := (to - from - 20*1920 + 1919) / 1920
	assert.Equal(t, &picture.Cutting{Cut: picture.Cut{Frames: 10}, Codec: "mpeg2", Before: 10, After: behind}, plan.Order.Picture.Cut, "as the picture itself is coded")
	assert.Contains(t, plan.CutSays, "all of which is coded anew as MPEG-2")
	numbers := picturetest.Numbers(t, filepath.Join(dir, "all.mov"))
	require.Len(t, numbers, int(20+behind))
	for k := range 10 {
		assert.Equal(t, k, numbers[10+k])
	}
	// What stands before the programme lies in the black as well, and a codec of the spec counts more than the picture's own.
	lead := own
	lead.Programme.Before, lead.Recode.Codec = []delivery.Segment{{What: "silence", Seconds: 2}}, "h264"
	plan, dir, proof = made(lead, true)
	require.True(t, proof.Passed, proof.Failures())
	assert.EqualValues(t, 60, plan.Order.Picture.Cut.Before)
	info, err := picture.Probe(t.Context(), filepath.Join(dir, "all.mov"))
	require.NoError(t, err)
	assert.Equal(t, "h264", info.Picture.Codec)
	at, _, ok := info.Start(48000)
	assert.True(t, ok)
	assert.EqualValues(t, from-50*1920, at)

	// Black that isn't, found by the proof.
	pic, pinfo, err := delivery.PictureOf(t.Context(), path, "file", "picture.mov", f.reel, 48000, nil)
	require.NoError(t, err)
	plan, err = delivery.Make(delivery.Order{Spec: own, Picture: pic, Black: true}, f.reel, pal, 48000)
	require.NoError(t, err)
	require.NoError(t, plan.FitPicture(t.Context(), path, pinfo))
	options := delivery.Options{Sources: f.resolve, Picture: path}
	dir = t.TempDir()
	_, err = delivery.Write(context.Background(), plan, dir, options)
	require.NoError(t, err)
	out := filepath.Join(dir, "all.mov")
	bad := filepath.Join(dir, "bad.mov")
	b, err := exec.Command("ffmpeg", "-v", "error", "-y", "-i", out, "-map", "0", "-c", "copy", "-c:v", "mpeg2video", "-q:v", "2", "-vf", "drawbox=w=60:h=40:t=fill:color=gray:enable='lt(n,3)'", "-timecode", "22:00:00:00", bad).CombinedOutput()
	require.NoError(t, err, "%s", b)
	require.NoError(t, exec.Command("mv", bad, out).Run())
	proof, err = delivery.Prove(context.Background(), plan, dir, options)
	require.NoError(t, err)
	assert.False(t, proof.Passed)
	assert.Equal(t, []string{"all.mov: frames of black around it: 19 instead of 22"}, proof.Failures())
}
