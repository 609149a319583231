package audio_test

import (
	"fmt"
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/audio"
)

// Blocks of every length at every width and coding are taken, and come to what samples taken one by one come to.
func TestLevelsOfBlocksOfEveryLength(t *testing.T) {
	rng := rand.New(rand.NewPCG(29, 29))
	for _, coding := range []audio.Coding{audio.U8, audio.S16, audio.S24, audio.S32, audio.F32, audio.F64} {
		for channels := 1; channels <= 9; channels++ {
			for frames := 0; frames <= 300; frames++ {
				if frames > 20 && frames%7 != 0 && frames < 250 {
					continue
				}
				sound := audio.NewBlock(channels, frames)
				for c := range sound {
					for i := range sound[c] {
						sound[c][i] = 2*rng.Float64() - 1
					}
				}
				enc := audio.Encoder{Coding: coding, Clipped: make([]int64, channels)}
				raw := enc.Encode(nil, sound, 0)
				raw = raw[:len(raw):len(raw)]
				levels := make([]audio.Level, channels)
				require.NotPanics(t, func() { audio.AddLevels(levels, raw, coding) }, fmt.Sprint(coding, channels, frames))
				got := make([]float64, frames)
				for c := range levels {
					require.Equal(t, frames, audio.DecodeChannel(got, raw, coding, channels, c))
					peak, sum := 0.0, 0.0
					for _, v := range got {
						peak, sum = max(peak, math.Abs(v)), sum+v*v
					}
					assert.InDelta(t, peak, levels[c].Peak, 1e-12, "%s, %d channels, %d frames, channel %d", coding, channels, frames, c)
					assert.InDelta(t, sum, levels[c].Sum, 1e-9*(1+sum))
					assert.EqualValues(t, frames, levels[c].Frames)
				}
			}
		}
	}
}
