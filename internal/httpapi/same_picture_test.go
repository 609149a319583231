package httpapi_test

import (
	"bytes"
	"fmt"
	"math/rand/v2"
	"os/exec"
	"path/filepath"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/audio"
	"zestyloom/core/timecode"
	"zestyloom/core/wave"
	"zestyloom/internal/cli"
	"zestyloom/internal/httpapi/contract"
	"zestyloom/internal/testmedia"
)

// Small productions with a picture, shorter and longer than their sound, cut off or with black made for the rest, and counted with
// dropped frames: browser and command line come to the same streams, and those are the recording's samples where they were recorded.
func TestPicturesComeToTheSameSamplesByBothWays(t *testing.T) {
	s := start(t, "")
	ntsc, err := timecode.ParseRate("29.97df")
	require.NoError(t, err)
	pal := timecode.Rate{Num: 25, Den: 1}
	for name, k := range testmedia.SomeOf(map[string]struct {
		rate       timecode.Rate
		frames     int64 // of the picture
		late, long int64 // of the sound: samples after the picture begins, and how many
		black      bool
		accept     string
		delivered  int64 // frames of the picture that is delivered
	}{
		"a picture that is longer":                    {pal, 40, 1000, 50000, false, "", 40},
		"a picture that is shorter":                   {pal, 20, 1000, 50000, false, "not_delivered", 20},
		"a picture that is shorter, and black":        {pal, 20, 1000, 50000, true, "", 27}, // 51,000 samples are 26.6 frames
		"dropped frames":                              {ntsc, 45, 1601, 40000, false, "", 45},
		"dropped frames, shorter, and black":          {ntsc, 20, 1601, 40000, true, "", 26}, // 41,601 samples are 25.98 frames
		"a picture that begins later, and black":      {pal, 30, -4000, 50000, true, "", 33}, // 2.1 frames before it
		"a picture that begins later, and is cut off": {pal, 30, -4000, 50000, false, "not_delivered", 30},
	}, 3) {
		t.Run(name, func(t *testing.T) {
			s.t = t
			dir := t.TempDir()
			rng := rand.New(rand.NewPCG(29, 40))
			sound := make([]float64, k.long)
			for i := range sound {
				sound[i] = float64(int64(rng.IntN(1<<22))-1<<21) / (1 << 23)
			}
			ten := k.rate.SampleAt(frameOf(t, k.rate, "10:00:00:00"), 48000)
			clip, take := filepath.Join(dir, "clip.mov"), filepath.Join(dir, "a.wav")
			tc, rate := k.rate.FormatSamples(ten, 48000), fmt.Sprintf("%d/%d", k.rate.Num, k.rate.Den)
			b, err := exec.Command("ffmpeg", "-v", "error", "-f", "lavfi", "-i", "testsrc=size=64x48:rate="+rate, "-f", "lavfi", "-i", "sine=r=48000", "-frames:v", fmt.Sprint(k.frames), "-shortest",
				"-c:v", "libx264", "-pix_fmt", "yuv420p", "-c:a", "pcm_s16le", "-timecode", tc, clip).CombinedOutput()
			require.NoError(t, err, "%s", b)
			x := wave.NewIXML()
			x.SetSpeed(48000, 24, ten+k.late, k.rate)
			x.SetTracks([]wave.IXMLTrack{{Recorder: 1, Interleave: 1, Name: "Boom DX"}})
			testmedia.WriteAs(t, take, wave.Options{Format: wave.Format{Coding: audio.S24, SampleRate: 48000, Channels: 1}, IXML: x, Bext: &wave.Bext{TimeReference: uint64(ten + k.late), Version: 1}}, sound)
			accept := []string{"output_silent", "no_stem"}
			if k.accept != "" {
				accept = append(accept, k.accept)
			}
			web := s.picturedOver(t, clip, take, k.rate, k.black, accept, k.accept != "")
			line := filepath.Join(dir, "out")
			args := []string{"deliver", "--spec", "Picture with six channels in four streams", "--weave", "Full mix, DX, VO, MX on six channels", "--picture", clip, "--production", "P", "--out", line, "--json", "--accept", "output_silent,no_stem," + k.accept, take}
			if k.black {
				args = append(args, "--black")
			}
			var said bytes.Buffer
			root := cli.Root()
			root.SetArgs(args)
			root.SetOut(&said)
			root.SetErr(&said)
			require.NoError(t, root.ExecuteContext(t.Context()), "%s", said.String())
			made, err := filepath.Glob(filepath.Join(line, "*.mov"))
			require.NoError(t, err)
			require.Len(t, made, 1)

			assert.Equal(t, clockOf(t, made[0]), clockOf(t, web), "both begin at the same timecode")
			count, err := exec.Command("ffprobe", "-v", "error", "-count_packets", "-select_streams", "v", "-show_entries", "stream=nb_read_packets", "-of", "csv=p=0", made[0]).Output()
			require.NoError(t, err)
			assert.Equal(t, fmt.Sprint(k.delivered), string(bytes.TrimSpace(bytes.TrimRight(count, ",\n"))))
			for stream := range 4 {
				one, two := streamOf(t, web, stream), streamOf(t, made[0], stream)
				assert.True(t, slices.Equal(one, two), "stream %d: over HTTP and by deliver", stream+1)
				if stream != 1 { // dialogue is the second, in mono
					continue
				}
				// The first of its samples lies where the file begins.
				begins := ten
				if k.black && k.late < 0 {
					begins -= 3 * 1920
				}
				for i, v := range one {
					want := 0.0
					if n := begins + int64(i) - ten - k.late; n >= 0 && n < k.long {
						want = sound[n]
					}
					if v != want {
						t.Fatalf("dialogue, frame %d: %v instead of %v", i, v, want)
					}
				}
			}
		})
	}
}

