package delivery

import (
	"context"
	"fmt"
	"path/filepath"
	"strings"

	"zestyloom/core/picture"
	"zestyloom/core/snag"
)

// second reads the facts of all files with a reader that is not ours, ffprobe, and says where it finds something else.
func second(ctx context.Context, p Plan, dir string, proof *Proof) error {
	for i, f := range p.Files {
		fp := &proof.Files[i]
		if len(fp.Channels) == 0 {
			continue
		}
		streams, err := picture.Facts(ctx, filepath.Join(dir, filepath.FromSlash(f.Name)), demuxerOf[f.Container])
		if ctx.Err() != nil {
			return ctx.Err()
		}
		if err != nil {
			why := snag.Of(err)
			if why.Code == "no_ffmpeg" {
				proof.Notes = append(proof.Notes, "no second reader looked at the files: ffprobe is not installed")
				return nil
			}
			fp.check("read by ffprobe", "yes", why.Message)
			continue
		}
		var asked, found []string
		for _, s := range streams {
			found = append(found, fmt.Sprintf("%d at %d Hz", s.Channels, s.SampleRate))
		}
		groups := []FileGroup{{Count: len(f.Channels)}}
		if isPicture(f.Container) {
			groups = f.Groups
		}
		for _, g := range groups {
			asked = append(asked, fmt.Sprintf("%d at %d Hz", g.Count, p.Rates.Files))
		}
		fp.check("channels, by ffprobe", strings.Join(asked, " + "), strings.Join(found, " + "))
		// Of a Wave64 it takes the padding at the end for sound.
		if !isPicture(f.Container) && f.Container != "w64" && len(streams) == 1 && streams[0].Frames > 0 {
			fp.check("length in frames, by ffprobe", p.Frames, streams[0].Frames)
		}
	}
	return nil
}

// demuxerOf is how ffmpeg calls our containers; empty for those that it tells from their first bytes.
var demuxerOf = map[string]string{"wav": "wav", "rf64": "wav", "bw64": "wav", "w64": "w64", "aiff": "aiff", "flac": "flac"}
