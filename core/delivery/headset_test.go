package delivery_test

import (
	"context"
	"os"
	"os/exec"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/delivery"
	"zestyloom/core/picture"
)

// A picture goes out marked as it came, or as the specification asks where it said nothing; one that says otherwise is no
// delivery, and a file that has lost its marks fails the proof.
func TestPicturesForHeadsetsAreDelivered(t *testing.T) {
	t.Parallel()
	f := newFixture(t, 0.1)
	from, _ := f.reel.Span()
	plain := filepath.Join(f.dir, "plain.mov")
	b, err := exec.Command("ffmpeg", "-v", "error", "-f", "lavfi", "-i", "testsrc2=size=128x64:rate=25:duration=1.4", "-c:v", "libx264", "-g", "5", "-pix_fmt", "yuv420p", "-timecode", pal.FormatSamples(from, 48000), plain).CombinedOutput()
	require.NoError(t, err, "%s", b)
	marked := filepath.Join(f.dir, "marked.mov")
	over := picture.Seen(360, "over_under")
	require.NoError(t, picture.Pack{Kind: "mov", Picture: plain, Headset: &over, Out: marked, Start: pal.FormatSamples(from, 48000)}.Write(t.Context()))
	s := custom(delivery.FileRule{Container: "mov", Name: "all", Groups: []delivery.Group{{Each: delivery.EachStem}}})
	asks := s
	asks.Headset = delivery.Headset{Degrees: 360, Stereo: "over_under"}
	require.NoError(t, asks.Check())
	planned := func(s delivery.Spec, path string) delivery.Plan {
		pic, info, err := delivery.PictureOf(t.Context(), path, "file", filepath.Base(path), f.reel, 48000, nil)
		require.NoError(t, err)
		plan, err := delivery.Make(delivery.Order{Spec: s, Picture: pic, Accept: []string{"not_delivered"}}, f.reel, pal, 48000)
		require.NoError(t, err)
		require.NoError(t, plan.FitPicture(t.Context(), path, info))
		return plan
	}
	codes := func(p delivery.Plan) (out []string) {
		for _, q := range p.Problems {
			out = append(out, q.Code)
		}
		return out
	}
	made := func(p delivery.Plan, path string) (string, delivery.Proof) {
		dir, proof := f.proven(t, p, path)
		return filepath.Join(dir, "all.mov"), proof
	}
	for _, c := range []struct {
		spec   delivery.Spec
		path   string
		want   *picture.Headset
		marked bool
	}{{s, plain, nil, false}, {s, marked, &over, false}, {asks, marked, &over, false}, {asks, plain, &over, true}} {
		plan := planned(c.spec, c.path)
		assert.Equal(t, c.marked, plan.Order.Picture.Mark)
		if c.marked {
			assert.Contains(t, codes(plan), "headset_marked")
		}
		out, proof := made(plan, c.path)
		require.True(t, proof.Passed, proof.Failures())
		h, err := picture.ReadHeadset(out)
		require.NoError(t, err)
		if c.want == nil {
			assert.Nil(t, h)
		} else if assert.NotNil(t, h) {
			assert.True(t, h.Same(*c.want))
		}
	}
	differs := asks
	differs.Headset = delivery.Headset{Degrees: 180, Stereo: "side_by_side"}
	assert.Contains(t, codes(planned(differs, marked)), "headset_differs")
	lost := custom(delivery.FileRule{Container: "mxf", Name: "all", Groups: []delivery.Group{{Each: delivery.EachStem}}})
	assert.Contains(t, codes(planned(lost, marked)), "headset_lost")
	lost.Headset = asks.Headset
	assert.ErrorContains(t, lost.Check(), "marked for headsets in MOV and MP4")
	lost.Headset = delivery.Headset{Degrees: 90}
	assert.Error(t, lost.Check())

	// The marks are taken out of a file: what is proven then is not what was ordered.
	plan := planned(s, marked)
	dir := t.TempDir()
	options := delivery.Options{Sources: f.resolve, Picture: marked}
	_, err = delivery.Write(context.Background(), plan, dir, options)
	require.NoError(t, err)
	out := filepath.Join(dir, "all.mov")
	raw, err := os.ReadFile(out)
	require.NoError(t, err)
	for _, box := range []string{"st3d", "sv3d"} {
		for i := range raw {
			if string(raw[i:min(len(raw), i+4)]) == box {
				copy(raw[i:], "free")
			}
		}
	}
	require.NoError(t, os.WriteFile(out, raw, 0o600))
	proof, err := delivery.Prove(context.Background(), plan, dir, options)
	require.NoError(t, err)
	assert.Contains(t, proof.Failures(), "all.mov: picture, as it is seen with a headset (st3d, sv3d): nothing instead of 360° equirectangular, both eyes one over the other")
}
