package cli

import (
	"errors"
	"os"
	"path/filepath"
	"strings"

	"github.com/spf13/cobra"

	"zestyloom/core/picture"
	"zestyloom/core/snag"
	"zestyloom/core/source"
	"zestyloom/core/wholefile"
)

// extracted is what extract says of one file.
type extracted struct {
	Path  string                  `json:"path"`
	Files []picture.ExtractedFile `json:"files"`
	Snags []snag.Snag             `json:"snags"`
}

func extractCommand() *cobra.Command {
	var out string
	var one, force, dry, asJSON bool
	cmd := &cobra.Command{
		Use:   "extract FILE|FOLDER... --out FOLDER",
		Short: "Write the sound of files with pictures out, a file a stream, each with its start",
		Long: `Write the sound of files with pictures (MOV, MP4, MKV, MXF) out as WAV: a file for each sound stream with its
channels in order, in the word length it has there, and with the start that the timecode and the place of the
stream beside the picture give it. PCM comes out bit for bit. With --one, all streams as the channels of one file.`,
		Args: atLeast(1, "at least one file or folder"),
		RunE: func(cmd *cobra.Command, args []string) error {
			if out == "" {
				return UsageError{errors.New("extract: --out is needed: the folder to write to")}
			}
			paths, err := recordings(args)
			if err != nil {
				return refused(cmd, asJSON, args[0], err)
			}
			taken := claims{}
			return each(cmd, asJSON, paths, func(path string) (*extracted, error) {
				return extract(cmd, path, out, one, force, dry, taken)
			}, func(path string, e *extracted) error {
				if asJSON {
					return encode(cmd, e)
				}
				for _, f := range e.Files {
					start := "no start"
					if f.Start >= 0 {
						start = "starts at sample " + fmtInt(f.Start)
					}
					sayf(cmd, "%s -> %s: %s of %s, %s", shown(path), shown(f.Path), count(f.Channels, "channel"), count(f.Frames, "frame"), start+wouldSay(dry))
				}
				saySnags(cmd, e.Snags)
				return nil
			})
		},
	}
	f := cmd.Flags()
	f.StringVar(&out, "out", "", "folder to write to; made when it is not there")
	f.BoolVar(&one, "one", false, "all streams as the channels of one file, each after the silence before its start")
	f.BoolVar(&dry, "dry-run", false, "say what would be written and write nothing")
	f.BoolVar(&force, "force", false, "overwrite files that are there")
	f.BoolVar(&asJSON, "json", false, "one JSON object a line")
	return cmd
}

func extract(cmd *cobra.Command, path, dir string, one, force, dry bool, taken claims) (*extracted, error) {
	ctx := cmd.Context()
	if src, err := source.Open(path); err == nil {
		src.Close()
		return nil, snag.Refuse("no_picture", "this is a sound file already: split takes it apart")
	} else if snag.Of(err).Code != "picture_file" {
		return nil, err
	}
	info, err := picture.Probe(ctx, path)
	if err != nil {
		return nil, err
	}
	if len(info.Sound) == 0 {
		return nil, snag.Refuse("no_sound", "the file has a picture and no sound")
	}
	base := filepath.Join(dir, strings.TrimSuffix(filepath.Base(path), filepath.Ext(path)))
	planned := info.Planned(base, one)
	for _, f := range planned {
		if err := taken.add(f.Path, path); err != nil {
			return nil, err
		}
		if err := wholefile.Free(f.Path, force); err != nil {
			return nil, err
		}
	}
	if dry {
		return &extracted{Path: path, Files: planned, Snags: append([]snag.Snag{}, info.Snags...)}, nil
	}
	undo, err := wholefile.MakeFolder(dir)
	if err != nil {
		return nil, err
	}
	sweep(cmd, dir)
	tmp, err := ownFolder(dir, "extracting")
	if err != nil {
		undo()
		return nil, err
	}
	e := &extracted{Path: path, Snags: []snag.Snag{}}
	var snags []snag.Snag
	if one {
		e.Files, snags, err = info.ExtractOne(ctx, path, base+".wav", tmp, force)
	} else {
		e.Files, snags, err = info.Extract(ctx, path, base, tmp, force)
	}
	os.RemoveAll(tmp)
	if err != nil {
		undo()
		return nil, err
	}
	e.Snags = append(e.Snags, snags...)
	return e, nil
}
