package cli

import (
	"errors"
	"fmt"
	"path/filepath"

	"github.com/spf13/cobra"

	"zestyloom/core/naming"
	"zestyloom/core/poly"
	"zestyloom/core/snag"
	"zestyloom/core/wholefile"
)

func splitCommand() *cobra.Command {
	var o poly.SplitOptions
	var asJSON, dry bool
	cmd := &cobra.Command{
		Use:   "split FILE... --out DIR",
		Short: "Break a multichannel file into mono files and stereo pairs, bit for bit",
		Args:  atLeast(1, "at least one file"),
		RunE: func(cmd *cobra.Command, args []string) error {
			if o.Dir == "" {
				return UsageError{errors.New("split: --out is needed: the folder to write to")}
			}
			if o.Pattern != "" {
				if err := naming.Check(o.Pattern, poly.SplitFields); err != nil {
					return UsageError{err}
				}
			}
			taken := claims{}
			return each(cmd, asJSON, args, func(path string) (*poly.Split, error) {
				p, err := poly.PlanSplit(path, o)
				if err != nil {
					return nil, err
				}
				defer p.Close()
				for _, part := range p.Parts {
					if err := taken.add(part.Path, path); err != nil {
						return nil, err
					}
				}
				if !dry {
					sweep(cmd, o.Dir)
					bar := newProgress(cmd, "splitting "+shown(filepath.Base(path)))
					err := p.Run(cmd.Context(), func(done int64) { bar.at(done, p.Frames, p.SampleRate()) })
					bar.end()
					if err != nil {
						return nil, err
					}
				}
				return p, nil
			}, func(path string, p *poly.Split) error {
				if asJSON {
					return splitJSON(cmd, p, path, !dry)
				}
				saySnags(cmd, p.Snags)
				for _, part := range p.Parts {
					what := "channel"
					if len(part.Channels) > 1 {
						what = "channels"
					}
					sayf(cmd, "%s %s -> %s%s", what, numbers(part.Channels), shown(part.Path), wouldSay(dry))
				}
				return nil
			})
		},
	}
	f := cmd.Flags()
	f.StringVar(&o.Dir, "out", "", "folder to write to; made when it is not there")
	f.StringVar(&o.Channels, "channels", "", "channels to write, such as 1,3-6 (all of them otherwise)")
	f.StringVar(&o.Pairs, "pairs", "", "channels to write as stereo pairs, such as 1-2,5-6")
	f.StringVar(&o.Pattern, "name", poly.DefaultPattern, "name pattern: {file} {channel} {label} {track} {scene} {take} {roll} {project}")
	f.BoolVar(&o.Force, "force", false, "overwrite files that are there")
	f.BoolVar(&dry, "dry-run", false, "say what would be written and write nothing")
	f.BoolVar(&asJSON, "json", false, "one JSON object a line: what was written of each file")
	return cmd
}

func splitJSON(cmd *cobra.Command, p *poly.Split, path string, written bool) error {
	type file struct {
		Path     string `json:"path"`
		Channels []int  `json:"channels"`
		Label    string `json:"label"`
	}
	out := struct {
		Path    string      `json:"path"`
		Files   []file      `json:"files"`
		Frames  int64       `json:"frames"`
		Written bool        `json:"written"`
		Snags   []snag.Snag `json:"snags"`
	}{Path: path, Frames: p.Frames, Written: written, Snags: append([]snag.Snag{}, p.Snags...)}
	for _, part := range p.Parts {
		out.Files = append(out.Files, file{part.Path, part.Channels, part.Label})
	}
	return encode(cmd, out)
}

// sweep clears what a killed run has left in a folder that is written to.
func sweep(cmd *cobra.Command, dir string) {
	if n := wholefile.Sweep(dir); n > 0 {
		fmt.Fprintf(cmd.ErrOrStderr(), "%s of a run that was killed removed from %s\n", count(n, "part file"), shown(dir))
	}
}
