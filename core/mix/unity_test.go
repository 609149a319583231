package mix_test

import (
	"context"
	"fmt"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/require"

	"zestyloom/core/audio"
	"zestyloom/core/mix"
	"zestyloom/core/reel"
	"zestyloom/core/weave"
)

// A hundred random weaves that only move and add up: stems, parts and mixes of mixes, pairs exchanged, channels to their
// speakers, mono on both sides. What comes out is the sum of the samples as whole numbers, bit for bit, and the product of
// the grids says of which.
func TestUnityIsExact(t *testing.T) {
	const frames = 3000
	sound, sources := strandsOf(t, 2, 6, frames)
	for seed := range uint64(100) {
		rnd := rand.New(rand.NewPCG(13, seed))
		layouts := []string{"mono", "stereo", "5.1", "7.1.4"}
		r := reel.Reel{Weave: weave.Weave{Sends: map[string][]weave.Send{}}}
		for i := range 7 {
			role := weave.Stem
			if i < 3 {
				role = weave.Mix
			}
			r.Weave.Buses = append(r.Weave.Buses, weave.Bus{ID: fmt.Sprint("b", i), Name: fmt.Sprint("b", i), Role: role, Layout: layouts[rnd.IntN(4)]})
		}
		send := func(id string, from audio.Layout, buses []weave.Bus) {
			for _, b := range buses {
				for _, preset := range []weave.Preset{weave.Plain, weave.BySpeaker, weave.Exchanged, weave.Both, weave.Left, weave.Centre} {
					p := weave.Patch{Preset: preset}
					if _, err := p.Between(from, b.Channels()); err == nil && rnd.IntN(3) == 0 {
						r.Weave.Sends[id] = append(r.Weave.Sends[id], weave.Send{To: b.ID, Patch: p})
						break
					}
				}
			}
		}
		for i, b := range r.Weave.Buses {
			send(b.ID, b.Channels(), r.Weave.Buses[:min(i, 3)])
		}
		for i := range 6 {
			l, err := audio.ParseLayout([]string{"mono", "stereo", "5.1"}[rnd.IntN(3)])
			require.NoError(t, err)
			c := reel.Clip{ID: fmt.Sprint("c", i), Length: frames}
			for k := range l.Count {
				c.Strands = append(c.Strands, fmt.Sprint(rnd.IntN(2), "/", k))
			}
			tr := reel.Track{ID: fmt.Sprint("t", i), Label: "t", Layout: l.Name, Clips: []reel.Clip{c}}
			r.Tracks = append(r.Tracks, tr)
			send(tr.ID, l, r.Weave.Buses)
		}
		for i := range 20 {
			b := r.Weave.Buses[rnd.IntN(7)]
			r.Weave.Outputs = append(r.Weave.Outputs, weave.Output{Name: fmt.Sprint(i), Bus: b.ID, Channel: rnd.IntN(b.Channels().Count)})
		}
		product, err := r.Product()
		require.NoError(t, err)
		blocks, err := play(t, r, sources, mix.All()).Read(context.Background(), 100, 500)
		require.NoError(t, err)
		for o := range r.Weave.Outputs {
			for i := range 500 {
				var sum int64
				for k, tr := range r.Tracks {
					for c, f := range product[o][k] {
						sum += int64(f) * int64(sound[tr.Clips[0].Strands[c]][100+i]*(1<<23))
					}
				}
				require.Equal(t, float64(sum)/(1<<23), blocks[0][o][i], "seed %d, output %d", seed, o)
			}
		}
	}
}
