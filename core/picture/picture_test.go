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

func codes(snags []snag.Snag) (out []string) {
	for _, s := range snags {
		out = append(out, s.Code)
	}
	return out
}

// Sound that starts after its picture is laid there, each stream by itself; without a picture the
// timecode track is the clock.
func TestStreamsLieWhereTheyStart(t *testing.T) {
	for _, name := range []string{"late.mov", "sound.mov"} {
		out := filepath.Join(t.TempDir(), "out.wav")
		snags, err := probe(t, name).WriteSound(t.Context(), testmedia.Path(t, name), out, t.TempDir())
		require.NoError(t, err)
		assert.Equal(t, []string{"stream_offset", "stream_offset", "stream_short"}, codes(snags), name)
		s, err := source.Open(out)
		require.NoError(t, err)
		defer s.Close()
		assert.EqualValues(t, 36000*48000, s.Gather("x.wav").Start, "%s: at its timecode", name)
		require.EqualValues(t, 72000, s.Frames, name)
		raw := make([]byte, 72000*6)
		n, err := s.ReadFrames(raw, 0)
		require.NoError(t, err)
		x := make([]float64, n)
		for c, want := range []struct{ from, to, hz int }{{24000, 72000, 100}, {33600, 57600, 200}} {
			audio.DecodeChannel(x, raw[:n*6], audio.S24, 2, c)
			for i, v := range x {
				sine := 0.0
				if i >= want.from && i < want.to {
					sine = 0.5 * math.Sin(2*math.Pi*float64(want.hz)*float64(i-want.from)/48000)
				}
				if math.Abs(v-sine) > 4e-7 {
					t.Fatalf("%s channel %d is %g at %d and should be %g", name, c+1, v, i, sine)
				}
			}
		}
	}
	s, _ := decode(t, "opatom.mxf")
	f := s.Gather("x.wav")
	assert.EqualValues(t, 36000*48000, f.Start, "an OP-Atom file has its start in its timecode component")
	assert.Equal(t, "25/1", f.Rate.Rational())
	assert.Equal(t, []string{"run_in_unmarked"}, codes(probe(t, "unmarked.mp4").Snags)[:1])
	assert.Empty(t, probe(t, "lossy.mp4").Snags, "its edit list says how much to leave out")
}

// No stream loses a bit, whatever stands beside it.
func TestWordLengthsBesideEachOther(t *testing.T) {
	i := probe(t, "words.mov")
	assert.Equal(t, []audio.Coding{audio.F64, audio.S32, audio.F32}, []audio.Coding{i.Sound[0].Coding(), i.Sound[1].Coding(), i.Sound[2].Coding()})
	s, got := decode(t, "words.mov")
	assert.Equal(t, audio.F64, s.Format.Coding)
	at := 0
	for _, name := range []string{"stereo_f64.wav", "lcr_s32.wav", "poly5_f32.wav"} {
		w, err := source.Open(testmedia.Path(t, name))
		require.NoError(t, err)
		defer w.Close()
		raw := make([]byte, int(w.Frames)*w.Format.FrameBytes())
		n, err := w.ReadFrames(raw, 0)
		require.NoError(t, err)
		x := make([]float64, n)
		for c := range w.Format.Channels {
			audio.DecodeChannel(x, raw[:n*w.Format.FrameBytes()], w.Format.Coding, w.Format.Channels, c)
			require.Equal(t, x, got[at][:n], "%s channel %d", name, c+1)
			at++
		}
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
	s, err := probe(t, "camera.mov").WriteProxy(t.Context(), testmedia.Path(t, "camera.mov"), proxy, strip, t.TempDir())
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
	assert.Equal(t, "not_audio", snag.Of(err).Code)
	_, err = probe(t, "silent.mp4").WriteSound(t.Context(), testmedia.Path(t, "silent.mp4"), filepath.Join(t.TempDir(), "x.wav"), t.TempDir())
	assert.Equal(t, "no_sound", snag.Of(err).Code)
	ctx, cancel := context.WithCancel(t.Context())
	cancel()
	_, err = picture.Probe(ctx, testmedia.Path(t, "camera.mov"))
	assert.ErrorIs(t, err, context.Canceled)
	for _, name := range []string{"camera.mov", "lossy.mp4", "sound.mkv", "tape.mxf"} {
		b, err := os.ReadFile(testmedia.Path(t, name))
		require.NoError(t, err)
		assert.NotEmpty(t, source.SniffPicture(b[:16]), name)
	}
	assert.Empty(t, source.SniffPicture([]byte("RIFF\x00\x00\x00\x00WAVE")))
}
