package cli_test

import (
	"bytes"
	"math/rand/v2"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/audio"
	"zestyloom/core/timecode"
	"zestyloom/core/wave"
	"zestyloom/internal/cli"
	"zestyloom/internal/testmedia"
)

// Six channels go into a file with a picture in streams as they are ordered, and come out again as they went in: ffprobe
// sees the streams, and the picture is the original's, packet by packet.
func TestWrapAndUnwrap(t *testing.T) {
	rng := rand.New(rand.NewPCG(15, 1))
	dir := t.TempDir()
	clip := filepath.Join(dir, "clip.mov")
	require.NoError(t, exec.Command("ffmpeg", "-v", "error", "-f", "lavfi", "-i", "testsrc=size=64x48:rate=25:duration=2", "-c:v", "libx264", "-pix_fmt", "yuv420p", clip).Run())
	var channels [][]float64
	for range 6 {
		channels = append(channels, noise(rng, 96000))
	}
	sound := filepath.Join(dir, "six.wav")
	x := wave.NewIXML()
	x.SetTracks([]wave.IXMLTrack{{Interleave: 1, Name: "Full L"}, {Interleave: 2, Name: "Full R"}, {Interleave: 3, Name: "DX"}, {Interleave: 4, Name: "VO"}, {Interleave: 5, Name: "MX L"}, {Interleave: 6, Name: "MX R"}})
	testmedia.WriteAs(t, sound, wave.Options{Format: wave.Format{Coding: audio.S24, SampleRate: 48000, Channels: 6}, IXML: x, Bext: &wave.Bext{TimeReference: 10 * 3600 * 48000, Version: 1}}, channels...)
	out := filepath.Join(dir, "out.mov")
	said, err := output(t, "wrap", "--picture", clip, "--groups", "2+1+1+2", sound, "--out", out, "--json")
	require.NoError(t, err, said)
	v := lines(t, said)[0]
	assert.Equal(t, "10:00:00:00", v["timecode"])
	assert.Len(t, v["streams"], 4)
	probe, err := exec.Command("ffprobe", "-v", "error", "-select_streams", "a", "-show_entries", "stream=codec_name,channels", "-of", "csv=p=0", out).Output()
	require.NoError(t, err)
	assert.Equal(t, "pcm_s24le,2 pcm_s24le,1 pcm_s24le,1 pcm_s24le,2", strings.Join(strings.Fields(string(probe)), " "))

	parts := filepath.Join(dir, "parts")
	said, err = output(t, "unwrap", out, "--out", parts, "--json")
	require.NoError(t, err)
	at := 0
	for _, f := range lines(t, said)[0]["files"].([]any) {
		f := f.(map[string]any)
		assert.InDelta(t, 10*3600*48000, f["start_samples"], 0)
		got, _ := samples(t, f["path"].(string))
		for _, x := range got {
			assert.Equal(t, channels[at], x)
			at++
		}
	}
	assert.Equal(t, 6, at)

	// A sound field with a head-locked pair is marked as one; another width is refused, and says what was expected.
	marked := filepath.Join(dir, "field.mov")
	said, err = output(t, "wrap", "--picture", clip, "--groups", "6", "--ambisonic", "1", "--head-locked", sound, "--out", marked, "--json")
	require.NoError(t, err, said)
	stream := lines(t, said)[0]["streams"].([]any)[0].(map[string]any)
	assert.Equal(t, map[string]any{"order": 1.0, "head_locked": true}, stream["field"])
	raw, err := os.ReadFile(marked)
	require.NoError(t, err)
	assert.True(t, bytes.Contains(raw, []byte("SA3D\x00\x80\x00\x00\x00\x01\x00\x00\x00\x00\x00\x06\x00\x00\x00\x00\x00\x00\x00\x01")))
	said, err = output(t, "wrap", "--picture", clip, "--groups", "6", "--ambisonic", "1", sound, "--out", filepath.Join(dir, "no.mov"), "--json")
	assert.ErrorAs(t, err, new(cli.Reported))
	assert.Contains(t, said, "a sound field of order 1 has 4 channels, and the stream has 6")
	_, err = output(t, "wrap", "--picture", clip, "--groups", "6", "--head-locked", sound, "--out", filepath.Join(dir, "no.mov"))
	assert.Equal(t, 2, cli.Status(err))
	assert.NoFileExists(t, filepath.Join(dir, "no.mov"))

	_, err = output(t, "wrap", "--picture", clip, "--groups", "6x1", sound, "--out", out)
	assert.ErrorAs(t, err, new(cli.Reported), "it is there")
	_, err = output(t, "wrap", "--picture", sound, "--groups", "6x1", sound, "--out", filepath.Join(dir, "x.mov"))
	assert.ErrorAs(t, err, new(cli.Reported), "no picture")
	_, err = output(t, "wrap", "--picture", clip, "--groups", "6x1", sound, "--out", filepath.Join(dir, "x.mp4"))
	assert.ErrorAs(t, err, new(cli.Reported), "PCM is not put there")
	for _, bad := range []string{"", "2+1", "2+x", "0+6", "999"} {
		_, err = output(t, "wrap", "--picture", clip, "--groups", bad, sound, "--out", filepath.Join(dir, "x.mov"))
		assert.Equal(t, 2, cli.Status(err), bad)
	}
	assert.NoFileExists(t, filepath.Join(dir, "x.mov"))
}

