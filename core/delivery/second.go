package delivery

import (
	"context"
	"fmt"
	"path/filepath"
	"slices"
	"strings"

	"zestyloom/core/picture"
	"zestyloom/core/safely"
	"zestyloom/core/snag"
)

// second reads the facts of all files with readers that are not ours, ffprobe and sndfile-info, and says where they find
// something else.
func second(ctx context.Context, p Plan, dir string, proof *Proof) error {
	missing, noSndfile := make([]bool, len(p.Files)), make([]bool, len(p.Files))
	err := safely.Each(2*workers, len(p.Files), func(i int) error {
		fp, f := &proof.Files[i], p.Files[i]
		if len(fp.Channels) == 0 {
			return nil
		}
		path := filepath.Join(dir, filepath.FromSlash(f.Name))
		streams, err := picture.Facts(ctx, path, Containers[f.Container].Demuxer)
		switch {
		case ctx.Err() != nil:
			return ctx.Err()
		case err != nil && snag.Of(err).Code == "no_ffmpeg":
			missing[i] = true
		case err != nil:
			fp.check("read by ffprobe", "yes", snag.Of(err).Message)
		default:
			fp.second(p, f, streams)
			if err := fp.order(ctx, p, f, path); err != nil {
				return err
			}
		}
		if !Containers[f.Container].Sndfile {
			return nil
		}
		facts, err := sndfileInfo(ctx, path)
		switch {
		case ctx.Err() != nil:
			return ctx.Err()
		case err == errNoSndfile:
			noSndfile[i] = true
		case err != nil:
			fp.check("read by sndfile-info", "yes", err)
		default:
			fp.check("channels, by sndfile-info", fmt.Sprintf("%d at %d Hz", len(f.Channels), p.Rates.Files), fmt.Sprintf("%d at %d Hz", facts.channels, facts.rate))
			fp.check("length in frames, by sndfile-info", p.Frames, facts.frames)
		}
		return nil
	})
	if slices.Contains(missing, true) {
		proof.Notes = append(proof.Notes, "ffprobe, as a second reader, has not looked at the files: it is not installed")
	}
	if slices.Contains(noSndfile, true) {
		proof.Notes = append(proof.Notes, "sndfile-info, as a further reader, has not looked at the files: it is not installed")
	}
	return err
}

// second compares what ffprobe says of a file.
func (fp *FileProof) second(p Plan, f File, streams []picture.Stream) {
	var asked, found []string
	for _, s := range streams {
		found = append(found, fmt.Sprintf("%d at %d Hz", s.Channels, s.SampleRate))
	}
	parts := []stream{{count: len(f.Channels)}}
	if Containers[f.Container].Picture {
		parts = streamsOf(f.Groups)
	}
	for _, st := range parts {
		asked = append(asked, fmt.Sprintf("%d at %d Hz", st.count, p.Rates.Files))
	}
	fp.check("channels, by ffprobe", strings.Join(asked, " + "), strings.Join(found, " + "))
	for i, st := range parts {
		// AAC has no way to leave it away: a sound field is told by its mark.
		if i < len(streams) && st.count > 2 && len(streams) == len(parts) && (Containers[f.Container].Picture || f.Container == "flac") && (f.Coding != "aac" || st.mask != 0) {
			if asked, found := st.tag(f), streams[i].Layout; !slices.Contains(asked, found) {
				fp.check("layout that "+streamSays(i, len(parts))+" is tagged with, by ffprobe", tagSays(asked[0]), tagSays(found))
			} else {
				fp.check("layout that "+streamSays(i, len(parts))+" is tagged with, by ffprobe", tagSays(found), tagSays(found))
			}
		}
	}
	if kind := Containers[f.Container]; !kind.Picture && !kind.Padded && len(streams) == 1 && streams[0].Frames > 0 {
		fp.check("length in frames, by ffprobe", p.Frames, streams[0].Frames)
	}
}
