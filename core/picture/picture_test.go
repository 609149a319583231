package picture_test

import (
	"context"
	"image/jpeg"
	"math"
	"os"
	"os/exec"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/audio"
	"zestyloom/core/picture"
	"zestyloom/core/snag"
	"zestyloom/core/source"
	"zestyloom/internal/testmedia"
)

func TestMain(m *testing.M) { testmedia.Main(m) }

func probe(t *testing.T, name string) *picture.Info {
	t.Helper()
	i, err := picture.Probe(t.Context(), testmedia.Path(t, name))
	require.NoError(t, err)
	return i
}

func TestProbe(t *testing.T) {
	for name, want := range map[string]struct {
		container string
		groups    []int
		lossy     bool
		timecode  string
		size      [2]int
		start     int64
	}{
		"camera.mov": {"MOV", []int{2}, false, "22:10:04:00", [2]int{320, 180}, 79804 * 48000},
		"groups.mov": {"MOV", []int{2, 1, 1, 2}, false, "10:00:00;00", [2]int{160, 90}, -1},
		"lossy.mp4":  {"MP4", []int{2}, true, "", [2]int{160, 90}, -1},
		"sound.mkv":  {"MKV", []int{2}, false, "", [2]int{}, -1},
		"tape.mxf":   {"MXF", []int{2}, false, "01:00:00:00", [2]int{720, 576}, 3600 * 48000},
		"silent.mp4": {"MP4", nil, false, "", [2]int{160, 90}, -1},
	} {
		i := probe(t, name)
		assert.Equal(t, want.container, i.Container, name)
		assert.Equal(t, want.groups, i.Groups(), name)
		assert.Equal(t, want.timecode, i.Timecode, name)
		if want.size[0] == 0 {
			assert.Nil(t, i.Picture, name)
		} else if assert.NotNil(t, i.Picture, name) {
			assert.Equal(t, want.size, [2]int{i.Picture.Width, i.Picture.Height}, name)
		}
		for _, s := range i.Sound {
			assert.Equal(t, want.lossy, s.Lossy, name)
		}
		if start, _, ok := i.Start(48000); want.start >= 0 {
			assert.True(t, ok)
			assert.Equal(t, want.start, start, name)
		}
	}
	// 10:00:00;00 at 29.97 drop is frame 1078920.
	start, rate, ok := probe(t, "groups.mov").Start(48000)
	assert.True(t, ok && rate.Drop)
	assert.EqualValues(t, 1078920*8008/5, start)
}

// decode writes a file's sound and reads it back: the channels of it.
func decode(t *testing.T, name string) (*source.Source, [][]float64) {
	t.Helper()
	out := filepath.Join(t.TempDir(), "out.wav")
	_, err := probe(t, name).WriteSound(t.Context(), testmedia.Path(t, name), out, t.TempDir())
	require.NoError(t, err)
	s, err := source.Open(out)
	require.NoError(t, err)
	t.Cleanup(func() { s.Close() })
	ch := make([][]float64, s.Format.Channels)
	require.NoError(t, s.EachBlock(context.Background(), 1<<16, func(raw []byte, _ int64) error {
		for c := range ch {
			x := make([]float64, len(raw)/s.Format.FrameBytes())
			audio.DecodeChannel(x, raw, s.Format.Coding, len(ch), c)
			ch[c] = append(ch[c], x...)
		}
		return nil
	}))
	return s, ch
}

// frequency of the strongest of the sines that test files have.
func frequency(x []float64, rate int) int {
	best, most := 0, 0.0
	for f := 100; f <= 1000; f += 100 {
		s, c := 0.0, 0.0
		for i, v := range x {
			a := 2 * math.Pi * float64(f) * float64(i) / float64(rate)
			s, c = s+v*math.Sin(a), c+v*math.Cos(a)
		}
		if m := math.Hypot(s, c); m > most {
			best, most = f, m
		}
	}
	return best
}

