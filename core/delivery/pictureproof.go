package delivery

import (
	"context"
	"fmt"

	"zestyloom/core/picture"
)

// leastLikeness is how much of a frame that was coded anew must be left, as the peak signal-to-noise ratio in dB: a frame beside it, of
// anything that moves, is further off, and a coding that is worse is none to deliver.
const leastLikeness = 25

// picture compares the picture of a file with the one that was ordered: by its packets where it goes along as it is, and frame by
// frame, as they are decoded, where it is cut.
func (fp *FileProof) picture(ctx context.Context, p Plan, path, with string, info *picture.Info) error {
	cut := p.Order.Picture.Cut
	if cut == nil {
		before, err := picture.Packets(ctx, with)
		if err != nil {
			return err
		}
		after, err := picture.Packets(ctx, path)
		if err != nil {
			return err
		}
		fp.check("picture, packet by packet (MD5)", before, after)
		return nil
	}
	if info.Picture == nil {
		fp.check("picture", "there", "missing")
		return nil
	}
	like, err := cut.Compare(ctx, with, path, cut.Codec != "")
	if err != nil {
		return err
	}
	fp.check("frames of picture", cut.Length(), like.Frames)
	if black := cut.Before + cut.After; black > 0 {
		fp.check("frames of black around it", black, like.Black)
	}
	if cut.Length() > 1 {
		fp.check("frame rate of picture", p.Order.Picture.Rate, info.Picture.Rate())
	}
	for n, s := range info.Sound {
		fp.check(fmt.Sprintf("stream %d begins with the picture", n+1), 0, s.Offset)
	}
	all := fmt.Sprintf("all %d, frame by frame as they are decoded", cut.Frames)
	if cut.Codec == "" {
		found := all
		if like.Differs >= 0 {
			found = fmt.Sprintf("%d, the first that differs is frame %d", like.Same, like.Differs)
		}
		fp.check("picture, copied", all, found)
		return nil
	}
	asked := fmt.Sprintf("each frame within %d dB", leastLikeness)
	found := asked
	if like.Frames == cut.Length() && like.Least < leastLikeness {
		found = fmt.Sprintf("frame %d at %.1f dB", like.LeastAt, like.Least)
	}
	fp.check(fmt.Sprintf("picture, coded anew (%s), against the original", picture.Coders[cut.Codec].Name), asked, found)
	return nil
}
