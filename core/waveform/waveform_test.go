package waveform_test

import (
	"math"
	"math/rand/v2"
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/waveform"
)

func build(t *testing.T, x [][]float64, chunk int) *waveform.Summary {
	t.Helper()
	f, err := os.Create(filepath.Join(t.TempDir(), "s"))
	require.NoError(t, err)
	t.Cleanup(func() { f.Close() })
	b, err := waveform.NewBuilder(f, len(x), int64(len(x[0])))
	require.NoError(t, err)
	for at := 0; at < len(x[0]); at += chunk {
		part := make([][]float64, len(x))
		for c := range x {
			part[c] = x[c][at:min(at+chunk, len(x[c]))]
		}
		require.NoError(t, b.Add(part))
	}
	require.NoError(t, b.Close())
	s, err := waveform.Open(f)
	require.NoError(t, err)
	return s
}

func sound(channels, frames int) [][]float64 {
	rnd := rand.New(rand.NewPCG(uint64(channels), uint64(frames)))
	x := make([][]float64, channels)
	for c := range x {
		x[c] = make([]float64, frames)
		for i := range x[c] {
			x[c][i] = (rnd.Float64()*2 - 1) * math.Sin(float64(i)/5000) * float64(c+1) / float64(channels)
		}
	}
	return x
}

// Each bucket of each level holds the extent of its samples, rounded outwards by less than a step,
// however the sound was divided into blocks.
func TestLevelsAreTheExtent(t *testing.T) {
	for _, frames := range []int{1, 255, 256, 257, 4096, 70000, 140001} {
		x := sound(3, frames)
		for _, chunk := range []int{frames, 1000, 77} {
			s := build(t, x, chunk)
			for level, step := range waveform.Steps {
				for c := range x {
					got, err := s.Read(level, c, 0, 1<<40)
					require.NoError(t, err)
					require.Len(t, got, (frames+int(step)-1)/int(step))
					for k, p := range got {
						lo, hi := math.Inf(1), math.Inf(-1)
						for _, v := range x[c][k*int(step) : min((k+1)*int(step), frames)] {
							lo, hi = math.Min(lo, v), math.Max(hi, v)
						}
						require.True(t, float64(p.Min) <= lo*waveform.Scale && float64(p.Min) > lo*waveform.Scale-1, "frames %d level %d bucket %d", frames, level, k)
						require.True(t, float64(p.Max) >= hi*waveform.Scale && float64(p.Max) < hi*waveform.Scale+1)
					}
				}
			}
		}
	}
}

// A drawing never loses a peak, at any zoom, and down to single samples.
func TestSpread(t *testing.T) {
	x := sound(2, 100000)
	x[1][54321] = 0.999
	s := build(t, x, 5000)
	read := func(dst []float64, frame int64) (int, error) { return copy(dst, x[1][frame:]), nil }
	for _, view := range []struct {
		from, to int64
		n        int
	}{{0, 100000, 300}, {0, 100000, 10}, {50000, 60000, 100}, {54000, 55000, 800}, {54320, 54323, 3}, {0, 1000000, 1000}} {
		got, err := s.Spread(1, view.from, view.to, view.n, read)
		require.NoError(t, err)
		require.Len(t, got, view.n)
		best, at := int16(0), 0
		for i, p := range got {
			if p.Max > best {
				best, at = p.Max, i
			}
		}
		assert.EqualValues(t, math.Ceil(0.999*waveform.Scale), best, "%+v", view)
		column := int((54321 - view.from) * int64(view.n) / (view.to - view.from))
		assert.InDelta(t, column, at, 1, "%+v", view)
	}
	beyond, err := s.Spread(0, 200000, 300000, 10, read)
	require.NoError(t, err)
	assert.Equal(t, make([]waveform.Pair, 10), beyond)
}

func TestBuilderKeepsCount(t *testing.T) {
	f, err := os.Create(filepath.Join(t.TempDir(), "s"))
	require.NoError(t, err)
	defer f.Close()
	b, err := waveform.NewBuilder(f, 2, 100)
	require.NoError(t, err)
	assert.Error(t, b.Add([][]float64{{1}}), "another width")
	require.NoError(t, b.Add([][]float64{{1, math.NaN()}, {1, 5}}))
	assert.Error(t, b.Close(), "98 frames are missing")
	_, err = waveform.Open(f)
	require.NoError(t, err)
	text, err := os.Create(filepath.Join(t.TempDir(), "t"))
	require.NoError(t, err)
	defer text.Close()
	_, err = waveform.Open(text)
	assert.Error(t, err)
}
