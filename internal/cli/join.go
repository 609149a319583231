package cli

import (
	"errors"
	"path/filepath"

	"github.com/spf13/cobra"

	"zestyloom/core/poly"
	"zestyloom/core/snag"
)

func joinCommand() *cobra.Command {
	var o poly.JoinOptions
	var asJSON, dry bool
	cmd := &cobra.Command{
		Use:   "join FILE... --out FILE",
		Short: "Put mono files (or others) of one take into one multichannel file, bit for bit",
		Args:  atLeast(1, "at least one file"),
		RunE: func(cmd *cobra.Command, args []string) error {
			if o.Out == "" {
				return UsageError{errors.New("join: --out is needed: the file to write")}
			}
			j, err := poly.PlanJoin(args, o)
			if err != nil {
				return refused(cmd, asJSON, o.Out, err)
			}
			defer j.Close()
			if !dry {
				sweep(cmd, filepath.Dir(o.Out))
				bar := newProgress(cmd, "joining "+shown(filepath.Base(o.Out)))
				err := j.Run(cmd.Context(), func(done int64) { bar.at(done, j.Frames, j.Format.SampleRate) })
				bar.end()
				if err != nil {
					return refused(cmd, asJSON, o.Out, err)
				}
			}
			if asJSON {
				return joinJSON(cmd, j, o.Out, !dry)
			}
			would := ""
			if dry {
				would = " (not written)"
			}
			sayf(cmd, "%s: %s, %s, order taken %s%s", shown(o.Out), count(j.Format.Channels, "channel"), count(j.Frames, "frame"), j.Reason, would)
			for _, line := range j.Describe() {
				sayf(cmd, "  %s", shown(line))
			}
			saySnags(cmd, j.Snags)
			return nil
		},
	}
	f := cmd.Flags()
	f.StringVar(&o.Out, "out", "", "file to write")
	f.BoolVar(&o.Pad, "pad", false, "allow unequal lengths: silence at the end of the shorter files")
	f.BoolVar(&o.AsGiven, "as-given", false, "keep the order in which the files are named")
	f.BoolVar(&o.Anyway, "anyway", false, "join files that say they are of different takes")
	f.BoolVar(&o.Force, "force", false, "overwrite a file that is there")
	f.BoolVar(&dry, "dry-run", false, "say what would be written and write nothing")
	f.BoolVar(&asJSON, "json", false, "say what was written as one JSON object")
	return cmd
}

func joinJSON(cmd *cobra.Command, j *poly.Join, path string, written bool) error {
	type channel struct {
		Channel int    `json:"channel"`
		Label   string `json:"label"`
		Source  string `json:"source"` // path
	}
	out := struct {
		Path     string      `json:"path"`
		Channels int         `json:"channels"`
		Frames   int64       `json:"frames"`
		Order    string      `json:"order"`
		Written  bool        `json:"written"`
		Sources  []string    `json:"sources"`
		Tracks   []channel   `json:"tracks"`
		Snags    []snag.Snag `json:"snags"`
	}{Path: path, Channels: j.Format.Channels, Frames: j.Frames, Order: j.Reason, Written: written, Snags: append([]snag.Snag{}, j.Snags...)}
	out.Tracks = make([]channel, j.Format.Channels)
	for _, m := range j.Members {
		out.Sources = append(out.Sources, m.Path)
		for i, c := range m.Channels {
			out.Tracks[c-1] = channel{c, m.Labels[i], m.Path}
		}
	}
	return encode(cmd, out)
}
