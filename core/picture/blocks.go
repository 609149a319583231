package picture

import (
	"context"
	"encoding/binary"
	"fmt"
	"math"
	"strings"
)

// BlockFrames is how many frames a block has that Blocks reads.
const BlockFrames = 1024

// Blocks reads some blocks of a file's only sound stream with ffmpeg, by their numbers from 0, ascending: the samples of a channel
// each, one block after the other. kind is how ffmpeg calls the container.
func Blocks(ctx context.Context, path, kind string, channels int, blocks []int64) ([][]float64, error) {
	chosen := make([]string, len(blocks))
	for i, b := range blocks {
		chosen[i] = fmt.Sprintf("eq(n,%d)", b)
	}
	c := call{program: "ffmpeg", in: path, kind: kind, wall: decodeTime, most: len(blocks)*BlockFrames*channels*8 + 1, before: []string{"-nostdin", "-guess_layout_max", "0"}}
	c.after = []string{"-map", "0:a:0", "-af", fmt.Sprintf("asetnsamples=n=%d:p=0,aselect='%s'", BlockFrames, strings.Join(chosen, "+")), "-c:a", "pcm_f64le", "-f", "f64le", "-"}
	raw, err := c.run(ctx)
	if err != nil {
		return nil, err
	}
	out := make([][]float64, channels)
	for at := 0; at+8*channels <= len(raw); at += 8 * channels {
		for ch := range out {
			out[ch] = append(out[ch], math.Float64frombits(binary.LittleEndian.Uint64(raw[at+8*ch:])))
		}
	}
	return out, nil
}
