package picture

import (
	"bytes"
	"encoding/json"
	"os"
	"os/exec"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/snag"
)

// seenBy is what another reader says of a picture for headsets.
func seenBy(t *testing.T, path string) (says map[string]any) {
	t.Helper()
	out, err := exec.Command("ffprobe", "-v", "error", "-select_streams", "v", "-show_entries", "stream_side_data", "-of", "json", path).Output()
	require.NoError(t, err)
	var p struct {
		Streams []struct {
			SideData []map[string]any `json:"side_data_list"`
		} `json:"streams"`
	}
	require.NoError(t, json.Unmarshal(out, &p))
	says = map[string]any{}
	for _, d := range p.Streams[0].SideData {
		for k, v := range d {
			says[k] = v
		}
	}
	return says
}

// flat makes a picture that nothing is said of, with a sound.
func flat(t *testing.T, dir string) string {
	path := filepath.Join(dir, "flat.mov")
	out, err := exec.Command("ffmpeg", "-v", "error", "-y", "-f", "lavfi", "-i", "testsrc2=size=128x64:rate=25:duration=2", "-f", "lavfi", "-i", "sine=r=48000:d=2", "-c:v", "libx264", "-g", "10", "-pix_fmt", "yuv420p", "-c:a", "pcm_s16le", path).CombinedOutput()
	require.NoError(t, err, "%s", out)
	return path
}

// Marks are written as another reader understands them, are read back by our own, and go along where the picture is copied, cut,
// coded anew or wrapped with another sound.
func TestPicturesForHeadsets(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	path := flat(t, dir)
	sound := filepath.Join(dir, "sound.wav")
	require.NoError(t, exec.Command("sox", "-n", "-r", "48000", "-b", "16", "-c", "2", sound, "synth", "2", "sine", "300").Run())
	for _, c := range []struct {
		h     Headset
		words string
		seen  map[string]any
	}{
		{Seen(360, ""), "360° equirectangular, one picture for both eyes", map[string]any{"projection": "equirectangular"}},
		{Seen(360, "one_picture"), "360° equirectangular, one picture for both eyes", map[string]any{"projection": "equirectangular", "type": "2D"}},
		{Seen(360, "over_under"), "360° equirectangular, both eyes one over the other", map[string]any{"projection": "equirectangular", "type": "top and bottom"}},
		{Seen(180, "side_by_side"), "180° equirectangular, both eyes side by side", map[string]any{ // bounds in points of the whole sphere, 64, which that reader rounds apart
			"projection": "tiled equirectangular", "type": "side by side", "bound_left": 65.0, "bound_right": 63.0}},
		{Seen(0, "side_by_side"), "both eyes side by side", map[string]any{"type": "side by side"}},
		{Headset{Projection: "equirectangular", Pose: [3]int32{90 << 16, -45 << 16, 1 << 15}}, "360° equirectangular, turned by 90°, -45°, 0.5°, one picture for both eyes", map[string]any{"yaw": 90.0, "pitch": -45.0}},
	} {
		assert.Equal(t, c.words, c.h.String())
		out := filepath.Join(dir, "marked.mov")
		require.NoError(t, Pack{Kind: "mov", Picture: path, Headset: &c.h, Out: out}.Write(t.Context()))
		says := seenBy(t, out)
		for k, v := range c.seen {
			assert.Equal(t, v, says[k], "%s: %s of %v", c.words, k, says)
		}
		info, err := Probe(t.Context(), out)
		require.NoError(t, err)
		require.NotNil(t, info.Picture.Headset)
		assert.True(t, info.Picture.Headset.Same(c.h), c.words)
		assert.Contains(t, info.Picture.String(), c.words)
		was, err := Packets(t.Context(), path)
		require.NoError(t, err)
		is, err := Packets(t.Context(), out)
		require.NoError(t, err)
		assert.Equal(t, was, is)

		if c.h.Stereo != "over_under" {
			continue
		}
		for name, pack := range map[string]Pack{
			"copied.mov": {Kind: "mov", Picture: out, Out: filepath.Join(dir, "copied.mov")},
			"copied.mp4": {Kind: "mp4", Picture: out, Out: filepath.Join(dir, "copied.mp4")},
			"cut.mov":    {Kind: "mov", Picture: out, Cut: &Cutting{Cut: Cut{10, 10}}, Out: filepath.Join(dir, "cut.mov")},
			"anew.mov":   {Kind: "mov", Picture: out, Cut: &Cutting{Cut: Cut{3, 10}, Codec: "h265"}, Out: filepath.Join(dir, "anew.mov")},
		} {
			require.NoError(t, pack.Write(t.Context()), name)
			h, err := ReadHeadset(pack.Out)
			require.NoError(t, err)
			if assert.NotNil(t, h, "%s: %s", name, c.words) {
				assert.True(t, h.Same(c.h), "%s: %s", name, c.words)
				assert.Equal(t, info.Picture.Headset.boxes, h.boxes, "byte for byte")
			}
		}
		w, err := Wrap(t.Context(), WrapOptions{Picture: out, Sound: sound, Groups: []int{2}, Out: filepath.Join(dir, "wrapped.mov"), Tmp: dir, Force: true})
		require.NoError(t, err)
		assert.True(t, w.Headset.Same(c.h))
		other := Seen(180, "over_under")
		_, err = Wrap(t.Context(), WrapOptions{Picture: out, Sound: sound, Groups: []int{2}, Headset: &other, Out: filepath.Join(dir, "wrapped.mov"), Tmp: dir, Force: true})
		assert.Equal(t, "bad_headset", snag.Of(err).Code, "it is marked as something else")
		w, err = Wrap(t.Context(), WrapOptions{Picture: out, Sound: sound, Groups: []int{2}, Out: filepath.Join(dir, "wrapped.mkv"), Tmp: dir, Force: true})
		require.NoError(t, err)
		assert.Equal(t, "headset_lost", w.Snags[len(w.Snags)-1].Code)
	}
	none, err := ReadHeadset(path)
	require.NoError(t, err)
	assert.Nil(t, none)
	assert.Error(t, markHeadset(sound, Seen(360, "")))
}

