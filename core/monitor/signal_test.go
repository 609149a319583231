package monitor_test

import (
	"context"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/mix"
	"zestyloom/core/monitor"
	"zestyloom/core/reel"
	"zestyloom/core/weave"
)

// Any signal of a reel can be heard from anywhere: what is played is what a player computes, on the reel's clock; at
// another speed it is that, converted.
func TestSignalsAreHeard(t *testing.T) {
	p := recorded(t, sine(440, 0.5, rate), sine(1000, 0.25, rate))
	r := reel.New()
	const start = 3600 * rate
	r.Tracks = []reel.Track{{ID: "t", Label: "t", Layout: "stereo", Clips: []reel.Clip{{ID: "c", Strands: []string{"0", "1"}, At: start, Length: rate, FadeIn: reel.Fade{Length: 480}}}}}
	r.Weave.Sends["t"] = []weave.Send{{To: "MX", GainDB: -6}}
	program, err := mix.Compile(r, rate, func(s string) (mix.Source, error) { return p[s[0]-'0'], nil })
	require.NoError(t, err)
	for name, c := range map[string]struct {
		signal mix.Signal
		width  int
	}{"outputs": {mix.All(), 6}, "bus": {mix.Of("MX"), 2}, "track": {mix.Of("t"), 2}, "clip": {mix.Alone("t", "c"), 2}} {
		inputs, err := monitor.Signal(program, c.signal)
		require.NoError(t, err)
		require.Len(t, inputs, c.width, name)
		out, at := all(t, open(t, inputs, monitor.Order{Rate: rate, From: start + 100, To: start + 40000}), 0)
		player, err := program.Play(c.signal)
		require.NoError(t, err)
		assert.EqualValues(t, start+100, at[0])
		for from := 100; from < 40000; from += mix.BlockFrames {
			want, err := player.Read(context.Background(), int64(start+from), min(mix.BlockFrames, 40000-from))
			require.NoError(t, err)
			for ch, x := range want[0] {
				require.Equal(t, x, out[ch][from-100:from-100+len(x)], "%s channel %d", name, ch)
			}
		}
		player.Close()
		half, _ := all(t, open(t, inputs, monitor.Order{Rate: rate, From: start, To: start + 20000, Speed: 0.5}), 0)
		assert.Len(t, half[0], 40000)
		for i := 2000; i < 36000; i += 2 { // every other sample lies on one of the original
			for ch := range c.width {
				if k := i/2 - 100; k >= 0 && k < len(out[ch]) {
					require.InDelta(t, out[ch][k], half[ch][i], 1e-3, "%s channel %d at %d", name, ch, i)
				}
			}
		}
	}
	_, err = monitor.Signal(program, mix.Of("none"))
	assert.Error(t, err)
}
