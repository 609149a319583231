package picture

import (
	"bytes"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/audio"
	"zestyloom/core/picture/picturetest"
	"zestyloom/core/snag"
	"zestyloom/internal/testmedia"
)

func counting(first, n int64) (out []int) {
	for k := range n {
		out = append(out, int(first+k))
	}
	return out
}

// Whatever coded a picture, a cut of it holds the frames that were ordered and no others, from the beginning of the sound on: copied
// where both edges allow it, and coded anew anywhere.
func TestPicturesAreCutToTheFrame(t *testing.T) {
	dir := t.TempDir()
	sound := filepath.Join(dir, "sound.wav")
	b, err := exec.Command("ffmpeg", "-v", "error", "-y", "-f", "lavfi", "-i", "sine=d=3:r=48000", sound).CombinedOutput()
	require.NoError(t, err, "%s", b)
	for name, of := range map[string]struct {
		rate string
		args []string
	}{
		"closed.mov": {"25", []string{"-c:v", "libx264", "-g", "20", "-bf", "3", "-x264opts", "open-gop=0:scenecut=0", "-pix_fmt", "yuv420p", "-timecode", "10:00:00:00"}},
		"open.mov":   {"25", []string{"-c:v", "libx264", "-g", "20", "-bf", "3", "-x264opts", "open-gop=1:scenecut=0", "-pix_fmt", "yuv420p"}},
		"ntsc.mp4":   {"30000/1001", []string{"-c:v", "libx264", "-g", "15", "-bf", "2", "-x264opts", "scenecut=0", "-pix_fmt", "yuv420p"}},
		"film.mkv":   {"24000/1001", []string{"-c:v", "libx264", "-g", "12", "-bf", "2", "-x264opts", "scenecut=0", "-pix_fmt", "yuv420p"}},
		"intra.mov":  {"24", []string{"-c:v", "mjpeg", "-qscale:v", "2", "-pix_fmt", "yuvj420p"}},
		"long.mxf":   {"25", []string{"-c:v", "mpeg2video", "-g", "12", "-bf", "2", "-qscale:v", "2", "-pix_fmt", "yuv420p"}},
		"late.mov":   {"25", []string{"-c:v", "libx264", "-g", "20", "-bf", "0", "-x264opts", "scenecut=0", "-pix_fmt", "yuv420p", "-output_ts_offset", "0.2"}},
	} {
		t.Run(name, func(t *testing.T) {
			t.Parallel()
			path := picturetest.Numbered(t, filepath.Join(dir, name), 100, of.rate, of.args...)
			require.Equal(t, counting(0, 100), picturetest.Numbers(t, path))
			info, err := Probe(t.Context(), path)
			require.NoError(t, err)
			copied, anew := 0, 0
			for _, c := range []Cut{{0, 100}, {60, 30}, {39, 3}, {60, 39}, {99, 1}} {
				e, err := info.Edges(t.Context(), path, c)
				require.NoError(t, err)
				assert.LessOrEqual(t, e.Before, c.First)
				cutting := Cutting{Cut: c, Codec: "h264"}
				if e.Copies {
					cutting.Codec = ""
					assert.Equal(t, c.First, e.Before)
					copied++
				} else {
					anew++
				}
				assert.Equal(t, name == "long.mxf" && c.First == 60, e.Open, "%+v", c)
				out := filepath.Join(dir, fmt.Sprintf("%s.%d.%d.mov", name, c.First, c.Frames))
				require.NoError(t, Pack{Kind: "mov", Picture: path, Cut: &cutting, Sounds: []string{sound}, Coding: audio.S16, Out: out, Start: "10:00:01:00"}.Write(t.Context()))
				assert.Equal(t, counting(c.First, c.Frames), picturetest.Numbers(t, out), "%+v, copied: %v", c, e.Copies)
				l, err := Compare(t.Context(), path, c, out, true)
				require.NoError(t, err)
				assert.Equal(t, c.Frames, l.Frames)
				if e.Copies {
					assert.Equal(t, Likeness{Frames: c.Frames, Same: c.Frames, Differs: -1, Least: l.Least, LeastAt: -1}, l)
				} else {
					assert.Greater(t, l.Least, 33.0, "%+v", c)
				}
				made, err := Probe(t.Context(), out)
				require.NoError(t, err)
				if c.Frames > 1 {
					assert.Equal(t, info.Picture.Rate(), made.Picture.Rate())
				}
				assert.Equal(t, c.Frames, made.Picture.Frames(), "%+v", c)
				if assert.Len(t, made.Sound, 1) {
					assert.Zero(t, made.Sound[0].Offset, "%+v", c)
					assert.EqualValues(t, 3*48000, made.Sound[0].Frames, "%+v", c)
				}
				assert.Equal(t, "10:00:01:00", made.Timecode)
				// A cut of the frames beside these is not taken for it.
				if c.Frames == 3 {
					l, err = Compare(t.Context(), path, Cut{c.First + 1, c.Frames}, out, true)
					require.NoError(t, err)
					assert.Less(t, l.Least, 25.0, "%+v", c)
					assert.Less(t, l.Same, l.Frames)
				}
			}
			assert.Positive(t, copied, "some are copied")
			if !strings.HasPrefix(name, "intra") {
				assert.Positive(t, anew, "and some can't be")
			}
		})
	}
}