// Boxes that another wrote are kept as they are, those that can't be are said and stop nothing.
func TestForeignMarksForHeadsets(t *testing.T) {
	dir := t.TempDir()
	path := flat(t, dir)
	put := func(boxes []byte) string {
		out := filepath.Join(dir, "foreign.mov")
		require.NoError(t, Pack{Kind: "mov", Picture: path, Headset: &Headset{boxes: boxes}, Out: out}.Write(t.Context()))
		return out
	}
	head := fields(uint32(0))
	sphere := func(parts ...[]byte) []byte {
		return box("sv3d", box("svhd", head, []byte("x\x00")), box("proj", parts...))
	}
	for name, c := range map[string]struct {
		boxes []byte
		want  *Headset
	}{
		"a cube":            {sphere(box("cbmp", head, fields(uint32(0), uint32(3)))), &Headset{Projection: "cubemap"}},
		"a mesh":            {append(box("st3d", head, []byte{2}), sphere(box("prhd", head, fields([3]int32{})), box("mshp", head, make([]byte, 300)))...), &Headset{Stereo: "side_by_side", Projection: "mesh"}},
		"stereo of its own": {box("st3d", head, []byte{3}), nil},
		"cut short":         {sphere(box("equi", head, fields(uint32(0)))), nil},
		"no projection":     {sphere(box("prhd", head, fields([3]int32{}))), nil},
		"bounds of nothing": {sphere(box("equi", head, fields([4]uint32{0, 0, 1 << 31, 1 << 31}))), nil},
	} {
		out := put(c.boxes)
		info, err := Probe(t.Context(), out)
		require.NoError(t, err, name)
		if c.want == nil {
			assert.Nil(t, info.Picture.Headset, name)
			if assert.NotEmpty(t, info.Snags, name) {
				assert.Equal(t, "bad_headset", info.Snags[0].Code, name)
			}
			continue
		}
		if assert.NotNil(t, info.Picture.Headset, name) {
			assert.True(t, c.want.Same(*info.Picture.Headset), name)
			again := filepath.Join(dir, "again.mov")
			require.NoError(t, Pack{Kind: "mov", Picture: out, Out: again}.Write(t.Context()))
			b, err := os.ReadFile(again)
			require.NoError(t, err)
			assert.True(t, bytes.Contains(b, c.boxes), "%s: byte for byte", name)
		}
	}
}