// Sound at 10:00:00;00 stays there, counted with dropped frames, whatever the picture says: by our own parser, and by ffprobe.
func TestWrapKeepsDropFrame(t *testing.T) {
	dir := t.TempDir()
	rate := timecode.Rate{Num: 30000, Den: 1001, Drop: true}
	at, err := rate.Parse("10:00:00;00")
	require.NoError(t, err)
	start := rate.SampleAt(at, 48000)
	x := wave.NewIXML()
	x.SetSpeed(48000, 24, start, rate)
	sound := filepath.Join(dir, "s.wav")
	frames := int(rate.SampleAt(60, 48000)) - 20 // a little shorter than the picture
	testmedia.WriteAs(t, sound, wave.Options{Format: wave.Format{Coding: audio.S24, SampleRate: 48000, Channels: 2}, IXML: x, Bext: &wave.Bext{TimeReference: uint64(start), Version: 1}}, noise(rand.New(rand.NewPCG(10, 1)), frames), noise(rand.New(rand.NewPCG(10, 2)), frames))
	for name, codec := range map[string][]string{
		"mov": {"-c:v", "libx264", "-pix_fmt", "yuv420p"}, "mkv": {"-c:v", "libx264", "-pix_fmt", "yuv420p"}, "mxf": {"-c:v", "mpeg2video", "-pix_fmt", "yuv422p", "-b:v", "10M"},
	} {
		clip := filepath.Join(dir, "clip."+name)
		args := append([]string{"-v", "error", "-f", "lavfi", "-i", "testsrc=size=720x480:rate=30000/1001", "-frames:v", "60"}, codec...)
		require.NoError(t, exec.Command("ffmpeg", append(args, clip)...).Run())
		out := filepath.Join(dir, "out."+name)
		said, err := output(t, "wrap", "--picture", clip, "--groups", "2", sound, "--out", out, "--json")
		require.NoError(t, err, said)
		assert.Contains(t, said, "10:00:00;00", name)
		assert.Equal(t, name == "mxf", strings.Contains(said, "padded"), said)
		said, err = output(t, "inspect", "--json", out)
		require.NoError(t, err)
		v := lines(t, said)[0]
		assert.Equal(t, "10:00:00;00", v["start_timecode"], name)
		assert.Equal(t, true, v["drop_frame"], name)
	}
	short := filepath.Join(dir, "short.wav")
	testmedia.WriteAs(t, short, wave.Options{Format: wave.Format{Coding: audio.S24, SampleRate: 48000, Channels: 2}}, noise(rand.New(rand.NewPCG(10, 3)), 24000), noise(rand.New(rand.NewPCG(10, 4)), 24000))
	said, err := output(t, "wrap", "--picture", filepath.Join(dir, "clip.mxf"), "--groups", "2", short, "--out", filepath.Join(dir, "short.mxf"), "--json")
	require.ErrorAs(t, err, new(cli.Reported))
	assert.Contains(t, said, "length_differs")
	said, err = output(t, "wrap", "--picture", filepath.Join(dir, "clip.mxf"), "--groups", "2", short, "--out", filepath.Join(dir, "short.mxf"), "--json", "--pad")
	require.NoError(t, err, said)
}

// A picture that says nothing of headsets is marked as asked, says so where it is looked at, and keeps it when it is wrapped again.
func TestWrapForHeadsets(t *testing.T) {
	dir := t.TempDir()
	clip, sound := filepath.Join(dir, "clip.mov"), filepath.Join(dir, "a.wav")
	require.NoError(t, exec.Command("ffmpeg", "-v", "error", "-f", "lavfi", "-i", "testsrc=size=64x48:rate=25:duration=1", "-c:v", "libx264", "-pix_fmt", "yuv420p", clip).Run())
	testmedia.WriteAs(t, sound, wave.Options{Format: wave.Format{Coding: audio.S24, SampleRate: 48000, Channels: 1}}, make([]float64, 48000))
	one, two := filepath.Join(dir, "one.mov"), filepath.Join(dir, "two.mov")
	said, err := output(t, "wrap", "--picture", clip, "--groups", "1", "--headset", "180,side-by-side", sound, "--out", one)
	require.NoError(t, err, said)
	assert.Contains(t, said, "picture: 180° equirectangular, both eyes side by side")
	_, err = output(t, "wrap", "--picture", one, "--groups", "1", sound, "--out", two)
	require.NoError(t, err)
	for _, levels := range [][]string{nil, {"--levels"}} {
		said, err = output(t, append([]string{"inspect", two, "--json"}, levels...)...)
		require.NoError(t, err)
		h := lines(t, said)[0]["picture"].(map[string]any)["headset"].(map[string]any)
		assert.Equal(t, "side_by_side", h["stereo"])
		assert.Equal(t, "equirectangular", h["projection"])
	}
	said, err = output(t, "inspect", two)
	require.NoError(t, err)
	assert.Contains(t, said, "picture 64×48 at 25, h264; 180° equirectangular, both eyes side by side")
	for _, wrong := range []string{"90", "360,both", "flat"} {
		_, err = output(t, "wrap", "--picture", clip, "--groups", "1", "--headset="+wrong, sound, "--out", filepath.Join(dir, "no.mov"))
		require.ErrorAs(t, err, new(cli.UsageError), wrong)
	}
}
