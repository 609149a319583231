package source_test

import (
	"context"
	"io"
	"math"
	"math/rand/v2"
	"os"
	"path/filepath"
	"strings"
	"syscall"
	"testing"

	"github.com/cespare/xxhash/v2"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/audio"
	"zestyloom/core/snag"
	"zestyloom/core/source"
	"zestyloom/internal/bounded"
	"zestyloom/internal/testmedia"
)

func TestMain(m *testing.M) { testmedia.Main(m) }

// reference is what is known of the files that other programs wrote.
var reference = []struct {
	name, container string
	coding          audio.Coding
	channels, rate  int
	frames          int64
	tolerance       float64 // of a sample against the sine, in full scale
	codes           []string
}{
	{"poly8_s24.wav", "RIFF", audio.S24, 8, 48000, 48000, 4e-7, nil},
	{"poly8_s16.wav", "RIFF", audio.S16, 8, 48000, 48000, 6e-5, nil},
	{"stereo_u8.wav", "RIFF", audio.U8, 2, 48000, 48000, 1.6e-2, nil},
	{"lcr_s32.wav", "RIFF", audio.S32, 3, 48000, 48000, 4e-7, nil},
	{"poly5_f32.wav", "RIFF", audio.F32, 5, 48000, 48000, 4e-7, nil},
	{"stereo_f64.wav", "RIFF", audio.F64, 2, 48000, 48000, 4e-7, nil},
	{"surround6_rf64.wav", "RF64", audio.S24, 6, 48000, 48000, 4e-7, nil},
	{"surround6.w64", "W64", audio.S24, 6, 48000, 48000, 4e-7, nil},
	{"quad_s24.aiff", "AIFF", audio.S24, 4, 48000, 48000, 4e-7, nil},
	{"stereo_s16.aiff", "AIFF", audio.S16, 2, 48000, 48000, 6e-5, nil},
	{"six_s16.aifc", "AIFF-C", audio.S16, 6, 48000, 48000, 6e-5, nil},
	{"poly5_fl32.aifc", "AIFF-C", audio.F32, 5, 48000, 48000, 4e-7, nil},
	{"poly8_sowt.aifc", "AIFF-C", audio.S16, 8, 48000, 48000, 6e-5, nil},
	{"quad_s24.flac", "FLAC", audio.S24, 4, 48000, 48000, 4e-7, nil},
	{"stereo_s16.flac", "FLAC", audio.S16, 2, 48000, 48000, 6e-5, nil},
	{"stereo_s32.flac", "FLAC", audio.S32, 2, 48000, 48000, 4e-7, nil},
	{"pair.au", "AU", audio.S16, 2, 48000, 48000, 6e-5, nil},
	{"poly5_f32.au", "AU", audio.F32, 5, 48000, 48000, 4e-7, nil},
	{"quad_s24.caf", "CAF", audio.S24, 4, 48000, 48000, 4e-7, nil},
	{"stereo_f64.caf", "CAF", audio.F64, 2, 48000, 48000, 4e-7, nil},
	{"stereo_s8.aiff", "AIFF", audio.U8, 2, 48000, 48000, 1.6e-2, nil},
	{"tagged.flac", "FLAC", audio.S24, 4, 48000, 48000, 4e-7, nil},
	{"stereo_44k1.wav", "RIFF", audio.S16, 2, 44100, 44100, 5e-4, nil}, // whose maker is that exact at this rate
	{"mono_bext.wav", "RIFF", audio.S24, 1, 48000, 48000, 4e-7, nil},
	{"cut_short.wav", "RIFF", audio.S24, 8, 48000, 20830, 4e-7, []string{"cut_short", "part_frame"}},
	{"power_lost.wav", "RIFF", audio.S16, 8, 48000, 48000, 6e-5, []string{"size_lost"}},
}

