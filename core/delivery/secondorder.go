package delivery

import (
	"context"
	"slices"
	"strings"

	"zestyloom/core/audio"
	"zestyloom/core/picture"
	"zestyloom/core/snag"
	"zestyloom/core/source"
)

// mostBlocks is how many blocks of a file a second reader compares the order of channels by.
const mostBlocks = 24

// telling are blocks of the files in which something begins to sound, by their numbers: channels are told apart by them.
func (p Plan) telling() (out []int64) {
	var starts []int64
	for _, t := range p.Reel.Tracks {
		if t.Off {
			continue
		}
		for _, c := range t.Clips {
			if at := max(c.At, p.From); at < min(c.End(), p.To) {
				starts = append(starts, at)
			}
		}
	}
	slices.Sort(starts)
	for _, at := range starts {
		// A little later, as sound fades in.
		n := (p.Lead+scaled(at-p.From, p.Rates.Files, p.Rates.Reel))/picture.BlockFrames + 2
		if n < p.Frames/picture.BlockFrames && !slices.Contains(out, n) {
			out = append(out, n)
		}
	}
	// Of many, those that lie far apart.
	if len(out) > mostBlocks {
		few := make([]int64, mostBlocks)
		for i := range few {
			few[i] = out[i*(len(out)-1)/(mostBlocks-1)]
		}
		out = few
	}
	return out
}

// order compares the order in which ffmpeg finds the channels of a file with that in which our own reader does, by what they hold
// where something begins. Files that ours has read through ffmpeg have but one reader.
func (fp *FileProof) order(ctx context.Context, p Plan, f File, path string) error {
	blocks := p.telling()
	if len(f.Channels) < 2 || len(blocks) == 0 || Containers[f.Container].Picture {
		return nil
	}
	theirs, err := picture.Blocks(ctx, path, Containers[f.Container].Demuxer, len(f.Channels), blocks)
	if err != nil {
		if ctx.Err() != nil {
			return ctx.Err()
		}
		if snag.Of(err).Code != "no_ffmpeg" { // which is said once
			fp.check("read by ffmpeg", "yes", snag.Of(err).Message)
		}
		return nil
	}
	src, err := source.Open(path)
	if err != nil {
		return err
	}
	defer src.Close()
	ours := make([][]float64, len(f.Channels))
	raw := make([]byte, picture.BlockFrames*src.Format.FrameBytes())
	for _, b := range blocks {
		if err := src.ReadFull(raw, b*picture.BlockFrames); err != nil {
			return err
		}
		for c := range ours {
			at := len(ours[c])
			ours[c] = append(ours[c], make([]float64, picture.BlockFrames)...)
			audio.DecodeChannel(ours[c][at:], raw, src.Format.Coding, len(f.Channels), c)
		}
	}
	names := make([]string, len(f.Channels))
	for c := range f.Channels {
		names[c] = f.Channels[c].Name
	}
	fp.check("order of the channels where something begins, by ffmpeg", strings.Join(names, ", "), strings.Join(inOrder(names, ours, theirs), ", "))
	return nil
}

// inOrder says which of our channels each of another reader's is, by what it holds: those that are alike stand each for itself.
func inOrder(names []string, ours, theirs [][]float64) []string {
	found := make([]string, len(names))
	for c := range names {
		at := c
		if !slices.Equal(theirs[c], ours[c]) {
			at = slices.IndexFunc(ours, func(x []float64) bool { return slices.Equal(x, theirs[c]) })
		}
		if found[c] = "something else"; at >= 0 {
			found[c] = names[at]
		}
	}
	return found
}