// Each coder writes into each container that it is said to, and what it writes is like what was ordered.
func TestPicturesAreCodedAnew(t *testing.T) {
	dir := t.TempDir()
	path := filepath.Join(dir, "moving.mov")
	b, err := exec.Command("ffmpeg", "-v", "error", "-y", "-f", "lavfi", "-i", "testsrc2=size=320x180:rate=25:duration=3", "-c:v", "libx264", "-g", "50", "-qp", "10", "-pix_fmt", "yuv420p", path).CombinedOutput()
	require.NoError(t, err, "%s", b)
	assert.Len(t, CoderNames, len(Coders))
	for _, name := range CoderNames {
		for _, kind := range Coders[name].Containers[:testmedia.Sized(1, len(Coders[name].Containers))] {
			for _, megabits := range testmedia.Some([]float64{0, 3}, 0) {
				c := Cutting{Cut: Cut{7, 31}, Codec: name, Megabits: megabits}
				out := filepath.Join(dir, name+"."+kind)
				require.NoError(t, Pack{Kind: kind, Picture: path, Cut: &c, Out: out, Start: "01:00:00:00"}.Write(t.Context()), "%s in %s", name, kind)
				l, err := Compare(t.Context(), path, c.Cut, out, true)
				require.NoError(t, err)
				assert.Equal(t, c.Frames, l.Frames, "%s in %s", name, kind)
				assert.Greater(t, l.Least, 25.0, "%s in %s", name, kind)
				if megabits == 0 {
					assert.Greater(t, l.Least, 32.0, "%s in %s", name, kind)
				} else if st, err := os.Stat(out); assert.NoError(t, err) && Coders[name].Rated() {
					assert.Less(t, float64(st.Size())*8/(31.0/25), 2*megabits*1e6+3e5, "%s in %s", name, kind)
				}
				again := filepath.Join(dir, "again."+kind)
				require.NoError(t, Pack{Kind: kind, Picture: path, Cut: &c, Out: again, Start: "01:00:00:00"}.Write(t.Context()))
				x, err := os.ReadFile(out)
				require.NoError(t, err)
				y, err := os.ReadFile(again)
				require.NoError(t, err)
				assert.True(t, bytes.Equal(x, y), "%s in %s: the same again", name, kind)
			}
		}
	}
	// What is interlaced stays so.
	fields := filepath.Join(dir, "fields.mov")
	b, err = exec.Command("ffmpeg", "-v", "error", "-y", "-f", "lavfi", "-i", "testsrc2=size=320x180:rate=50:duration=2", "-vf", "interlace", "-c:v", "libx264", "-flags", "+ildct+ilme", "-g", "25", "-pix_fmt", "yuv420p", fields).CombinedOutput()
	require.NoError(t, err, "%s", b)
	out := filepath.Join(dir, "fields.cut.mov")
	require.NoError(t, Pack{Kind: "mov", Picture: fields, Cut: &Cutting{Cut: Cut{3, 20}, Codec: "h264"}, Out: out}.Write(t.Context()))
	made, err := Probe(t.Context(), out)
	require.NoError(t, err)
	assert.True(t, made.Picture.interlaced)
}

// What can't be cut says so.
func TestPicturesThatCantBeCut(t *testing.T) {
	dir := t.TempDir()
	path := picturetest.Numbered(t, filepath.Join(dir, "a.mov"), 50, "25", "-c:v", "libx264", "-pix_fmt", "yuv420p")
	info, err := Probe(t.Context(), path)
	require.NoError(t, err)
	for _, c := range []Cut{{-1, 3}, {0, 0}, {0, 51}, {50, 1}, {1 << 62, 1 << 62}} {
		_, err := info.Edges(t.Context(), path, c)
		assert.Equal(t, "picture_short", snag.Of(err).Code, "%+v", c)
		err = Pack{Kind: "mov", Picture: path, Cut: &Cutting{Cut: c}, Out: filepath.Join(dir, "b.mov")}.Write(t.Context())
		assert.Equal(t, "picture_short", snag.Of(err).Code, "%+v", c)
	}
	err = Pack{Kind: "mov", Picture: path, Cut: &Cutting{Cut: Cut{0, 3}, Codec: "none"}, Out: filepath.Join(dir, "b.mov")}.Write(t.Context())
	assert.Equal(t, "bad_spec", snag.Of(err).Code)
	// Frames of many lengths.
	uneven := filepath.Join(dir, "uneven.mov")
	b, err := exec.Command("ffmpeg", "-v", "error", "-y", "-i", path, "-vf", "setpts='(N*N/60+N)/25/TB'", "-fps_mode", "passthrough", "-c:v", "libx264", "-bf", "0", uneven).CombinedOutput()
	require.NoError(t, err, "%s", b)
	info, err = Probe(t.Context(), uneven)
	require.NoError(t, err)
	require.NotNil(t, info.Picture)
	_, err = info.Edges(t.Context(), uneven, Cut{10, 10})
	assert.Equal(t, "picture_uncounted", snag.Of(err).Code)
}
