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
		Use:   "split FILE --out DIR",
		Short: "Break a multichannel file into mono files and stereo pairs, bit for bit",
		Args:  exactly(1, "one file"),
		RunE: func(cmd *cobra.Command, args []string) error {
			if o.Dir == "" {
				return UsageError{errors.New("split: --out is needed: the folder to write to")}
			}
			if o.Pattern != "" {
				if err := naming.Check(o.Pattern, poly.SplitFields); err != nil {
					return UsageError{err}
				}
			}
			p, err := poly.PlanSplit(args[0], o)
			if err != nil {
				return refused(cmd, asJSON, args[0], err)
			}
			defer p.Close()
			if !dry {
				sweep(cmd, o.Dir)
				bar := newProgress(cmd, "splitting "+shown(filepath.Base(args[0])))
				err := p.Run(cmd.Context(), func(done int64) { bar.at(done, p.Frames, p.SampleRate()) })
				bar.end()
				if err != nil {
					return refused(cmd, asJSON, args[0], err)
				}
			}
			if asJSON {
				return splitJSON(cmd, p, args[0], !dry)
			}
			saySnags(cmd, p.Snags)
			for _, part := range p.Parts {
				what := "channel"
				if len(part.Channels) > 1 {
					what = "channels"
				}
				would := ""
				if dry {
					would = " (not written)"
				}
				sayf(cmd, "%s %s -> %s%s", what, numbers(part.Channels), shown(part.Path), would)
			}
			return nil
		},
	}
	f := cmd.Flags()
	f.StringVar(&o.Dir, "out", "", "folder to write to; made when it is not there")
	f.StringVar(&o.Channels, "channels", "", "channels to write, such as 1,3-6 (all of them otherwise)")
	f.StringVar(&o.Pairs, "pairs", "", "channels to write as stereo pairs, such as 1-2,5-6")
	f.StringVar(&o.Pattern, "name", poly.DefaultPattern, "name pattern: {file} {channel} {label} {track} {scene} {take} {roll} {project}")
	f.BoolVar(&o.Force, "force", false, "overwrite files that are there")
	f.BoolVar(&dry, "dry-run", false, "say what would be written and write nothing")
	f.BoolVar(&asJSON, "json", false, "say what was written as one JSON object")
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
