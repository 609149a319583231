package cli

import (
	"errors"
	"path/filepath"
	"strings"

	"github.com/spf13/cobra"

	"zestyloom/core/audio"
	"zestyloom/core/convert"
	"zestyloom/core/wholefile"
)

// converted is what convert says of one file.
type converted struct {
	Path    string `json:"path"`
	From    string `json:"from"`
	Written bool   `json:"written"`
	*convert.Conversion
}

func convertCommand() *cobra.Command {
	var o convert.Options
	var out, coding string
	var dry, asJSON bool
	cmd := &cobra.Command{
		Use:   "convert FILE|FOLDER... --out FILE|FOLDER",
		Short: "Write sound files anew in another container, coding or sample rate, and read them back",
		Long: `Write sound files anew in another container, coding or sample rate, with what they say of themselves, and read them back.

Where only the container changes, or the coding becomes wider, every sample is the same. Samples that fall between the steps of a
narrower coding are dithered (TPDF), unless --dither=false. A start stays the same moment at another rate. What a container has no
place for is said. The container is the one that --out ends in, or --container, or else the one that the file has.`,
		Args: atLeast(1, "at least one file or folder"),
		RunE: func(cmd *cobra.Command, args []string) error {
			if out == "" {
				return UsageError{errors.New("convert: --out is needed: the file to write, or of several files the folder")}
			}
			if coding != "" {
				var err error
				if o.Coding, err = audio.ParseCoding(coding); err != nil {
					return UsageError{err}
				}
			}
			paths, err := recordings(args)
			if err != nil {
				return refused(cmd, asJSON, args[0], err)
			}
			many := len(paths) > 1 || len(paths) == 1 && paths[0] != args[0]
			o := o
			if o.Container == "" && !many {
				o.Container = convert.ByEnding(out)
			}
			taken := claims{}
			return each(cmd, asJSON, paths, func(path string) (*converted, error) {
				src, _, done, err := openSound(cmd.Context(), path)
				if err != nil {
					return nil, err
				}
				defer done()
				c := &converted{From: path}
				if c.Conversion, err = convert.Plan(src, filepath.Base(path), o); err != nil {
					return nil, err
				}
				c.Path = into(out, path, c.Extension(), many)
				if err := taken.add(c.Path, path); err != nil {
					return nil, err
				}
				if err := wholefile.Free(c.Path, o.Force); err != nil {
					return nil, err
				}
				if !dry {
					if many {
						if _, err := wholefile.MakeFolder(out); err != nil {
							return nil, err
						}
					}
					sweep(cmd, filepath.Dir(c.Path))
					bar := newProgress(cmd, "converting "+shown(filepath.Base(path)))
					err := c.Run(cmd.Context(), c.Path, func(at int64) { bar.at(at, src.Frames, src.Format.SampleRate) })
					bar.end()
					if err != nil {
						return nil, err
					}
					c.Written = true
				}
				return c, nil
			}, func(path string, c *converted) error {
				if asJSON {
					return encode(cmd, c)
				}
				same := ""
				if c.Exact {
					same = ", every sample the same"
				}
				if c.Written {
					same += ", read back"
				}
				sayf(cmd, "%s -> %s: %s, %s, %d Hz, %s%s%s", shown(path), shown(c.Path), c.Container, c.Coding, c.Rate, count(c.Frames, "frame"), same, wouldSay(dry))
				saySnags(cmd, c.Snags)
				return nil
			})
		},
	}
	f := cmd.Flags()
	f.StringVar(&out, "out", "", "file to write; of several files the folder")
	f.StringVar(&o.Container, "container", "", "one of "+strings.Join(convert.Containers, ", "))
	f.StringVar(&coding, "coding", "", "coding of the samples, such as s24 or f32")
	f.IntVar(&o.Rate, "rate", 0, "sample rate in Hz")
	dither := f.Bool("dither", true, "dither samples that fall between the steps of the coding (TPDF)")
	f.BoolVar(&o.Force, "force", false, "overwrite files that are there")
	f.BoolVar(&dry, "dry-run", false, "say what would be written and write nothing")
	f.BoolVar(&asJSON, "json", false, "one JSON object a line: what was written of each file")
	cmd.PreRun = func(*cobra.Command, []string) { o.Plain = !*dither }
	return cmd
}
