package demo_test

import (
	"context"
	"os"
	"path/filepath"
	"testing"

	"github.com/cespare/xxhash/v2"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/audio"
	"zestyloom/core/source"
	"zestyloom/internal/demo"
)

// The demonstration is the same wherever it is made, holds the accidents it promises, and differs
// per channel as microphones do.
func TestLanternFerry(t *testing.T) {
	a, b := t.TempDir(), t.TempDir()
	quiet := func(string) {}
	require.NoError(t, demo.Synthesise(a, quiet))
	if testing.Short() { // the samples of its master are known in any case
		b = a
	} else {
		require.NoError(t, demo.Synthesise(b, quiet))
	}
	files, err := filepath.Glob(filepath.Join(a, "*.wav"))
	require.NoError(t, err)
	require.Len(t, files, 23)
	var size int64
	for _, name := range []string{"CAM_A_0031.mov", "CAM_A_0032.mov", "CAM_B_0007.mov"} {
		st, err := os.Stat(filepath.Join(a, name))
		require.NoError(t, err)
		size += 2 * st.Size() // and its sound once more
	}
	for _, f := range files {
		one, err := os.ReadFile(f)
		require.NoError(t, err)
		two, err := os.ReadFile(filepath.Join(b, filepath.Base(f)))
		require.NoError(t, err)
		assert.Equal(t, xxhash.Sum64(one), xxhash.Sum64(two), "%s comes from a fixed seed", filepath.Base(f))
		if size += int64(len(one)); !demo.StaysThere(filepath.Base(f)) {
			size += int64(len(one))
		}
	}
	assert.Less(t, size, int64(253e6), "with its database it stays under 300 MB")

	read := func(name string) (source.Facts, []audio.Level, *source.Source) {
		s, err := source.Open(filepath.Join(a, name))
		require.NoError(t, err)
		t.Cleanup(func() { s.Close() })
		levels, err := source.Levels(context.Background(), s, nil)
		require.NoError(t, err)
		return s.Gather(name), levels, s
	}
	facts, levels, _ := read("LF07_21A-3.wav")
	assert.Equal(t, []any{"21A", "3", "LF07", true}, []any{facts.Scene, facts.Take, facts.Roll, facts.Circled})
	assert.Equal(t, "Lav Ines", facts.Tracks[3].Label)
	assert.True(t, levels[6].Silent() && levels[7].Silent() && !levels[2].Silent())
	facts, _, _ = read("LF07_22-2.wav")
	assert.Equal(t, "cut_short", facts.Snags[0].Code)
	facts, _, _ = read("REC0007.wav")
	assert.EqualValues(t, -1, facts.Start)
	assert.Empty(t, facts.Tracks[0].Label)
	facts, _, _ = read("LFB02_21A-3_1.wav")
	assert.Equal(t, 4, facts.SetSize, "and the third member is not here")
	facts, _, _ = read("LFB02_21A-3_5.wav")
	assert.Equal(t, "2", facts.Take, "a file of another take")

	// Ines is loud on her own microphone and faint on the skipper's: by sections of the take.
	_, _, s := read("LF07_21A-3.wav")
	energy := func(channel int, from, to float64) float64 {
		n := int((to - from) * 48000)
		raw := make([]byte, n*s.Format.FrameBytes())
		_, err := s.ReadFrames(raw, int64(from*48000))
		require.NoError(t, err)
		x := make([]float64, n)
		audio.DecodeChannel(x, raw, audio.S24, 8, channel)
		var l audio.Level
		l.Add(x)
		return l.RMSDB()
	}
	assert.Greater(t, energy(3, 1.2, 3.0), energy(4, 1.2, 3.0)+12, "while Ines speaks")
	assert.Greater(t, energy(4, 3.7, 5.1), energy(3, 3.7, 5.1)+12, "while Odell speaks")

	t.Run("delivery", func(t *testing.T) { deliveryKeepsItsSamples(t, a) })
}
