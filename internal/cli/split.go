package cli

import (
	"encoding/json"
	"errors"
	"fmt"

	"github.com/spf13/cobra"

	"zestyloom/core/naming"
	"zestyloom/core/poly"
	"zestyloom/core/snag"
)

func splitCommand() *cobra.Command {
	var o poly.SplitOptions
	var asJSON bool
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
			if err := p.Run(cmd.Context(), nil); err != nil {
				return refused(cmd, asJSON, args[0], err)
			}
			if asJSON {
				return splitJSON(cmd, p)
			}
			for _, s := range p.Snags {
				fmt.Fprintf(cmd.OutOrStdout(), "! %s\n", s.Message)
			}
			for _, part := range p.Parts {
				fmt.Fprintf(cmd.OutOrStdout(), "channel %s -> %s\n", numbers(part.Channels), part.Path)
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
	f.BoolVar(&asJSON, "json", false, "say what was written as one JSON object")
	return cmd
}

func splitJSON(cmd *cobra.Command, p *poly.Split) error {
	type file struct {
		Path     string `json:"path"`
		Channels []int  `json:"channels"`
		Label    string `json:"label"`
	}
	out := struct {
		Files  []file      `json:"files"`
		Frames int64       `json:"frames"`
		Snags  []snag.Snag `json:"snags"`
	}{Frames: p.Frames, Snags: append([]snag.Snag{}, p.Snags...)}
	for _, part := range p.Parts {
		out.Files = append(out.Files, file{part.Path, part.Channels, part.Label})
	}
	return encode(cmd, out)
}

func encode(cmd *cobra.Command, v any) error {
	enc := json.NewEncoder(cmd.OutOrStdout())
	enc.SetEscapeHTML(false)
	return enc.Encode(v)
}

// refused tells of a failure: as a line of JSON where that was asked for, else on standard error.
func refused(cmd *cobra.Command, asJSON bool, path string, err error) error {
	var bad *snag.Refusal
	if errors.As(err, &bad) && (bad.Code == "bad_channels" || bad.Code == "bad_pattern") {
		return UsageError{err}
	}
	if !asJSON {
		return fmt.Errorf("%s: %w", path, err)
	}
	if err := encode(cmd, failure{path, snag.Of(err)}); err != nil {
		return err
	}
	return Reported{}
}

func numbers(channels []int) string {
	s := ""
	for i, c := range channels {
		if i > 0 {
			s += "-"
		}
		s += fmt.Sprint(c)
	}
	return s
}
