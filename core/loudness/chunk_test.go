package loudness_test

import (
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/audio"
	"zestyloom/core/loudness"
)

// A sound that was measured in chunks, each by itself, reads what it reads as a whole.
func TestChunks(t *testing.T) {
	rng := rand.New(rand.NewPCG(14, 50))
	for i, rate := range []int{48000, 44100, 48000} {
		x, y := programme(rng, rate), programme(rng, rate)
		n := min(len(x), len(y))
		l := layout(t, "stereo")
		b := audio.Block{x[:n], y[:n]}
		whole, want := measure(t, l, rate, b, rng)
		long := loudness.ChunkSeconds * rate
		var chunks []loudness.Chunk
		part := func(from, to int) audio.Block {
			out := audio.NewBlock(2, to-from)
			for c := range out {
				copy(out[c], b[c][min(from, n):min(to, n)])
			}
			return out
		}
		for from := 0; from < n; from += long {
			m, err := loudness.NewMeter(l, rate, loudness.Options{Peaks: true, Floor: -60})
			require.NoError(t, err)
			m.Add(part(max(0, from-loudness.ChunkBefore*rate), from))
			m.Mark()
			m.Add(part(from, min(n, from+long)))
			chunks = append(chunks, m.Chunk(part(min(n, from+long), min(n, from+long)+loudness.ChunkAfter)))
		}
		got, powers, peaks := loudness.Join(l, rate, chunks)
		assert.Equal(t, want.Frames, got.Frames)
		require.Len(t, powers, len(whole.Powers()))
		for k, v := range whole.Powers() {
			assert.InEpsilon(t, v+1e-20, powers[k]+1e-20, 1e-6, "programme %d, tenth %d", i, k)
		}
		for k, v := range whole.Peaks() {
			if v > 0.01 {
				assert.InDelta(t, 0, audio.Decibels(v/float64(peaks[k])), 0.01, "programme %d, tenth %d", i, k)
			}
		}
		assert.InDelta(t, want.Integrated, got.Integrated, 1e-6)
		assert.InDelta(t, want.Range, got.Range, 1e-6)
		assert.InDelta(t, want.MaxShortTerm.Value, got.MaxShortTerm.Value, 1e-6)
		assert.Equal(t, want.MaxShortTerm.At, got.MaxShortTerm.At)
		assert.InDelta(t, want.TruePeak.Value, got.TruePeak.Value, 1e-6)
		assert.InDelta(t, *want.Correlation, *got.Correlation, 1e-9)
		for c := range want.Channels {
			assert.InDelta(t, want.Channels[c].Quasi, got.Channels[c].Quasi, 0.05)
			assert.InDelta(t, want.Channels[c].DC, got.Channels[c].DC, 1e-12)
			assert.Equal(t, want.Channels[c].SamplePeak, got.Channels[c].SamplePeak)
		}
	}
	r, _, _ := loudness.Join(layout(t, "stereo"), 48000, nil)
	assert.True(t, math.IsInf(r.Integrated, -1))
}

// Where limits are broken, the gravest first, with where each begins and ends.
func TestBreaks(t *testing.T) {
	p := make(loudness.Powers, 400)
	peaks := make([]float32, 400)
	for i := range p {
		p[i], peaks[i] = math.Pow(10, (-30+0.691)/10), 0.1
	}
	for i := 100; i < 160; i++ {
		p[i] = math.Pow(10, (-15+0.691)/10)
	}
	peaks[300], peaks[301], peaks[350] = 0.95, 0.99, 0.93
	l := loudness.Limits{ShortTerm: want(-18), TruePeak: want(-1)}
	got := l.Breaks(p, peaks)
	require.Len(t, got, 3)
	assert.Equal(t, []any{"short-term loudness", "true peak", "true peak"}, []any{got[0].What, got[1].What, got[2].What})
	assert.InDelta(t, 3, got[0].Over, 0.01)
	assert.Greater(t, got[0].From, 80)
	assert.Less(t, got[0].From, 101)
	assert.InDelta(t, 174, got[0].To, 3)
	assert.Equal(t, []int{300, 302, 301}, []int{got[1].From, got[1].To, got[1].At})
	assert.Empty(t, loudness.Limits{Integrated: want(-23)}.Breaks(p, peaks))
}