func TestSoundOfEveryStreamInOrder(t *testing.T) {
	for name, want := range map[string]struct {
		freq   []int
		coding audio.Coding
		frames int64
	}{
		"camera.mov": {[]int{100, 200}, audio.S24, 48000},
		"groups.mov": {[]int{100, 200, 300, 400, 500, 600}, audio.S24, 48000},
		"lossy.mp4":  {[]int{100, 200}, audio.F32, 0},
		"sound.mkv":  {[]int{100, 200}, audio.S16, 48000},
		"tape.mxf":   {[]int{100, 200}, audio.S16, 0},
	} {
		s, ch := decode(t, name)
		assert.Equal(t, want.coding, s.Format.Coding, name)
		if want.frames > 0 {
			assert.Equal(t, want.frames, s.Frames, name)
		}
		require.Len(t, ch, len(want.freq), name)
		for c := range ch {
			assert.Equal(t, want.freq[c], frequency(ch[c], 48000), "%s channel %d", name, c+1)
		}
	}
	// PCM comes through bit for bit: the file it was made from is the witness.
	_, got := decode(t, "groups.mov")
	s, err := source.Open(testmedia.Path(t, "six.wav"))
	require.NoError(t, err)
	defer s.Close()
	raw := make([]byte, 48000*18)
	n, err := s.ReadFrames(raw, 0)
	require.NoError(t, err)
	x := make([]float64, n)
	for c := range got {
		audio.DecodeChannel(x, raw[:n*18], audio.S24, 6, c)
		assert.Equal(t, x, got[c][:n], "channel %d", c+1)
	}
}

func TestFactsOfTheWorkingCopy(t *testing.T) {
	s, _ := decode(t, "camera.mov")
	assert.EqualValues(t, 79804*48000, s.Gather("x.wav").Start)
	s, _ = decode(t, "lossy.mp4")
	assert.EqualValues(t, -1, s.Gather("x.wav").Start, "no timecode track: no start")
}

func TestProxy(t *testing.T) {
	dir := t.TempDir()
	proxy, strip := filepath.Join(dir, "p.mp4"), filepath.Join(dir, "s.jpg")
	s, err := probe(t, "camera.mov").WriteProxy(t.Context(), testmedia.Path(t, "camera.mov"), proxy, strip)
	require.NoError(t, err)
	f, err := os.Open(strip)
	require.NoError(t, err)
	defer f.Close()
	img, err := jpeg.DecodeConfig(f)
	require.NoError(t, err)
	assert.Equal(t, [2]int{s.Count * s.Width, s.Height}, [2]int{img.Width, img.Height})
	out, err := exec.Command("ffprobe", "-v", "error", "-count_frames", "-show_entries", "stream=codec_type,width,nb_read_frames", "-of", "csv=p=0", proxy).Output()
	require.NoError(t, err)
	assert.Equal(t, "video,320,50\n", string(out), "the picture alone, every frame of it")
}

func TestWhatCannotBeRead(t *testing.T) {
	_, err := picture.Probe(t.Context(), testmedia.Path(t, "not_a_wave.wav"))
	assert.Equal(t, "picture_unreadable", snag.Of(err).Code)
	_, err = probe(t, "silent.mp4").WriteSound(t.Context(), testmedia.Path(t, "silent.mp4"), filepath.Join(t.TempDir(), "x.wav"), t.TempDir())
	assert.Equal(t, "no_sound", snag.Of(err).Code)
	ctx, cancel := context.WithCancel(t.Context())
	cancel()
	_, err = picture.Probe(ctx, testmedia.Path(t, "camera.mov"))
	assert.ErrorIs(t, err, context.Canceled)
	for _, name := range []string{"camera.mov", "lossy.mp4", "sound.mkv", "tape.mxf"} {
		b, err := os.ReadFile(testmedia.Path(t, name))
		require.NoError(t, err)
		assert.True(t, picture.Sniff(b[:16]), name)
	}
	assert.False(t, picture.Sniff([]byte("RIFF\x00\x00\x00\x00WAVE")))
}
