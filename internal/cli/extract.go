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
	var one, force, asJSON bool
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
			var failed error
			for _, path := range paths {
				e, err := extract(cmd, path, out, one, force)
				if err != nil {
					if failed = refused(cmd, asJSON, path, err); !errors.As(failed, new(Reported)) {
						return failed
					}
					continue
				}
				if asJSON {
					if err := encode(cmd, e); err != nil {
						return err
					}
					continue
				}
				for _, f := range e.Files {
					start := "no start"
					if f.Start >= 0 {
						start = "starts at sample " + fmtInt(f.Start)
					}
					sayf(cmd, "%s -> %s: %s of %s, %s", shown(path), shown(f.Path), count(f.Channels, "channel"), count(f.Frames, "frame"), start)
				}
				saySnags(cmd, e.Snags)
			}
			return failed
		},
	}
	f := cmd.Flags()
	f.StringVar(&out, "out", "", "folder to write to; made when it is not there")
	f.BoolVar(&one, "one", false, "all streams as the channels of one file, each after the silence before its start")
	f.BoolVar(&force, "force", false, "overwrite files that are there")
	f.BoolVar(&asJSON, "json", false, "one JSON object a line")
	return cmd
}

func extract(cmd *cobra.Command, path, dir string, one, force bool) (*extracted, error) {
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
	base := filepath.Join(dir, strings.TrimSuffix(filepath.Base(path), filepath.Ext(path)))
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
