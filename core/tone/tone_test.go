package tone_test

import (
	"math"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/audio"
	"zestyloom/core/tone"
)

func read(s tone.Signal, from, n int64) audio.Block {
	b := audio.NewBlock(s.Channels, int(n))
	s.Read(b, from)
	return b
}

// The tone has the level that is asked for on every channel, from wherever it is read.
func TestLineUp(t *testing.T) {
	s := tone.Signal{Rate: 48000, Channels: 6, Hz: 1000, LevelDB: tone.EBU}
	require.NoError(t, s.Check())
	b := read(s, 12345, 48000)
	for _, x := range b {
		peak := 0.0
		for i, v := range x {
			peak = max(peak, math.Abs(v))
			assert.InDelta(t, audio.Gain(-18)*math.Sin(2*math.Pi*1000*float64(12345+i)/48000), v, 1e-9)
		}
		assert.InDelta(t, -18, audio.Decibels(peak), 0.001)
	}
}

// In an identification one channel sounds at a time, and as many pips follow its tone as its number says: long for tens.
func TestIdentification(t *testing.T) {
	for _, channels := range []int{1, 6, 29, 30, 128} {
		s := tone.Signal{Rate: 8000, Channels: channels, Hz: 1000, LevelDB: -20, Identify: true}
		require.NoError(t, s.Check())
		for _, c := range []int{0, channels / 2, channels - 1} {
			b := read(s, int64(c)*s.Slot(), s.Slot())
			for o := range b {
				if o != c {
					require.False(t, slices.ContainsFunc(b[o], func(v float64) bool { return v != 0 }))
				}
			}
			// Runs of sound after the tone, by their length.
			tens, ones, run, quiet := 0, 0, 0, 0
			for _, v := range b[c][8000*2+1000:] {
				if math.Abs(v) > 1e-6 {
					run, quiet = run+1+quiet, 0
				} else if run > 0 {
					if quiet++; quiet > 400 {
						if run > 2000 {
							tens++
						} else {
							ones++
						}
						run, quiet = 0, 0
					}
				}
			}
			assert.Equal(t, c+1, 10*tens+ones, "of %d", channels)
			assert.Zero(t, b[c][len(b[c])-1], "it has ended before the next begins")
		}
	}
	assert.Error(t, tone.Signal{Rate: 48000, Channels: 129, Hz: 1000}.Check())
	assert.Error(t, tone.Signal{Rate: 48000, Channels: 1, Hz: math.NaN()}.Check())
}