// Every sample of every reference file is the sine it must be, channel by channel, whatever the
// container and coding, and the same however it is read.
func TestReferenceFiles(t *testing.T) {
	for _, c := range reference {
		s, err := source.Open(testmedia.Path(t, c.name))
		if !assert.NoError(t, err, c.name) {
			continue
		}
		assert.Equal(t, c.container, s.Container, c.name)
		assert.Equal(t, c.coding, s.Format.Coding, c.name)
		assert.Equal(t, c.channels, s.Format.Channels, c.name)
		assert.Equal(t, c.rate, s.Format.SampleRate, c.name)
		assert.Equal(t, c.frames, s.Frames, c.name)
		var codes []string
		for _, sn := range s.Snags {
			codes = append(codes, sn.Code)
		}
		for _, code := range codes {
			assert.Contains(t, append(c.codes, "part_frame"), code, c.name)
		}
		for _, code := range c.codes[:min(1, len(c.codes))] {
			assert.Contains(t, codes, code, c.name)
		}
		size := s.Format.FrameBytes()
		all := make([]byte, s.Frames*int64(size))
		for at := int64(0); at < s.Frames; {
			n, err := s.ReadFrames(all[at*int64(size):], at)
			require.NoError(t, err, c.name)
			at += int64(n)
		}
		x := make([]float64, s.Frames)
		for ch := range c.channels {
			audio.DecodeChannel(x, all, c.coding, c.channels, ch)
			worst := 0.0
			for i, v := range x {
				want := 0.5 * math.Sin(2*math.Pi*float64(100*(ch+1))*float64(i)/float64(c.rate))
				worst = math.Max(worst, math.Abs(v-want))
			}
			assert.LessOrEqual(t, worst, c.tolerance, "%s channel %d", c.name, ch+1)
		}
		rnd := rand.New(rand.NewPCG(1, 1))
		for range 30 { // seeking gives the same bytes, forwards and backwards
			at := rnd.Int64N(s.Frames)
			buf := make([]byte, size*(1+rnd.IntN(3000)))
			n, err := s.ReadFrames(buf, at)
			require.NoError(t, err, c.name)
			require.Equal(t, all[at*int64(size):(at+int64(n))*int64(size)], buf[:n*size], "%s at %d", c.name, at)
		}
		_, err = s.ReadFrames(make([]byte, size), s.Frames)
		assert.ErrorIs(t, err, io.EOF, c.name)
		require.NoError(t, s.Close())
	}
}

// What is said of samples is how they are stored in the file.
func TestEncoding(t *testing.T) {
	for name, want := range map[string]string{"stereo_s8.aiff": "s8", "stereo_u8.wav": "u8", "quad_s24.caf": "s24", "stereo_s16.aiff": "s16"} {
		s, err := source.Open(testmedia.Path(t, name))
		require.NoError(t, err)
		assert.Equal(t, want, s.Encoding(), name)
		require.NoError(t, s.Close())
	}
}

func TestLevelsAndHashInOnePass(t *testing.T) {
	for _, name := range []string{"poly8_s24.wav", "quad_s24.aiff", "quad_s24.flac", "cut_short.wav"} {
		path := testmedia.Path(t, name)
		s, err := source.Open(path)
		require.NoError(t, err)
		var levels []audio.Level
		sum, err := s.Hash(func() (err error) {
			levels, err = source.Levels(context.Background(), s, nil)
			return err
		})
		require.NoError(t, err)
		raw, err := os.ReadFile(path)
		require.NoError(t, err)
		assert.Equal(t, xxhash.Sum64(raw), sum.Whole, name)
		for _, l := range levels {
			assert.InDelta(t, -6.0206, l.PeakDB(), 0.001, name)
			assert.InDelta(t, -9.0309, l.RMSDB(), 0.01, name)
		}
		require.NoError(t, s.Close())
	}
}

