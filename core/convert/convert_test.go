package convert_test

import (
	"math"
	"math/rand/v2"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/audio"
	"zestyloom/core/convert"
	"zestyloom/core/snag"
	"zestyloom/core/source"
	"zestyloom/core/wave"
	"zestyloom/internal/testmedia"
)

func TestMain(m *testing.M) { testmedia.Main(m) }

func open(t *testing.T, path string) *source.Source {
	t.Helper()
	src, err := source.Open(path)
	require.NoError(t, err)
	t.Cleanup(func() { src.Close() })
	return src
}

// There and back through any container and a wider coding, every sample is the same; what is exact is said to be.
func TestThereAndBack(t *testing.T) {
	rng := rand.New(rand.NewPCG(36, 3))
	dir := t.TempDir()
	for i, coding := range []audio.Coding{audio.S16, audio.S24, audio.S32, audio.F32} {
		for _, container := range convert.Containers {
			name := coding.String() + "." + container
			channels := 1 + rng.IntN(8)
			var x [][]float64
			for range channels {
				ch := make([]float64, 1+rng.IntN(5000))
				for k := range ch {
					ch[k] = rng.Float64()*2 - 1
				}
				x = append(x, ch)
				x[len(x)-1] = ch[:min(len(ch), len(x[0]))]
			}
			shortest := len(x[0])
			for _, ch := range x {
				shortest = min(shortest, len(ch))
			}
			for c := range x {
				x[c] = x[c][:shortest]
			}
			a, b, c := filepath.Join(dir, name+".a.wav"), filepath.Join(dir, name+".b"), filepath.Join(dir, name+".c.wav")
			testmedia.WriteAs(t, a, wave.Options{Format: wave.Format{Coding: coding, SampleRate: 48000, Channels: channels}}, x...)
			there, err := convert.Plan(open(t, a), a, convert.Options{Container: container})
			if container == "flac" && i > 1 {
				assert.Equal(t, "bad_coding", snag.Of(err).Code, name)
				continue
			}
			require.NoError(t, err, name)
			assert.True(t, there.Exact, name)
			require.NoError(t, there.Run(t.Context(), b, nil), name)
			wide := audio.F64
			if coding != audio.S32 {
				wide = audio.S32
			}
			if coding == audio.F32 {
				wide = audio.F32
			}
			back, err := convert.Plan(open(t, b), b, convert.Options{Container: "wav", Coding: wide})
			if wide == audio.F64 {
				assert.Equal(t, "bad_coding", snag.Of(err).Code, name)
				continue
			}
			require.NoError(t, err, name)
			assert.True(t, back.Exact, name)
			require.NoError(t, back.Run(t.Context(), c, nil), name)
			was, is := open(t, a), open(t, c)
			require.Equal(t, was.Frames, is.Frames, name)
			for ch := range channels {
				raw := func(s *source.Source) []float64 {
					buf := make([]byte, int(s.Frames)*s.Format.FrameBytes())
					require.NoError(t, s.ReadFull(buf, 0))
					out := make([]float64, s.Frames)
					audio.DecodeChannel(out, buf, s.Format.Coding, channels, ch)
					return out
				}
				require.Equal(t, raw(was), raw(is), name)
			}
		}
	}
}

// What is no number is not converted, and nothing is left of it.
func TestNumbersOnly(t *testing.T) {
	dir := t.TempDir()
	a, b := filepath.Join(dir, "a.wav"), filepath.Join(dir, "b.wav")
	testmedia.WriteAs(t, a, wave.Options{Format: wave.Format{Coding: audio.F32, SampleRate: 48000, Channels: 1}}, []float64{0, math.Inf(1), 0})
	c, err := convert.Plan(open(t, a), a, convert.Options{Coding: audio.S24})
	require.NoError(t, err)
	assert.False(t, c.Exact)
	assert.Equal(t, "not_numbers", snag.Of(c.Run(t.Context(), b, nil)).Code)
	assert.NoFileExists(t, b)
	assert.Equal(t, "aiff", convert.ByEnding("X.AIFF"))
	assert.Equal(t, "wav", convert.ByEnding("x.wav"))
	assert.Empty(t, convert.ByEnding("x.mov"))
}
