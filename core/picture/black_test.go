package picture

import (
	"os/exec"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/picture/picturetest"
	"zestyloom/internal/testmedia"
)

// Black at the edges of a picture is of its size and rate, and the picture between it is the picture.
func TestBlackAroundAPicture(t *testing.T) {
	dir := t.TempDir()
	type kind struct {
		rate, codec   string
		before, after int64
	}
	for _, of := range testmedia.Some([]kind{
		{"25", "h264", 7, 0}, {"25", "h265", 0, 13}, {"25", "mpeg2", 7, 13}, {"25", "ffv1", 7, 13},
		{"30000/1001", "h264", 30, 1}, {"24000/1001", "mpeg2", 0, 25},
	}, 3, 4) {
		path := picturetest.Numbered(t, filepath.Join(dir, "a.mov"), 40, of.rate, "-c:v", "libx264", "-g", "12", "-pix_fmt", "yuv420p", "-timecode", "10:00:00:00")
		was, err := Probe(t.Context(), path)
		require.NoError(t, err)
		c := Cutting{Cut: Cut{0, 40}, Codec: of.codec, Before: of.before, After: of.after}
		out := filepath.Join(dir, of.codec+".mov")
		require.NoError(t, Pack{Kind: "mov", Picture: path, Cut: &c, Out: out, Start: "09:59:00:00"}.Write(t.Context()), "%v", of)
		made, err := Probe(t.Context(), out)
		require.NoError(t, err)
		assert.Equal(t, c.Length(), made.Picture.Frames(), "%v", of)
		assert.Equal(t, was.Picture.Rate(), made.Picture.Rate(), "%v", of)
		assert.Equal(t, [2]int{was.Picture.Width, was.Picture.Height}, [2]int{made.Picture.Width, made.Picture.Height})
		l, err := c.Compare(t.Context(), path, out, true)
		require.NoError(t, err)
		assert.Equal(t, c.Length(), l.Frames)
		assert.Equal(t, of.before+of.after, l.Black, "%v", of)
		assert.Greater(t, l.Least, 30.0, "%v", of)
		// Numbers are read by a decoder that knows nothing of black: the picture begins where it should.
		numbers := picturetest.Numbers(t, out)
		require.Len(t, numbers, int(c.Length()))
		for k := range int64(40) {
			assert.EqualValues(t, k, numbers[of.before+k], "%v", of)
		}
		// A frame too early, and black that is none, are found.
		l, err = Cutting{Cut: Cut{0, 39}, Codec: of.codec, Before: of.before + 1, After: of.after}.Compare(t.Context(), path, out, true)
		require.NoError(t, err)
		assert.Less(t, l.Least, 25.0)
		assert.Less(t, l.Black, of.before+of.after+1)
	}
	grey := filepath.Join(dir, "grey.mov")
	require.NoError(t, exec.Command("ffmpeg", "-v", "error", "-y", "-f", "lavfi", "-i", "color=0x080808:size=64x36:rate=25:duration=1", "-c:v", "libx264", "-pix_fmt", "yuv420p", grey).Run())
	info, err := Probe(t.Context(), grey)
	require.NoError(t, err)
	n, err := info.black(t.Context(), grey, Cutting{Cut: Cut{0, 5}, Before: 10, After: 10})
	require.NoError(t, err)
	assert.Zero(t, n, "dark grey is not black")
	assert.Equal(t, "h264", info.CoderOf())
}