func frameOf(t *testing.T, rate timecode.Rate, text string) int64 {
	t.Helper()
	n, err := rate.Parse(text)
	require.NoError(t, err)
	return n
}

func clockOf(t *testing.T, path string) string {
	t.Helper()
	out, err := exec.Command("ffprobe", "-v", "error", "-select_streams", "v", "-show_entries", "stream_tags=timecode", "-of", "csv=p=0", path).Output()
	require.NoError(t, err)
	require.NotEmpty(t, bytes.TrimSpace(out))
	return string(out)
}

// streamOf are the samples of a sound stream, by a decoder of others.
func streamOf(t *testing.T, path string, stream int) []float64 {
	t.Helper()
	raw, err := exec.Command("ffmpeg", "-v", "error", "-i", path, "-map", fmt.Sprintf("0:a:%d", stream), "-c:a", "pcm_s32le", "-f", "s32le", "-").Output()
	require.NoError(t, err)
	out := make([]float64, len(raw)/4)
	audio.DecodeChannel(out, raw, audio.S32, 1, 0)
	return out
}

// picturedOver takes a picture and a recording in over HTTP, lays the recording, weaves and orders with the picture: the file that is made.
func (s *server) picturedOver(t *testing.T, clip, take string, rate timecode.Rate, black bool, accept []string, asks bool) string {
	var made0 contract.Production
	require.Equal(t, 201, s.call("POST", "/api/productions", map[string]any{"name": "P", "timecode_rate": rate.String(), "start_timecode": "10:00:00:00"}, &made0))
	p := made0.Id.String()
	s.uploadFile(p, clip)
	s.uploadFile(p, take)
	s.settled(p, 2)
	reel := s.reel(p)
	path := "/api/reels/" + reel.Id.String()
	var files contract.FilePage
	require.Equal(t, 200, s.call("GET", "/api/productions/"+p+"/files", nil, &files))
	i := slices.IndexFunc(files.Items, func(f contract.File) bool { return f.Picture != "" })
	require.GreaterOrEqual(t, i, 0)
	var ids []string
	for _, tk := range s.takes(p) {
		if !tk.Camera {
			ids = append(ids, tk.Id.String())
		}
	}
	require.Equal(t, 200, s.call("POST", path+"/takes", map[string]any{"takes": ids}, nil))
	var templates []contract.KeptTemplate
	require.Equal(t, 200, s.call("GET", "/api/weave-templates", nil, &templates))
	w := slices.IndexFunc(templates, func(k contract.KeptTemplate) bool { return k.Template.Name == "Full mix, DX, VO, MX on six channels" })
	require.Equal(t, 200, s.call("POST", path+"/edits", map[string]any{"version": s.reel(p).Version, "what": "weave", "actions": []any{map[string]any{"weave": map[string]any{"use": map[string]any{"template": templates[w].Template}}}}}, nil))
	s.call("POST", path+"/edits", map[string]any{"version": s.reel(p).Version, "what": "start", "actions": []any{map[string]any{"set_start": map[string]any{}}}}, nil)
	var specs []contract.Spec
	require.Equal(t, 200, s.call("GET", "/api/specs", nil, &specs))
	k := slices.IndexFunc(specs, func(k contract.Spec) bool { return k.Spec.Name == "Picture with six channels in four streams" })
	asked := map[string]any{"spec": specs[k].Id, "picture": files.Items[i].Id, "black": black, "accept": accept[:2]}
	if asks {
		var problem contract.Problem
		require.Equal(t, 422, s.call("POST", path+"/deliveries", asked, &problem), "what lies beyond the picture is asked")
	}
	asked["accept"] = accept
	return s.ordered(t, path, asked, "web.mov")
}
