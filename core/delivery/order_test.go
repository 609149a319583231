package delivery_test

import (
	"context"
	"fmt"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/delivery"
	"zestyloom/core/weave"
	"zestyloom/internal/testmedia"
)

// Files of every container that our own reader reads, in every coding and from two channels to sixty-four, have their channels where
// ffmpeg finds them, too: each track's sound on an output of its own.
func TestASecondReaderFindsTheChannelsInOrder(t *testing.T) {
	t.Parallel()
	for _, width := range testmedia.Some([]int{2, 6, 12, 64}, 0, 2) {
		f := newFixture(t, 0.5)
		l := fmt.Sprintf("discrete %d", width)
		f.reel.Weave.Buses = append(f.reel.Weave.Buses, weave.Bus{ID: "W", Name: "Wide", Role: weave.Stem, Layout: l})
		for n := range width { // of nine sounds, at levels of their own
			id := fmt.Sprint(n%3, "/", n/3%3)
			matrix := make([][]float64, width)
			for row := range matrix {
				matrix[row] = []float64{0}
			}
			matrix[n][0] = 1 / float64(1+n)
			sends := f.reel.Weave.Sends[id]
			f.reel.Weave.Sends[id] = append(sends, weave.Send{To: "W", Patch: weave.Patch{Preset: weave.Custom, Matrix: matrix}})
			if len(sends) > 0 && sends[len(sends)-1].To == "W" { // one way a track
				last := f.reel.Weave.Sends[id]
				last[len(last)-2].Patch.Matrix[n][0] = matrix[n][0]
				f.reel.Weave.Sends[id] = last[:len(last)-1]
			}
		}
		for container, codings := range map[string][]string{"wav": {"s16", "s24", "s32", "f32"}, "rf64": {"s24"}, "bw64": {"s24"}, "w64": {"s24", "f32"}, "aiff": {"s24", "f32"}, "flac": {"s24"}} {
			if container == "flac" && width != 2 {
				continue // its widths have layouts of their own
			}
			for _, coding := range codings {
				s := custom(delivery.FileRule{Container: container, Name: "all", Groups: []delivery.Group{{Layout: l, Bus: "Wide"}}})
				s.Coding = coding
				plan, err := delivery.Make(delivery.Order{Spec: s}, f.reel, pal, 48000)
				require.NoError(t, err, "%d %s", width, container)
				dir := t.TempDir()
				options := delivery.Options{Sources: f.resolve}
				written, err := delivery.Write(context.Background(), plan, dir, options)
				require.NoError(t, err)
				options.Hashes = written.Hashes
				proof, err := delivery.Prove(context.Background(), plan, dir, options)
				require.NoError(t, err)
				assert.Empty(t, proof.Failures(), "%d channels, %s, %s", width, container, coding)
				there := false
				for _, c := range proof.Files[0].Checks {
					there = there || c.What == "order of the channels where something begins, by ffmpeg"
				}
				assert.True(t, there, "%d channels, %s, %s: %v", width, container, coding, proof.Files[0].Checks)
			}
		}
	}
}
