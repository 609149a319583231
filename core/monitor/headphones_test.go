package monitor_test

import (
	"context"
	"io"
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/ambisonic"
	"zestyloom/core/audio"
	"zestyloom/core/monitor"
	"zestyloom/core/snag"
)

// kept is a sound that is in memory.
type kept struct {
	x    []float64
	open *int
}

func (k kept) Frames() int64 { return int64(len(k.x)) }
func (k kept) Close()        { *k.open-- }
func (k kept) Read(dst []float64, frame int64) error {
	copy(dst, k.x[frame:])
	return nil
}

func inputsOf(open *int, channels ...[]float64) (out []monitor.Input) {
	for _, x := range channels {
		out = append(out, monitor.Input{Open: func(int) (monitor.Sound, error) {
			*open++
			return kept{x, open}, nil
		}})
	}
	return out
}

// played is what both ears hear from a frame on.
func played(t *testing.T, v []monitor.Input, from int64) [2][]float64 {
	t.Helper()
	s, err := monitor.Open(v, monitor.Order{Rate: 48000, From: from})
	require.NoError(t, err)
	defer s.Close()
	var out [2][]float64
	for {
		b, err := s.Next(context.Background())
		if err == io.EOF {
			return out
		}
		require.NoError(t, err)
		for side := range out {
			out[side] = append(out[side], b.Sound[side]...)
		}
	}
}

func energy(x []float64) (sum float64) {
	for _, v := range x {
		sum += v * v
	}
	return sum
}

// A bed is heard from where its speakers stand, from wherever one begins, without its LFE; a sound field likewise.
func TestHeadphones(t *testing.T) {
	rnd := rand.New(rand.NewPCG(16, 9))
	noise := make([]float64, 9000)
	for i := range noise {
		noise[i] = rnd.Float64() - 0.5
	}
	silence := make([]float64, len(noise))
	bed, err := audio.ParseLayout("5.1")
	require.NoError(t, err)
	open := 0
	heard := func(l audio.Layout, channels ...[]float64) []monitor.Input {
		v, fold, err := monitor.Headphones(inputsOf(&open, channels...), l, nil)
		require.NoError(t, err)
		assert.Equal(t, [][2]float64{{1, 0}, {0, 1}}, fold.Matrix)
		assert.Contains(t, fold.Says, "spherical head")
		return v
	}
	// The left surround is louder at the left ear, the centre alike at both, the LFE nowhere.
	ls := played(t, heard(bed, silence, silence, silence, silence, noise, silence), 0)
	assert.Greater(t, energy(ls[0]), 2*energy(ls[1]))
	c := played(t, heard(bed, silence, silence, noise, silence, silence, silence), 0)
	assert.Equal(t, c[0], c[1])
	assert.Greater(t, energy(c[0]), 50.0)
	lfe := played(t, heard(bed, silence, silence, silence, noise, silence, silence), 0)
	assert.Zero(t, energy(lfe[0])+energy(lfe[1]))

	// From the middle on it is what it was there.
	later := played(t, heard(bed, silence, silence, silence, silence, noise, silence), 4321)
	for side := range later {
		worst := 0.0
		for i, v := range later[side] {
			worst = max(worst, math.Abs(v-ls[side][4321+i]))
		}
		assert.Less(t, worst, 1e-9)
	}

	field, err := audio.ParseLayout("ambisonic 3 SN3D")
	require.NoError(t, err)
	encoded := func(az float64) (out [][]float64) {
		for _, f := range ambisonic.Encode(field, az, 0, 0) {
			x := make([]float64, len(noise))
			for i, v := range noise {
				x[i] = f * v
			}
			out = append(out, x)
		}
		return out
	}
	right := played(t, heard(field, encoded(-90)...), 0)
	left := played(t, heard(field, encoded(90)...), 0)
	front := played(t, heard(field, encoded(0)...), 0)
	assert.Greater(t, energy(right[1]), 2*energy(right[0]))
	assert.Greater(t, energy(left[0]), 2*energy(left[1]))
	assert.InDelta(t, 1, energy(front[0])/energy(front[1]), 1e-6)
	assert.Zero(t, open, "all that was opened is closed")

	for _, name := range []string{"discrete 2", "mid-side"} {
		l, err := audio.ParseLayout(name)
		require.NoError(t, err)
		_, _, err = monitor.Headphones(inputsOf(&open, noise, noise), l, nil)
		assert.Equal(t, "no_headphones", snag.Of(err).Code)
	}
}