func TestRefusals(t *testing.T) {
	dir := t.TempDir()
	put := func(name, content string) string {
		p := filepath.Join(dir, name)
		require.NoError(t, os.WriteFile(p, []byte(content), 0o600))
		return p
	}
	for path, code := range map[string]string{
		testmedia.Path(t, "not_a_wave.wav"):                        "bad_format",
		put("empty.wav", ""):                                       "empty_file",
		put("text.wav", "nothing but words, and many of those"):    "not_audio",
		put("x.mov", "\x00\x00\x00\x14ftypqt  and so on"):          "picture_file",
		put("x.flac", "fLaC and then rubbish"):                     "bad_format",
		put("old.mov", "\x00\x00\x00\x08wide\x00\x00\x00\x00mdat"): "picture_file",
		put("x.mkv", "\x1A\x45\xDF\xA3 and so on and so on"):       "picture_file",
		put("x.mxf", "\x06\x0E\x2B\x34 and so on and so on"):       "picture_file",
		put("x.wav", "RIFX\x00\x00\x00\x24WAVEfmt "):               "big_endian_riff",
		put("short.au", ".snd\x00\x00\x00\x18"):                    "bad_format",
		put("codec.au", ".snd\x00\x00\x00\x18\x00\x00\x00\x08\x00\x00\x00\x01\x00\x00\xBB\x80\x00\x00\x00\x0112345678"):  "unknown_coding",
		put("beyond.au", ".snd\x00\x00\xFF\x18\x00\x00\x00\x08\x00\x00\x00\x03\x00\x00\xBB\x80\x00\x00\x00\x0112345678"): "no_data",
		put("wide.au", ".snd\x00\x00\x00\x18\x00\x00\x00\x08\x00\x00\x00\x03\x00\x00\xBB\x80\x00\xFF\x00\x0112345678"):   "bad_format",
		put("empty.caf", "caff\x00\x01\x00\x00 nothing"):                                                                 "bad_format",
		put("early.caf", "caff\x00\x01\x00\x00data\x00\x00\x00\x00\x00\x00\x00\x04\x00\x00\x00\x00"):                     "bad_format",
		put("minus.caf", "caff\x00\x01\x00\x00desc\xFF\x00\x00\x00\x00\x00\x00\x20"):                                     "bad_format",
		dir:                              "is_folder",
		filepath.Join(dir, "absent.wav"): "not_found",
	} {
		_, err := source.Open(path)
		if assert.Error(t, err, path) {
			assert.Equal(t, code, snag.Of(err).Code, "%s: %v", path, err)
			assert.NotEmpty(t, snag.Of(err).Message)
		}
	}
}

func FuzzOpen(f *testing.F) {
	for _, name := range []string{"stereo_s16.flac", "mono_bext.wav", "stereo_s16.aiff", "pair.au", "quad_s24.caf"} {
		raw, err := os.ReadFile(testmedia.Path(f, name))
		if err != nil {
			f.Fatal(err)
		}
		f.Add(raw[:min(len(raw), 4000)])
	}
	f.Fuzz(func(t *testing.T, b []byte) {
		path := filepath.Join(t.TempDir(), "x")
		if err := os.WriteFile(path, b, 0o600); err != nil {
			t.Fatal(err)
		}
		bounded.Check(t, len(b), func() {
			s, err := source.Open(path)
			if err != nil {
				return
			}
			defer s.Close()
			if facts := s.Gather("x_1.wav"); len(facts.Tracks) != s.Format.Channels {
				t.Fatalf("%d tracks for %d channels", len(facts.Tracks), s.Format.Channels)
			}
			_, _ = s.ReadFrames(make([]byte, s.Format.FrameBytes()*64), 0)
		})
	})
}

func FuzzParseName(f *testing.F) {
	for _, n := range []string{"21A-T03_1.wav", "MX_1_L.wav", "Mix v1.2.wav", "x - Ch 01.wav", ".", "5.1 L.R.wav", strings.Repeat("1", 400)} {
		f.Add(n)
	}
	f.Fuzz(func(t *testing.T, s string) {
		bounded.Check(t, len(s), func() {
			if n := source.ParseName(s); n.Number < 0 || n.Place < 0 {
				t.Fatalf("%q has the number %d and the place %d", s, n.Number, n.Place)
			}
		})
	})
}

// A pipe or a device in a file's place is refused at once, whoever holds its other end or nobody.
func TestOnlyFilesAreOpened(t *testing.T) {
	fifo := filepath.Join(t.TempDir(), "pipe.wav")
	require.NoError(t, syscall.Mkfifo(fifo, 0o600))
	for path, code := range map[string]string{fifo: "not_a_file", "/dev/zero": "not_a_file", t.TempDir(): "is_folder", filepath.Join(t.TempDir(), "none.wav"): "not_found"} {
		_, err := source.Open(path)
		require.Error(t, err)
		assert.Equal(t, code, snag.Of(err).Code, path)
	}
}
