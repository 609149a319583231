package cli

import (
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"zestyloom/core/audio"
	"zestyloom/core/naming"
	"zestyloom/core/poly"
	"zestyloom/core/snag"
	"zestyloom/core/source"
	"zestyloom/core/take"
)

// gathered is what gather says of one take.
type gathered struct {
	Name    string      `json:"name"`
	Out     string      `json:"out"` // empty when it is not joined
	Members []string    `json:"members"`
	Why     string      `json:"why"`
	Order   string      `json:"order"`
	Frames  int64       `json:"frames"`
	Joined  bool        `json:"joined"`
	Snags   []snag.Snag `json:"snags"`
	group   take.Group
}

func gatherCommand() *cobra.Command {
	var out string
	var dry, asJSON, anyway, force bool
	cmd := &cobra.Command{
		Use:   "gather DIR --out DIR",
		Short: "Find the takes in a folder of mono files, say why, and join each into one file",
		Args:  exactly(1, "one folder"),
		RunE: func(cmd *cobra.Command, args []string) error {
			if out == "" && !dry {
				return UsageError{errors.New("gather: --out is needed: the folder to write to; or --dry-run to write nothing")}
			}
			list, bad, err := gather(args[0], out, anyway)
			if err != nil {
				return refused(cmd, asJSON, args[0], err)
			}
			failed := len(bad) > 0
			for _, b := range bad {
				if asJSON {
					err = encode(cmd, b)
				} else {
					_, err = fmt.Fprintf(cmd.OutOrStdout(), "%s\n  can't be read (%s): %s\n", b.Path, b.Error.Code, b.Error.Message)
				}
				if err != nil {
					return err
				}
			}
			if !dry && out != "" {
				if err := os.MkdirAll(out, 0o755); err != nil {
					return refused(cmd, asJSON, out, err)
				}
			}
			for _, g := range list {
				if g.Out != "" && !dry {
					if err := g.join(cmd, force); err != nil {
						failed = true
						g.Snags = append(g.Snags, snag.Snag{Code: snag.Of(err).Code, Message: snag.Of(err).Message})
					} else {
						g.Joined = true
					}
				}
				if asJSON {
					err = encode(cmd, g)
				} else {
					err = g.print(cmd, dry)
				}
				if err != nil {
					return err
				}
			}
			if failed {
				return Reported{}
			}
			return nil
		},
	}
	f := cmd.Flags()
	f.StringVar(&out, "out", "", "folder to write to")
	f.BoolVar(&dry, "dry-run", false, "say what would be joined and write nothing")
	f.BoolVar(&anyway, "anyway", false, "join takes that something is amiss with, too: shorter members are padded with silence at the end")
	f.BoolVar(&force, "force", false, "overwrite files that are there")
	f.BoolVar(&asJSON, "json", false, "one JSON object a line")
	return cmd
}

// gather groups the sound files of a folder and those below it. Files that can't be read are
// reported and stop nothing.
func gather(dir, out string, anyway bool) ([]gathered, []failure, error) {
	var files []take.File
	var bad []failure
	err := filepath.WalkDir(dir, func(path string, d fs.DirEntry, err error) error {
		if err != nil {
			return err
		}
		if strings.HasPrefix(d.Name(), ".") && path != dir {
			if d.IsDir() {
				return fs.SkipDir
			}
			return nil
		}
		switch strings.ToLower(filepath.Ext(path)) {
		case ".wav", ".wave", ".bwf", ".rf64", ".w64", ".aif", ".aiff", ".aifc", ".flac":
		default:
			return nil
		}
		src, err := source.Open(path)
		if err != nil {
			bad = append(bad, failure{path, snag.Of(err)})
			return nil
		}
		defer src.Close()
		files = append(files, take.File{Key: path, Name: filepath.Base(path), Channels: src.Format.Channels, SampleRate: src.Format.SampleRate, Frames: src.Frames, Facts: src.Gather(filepath.Base(path))})
		return nil
	})
	if err != nil {
		return nil, nil, snag.Refuse("no_folder", "the folder can't be read: %w", err)
	}
	var list []gathered
	seen := map[string]bool{}
	for _, g := range take.Groups(files) {
		if g.Members[0].Channels != 1 {
			continue // one file already
		}
		v := gathered{Name: groupName(g), Why: g.Why, Order: g.Order, Frames: g.Longest, Snags: append([]snag.Snag{}, g.Snags...), group: g}
		for _, m := range g.Members {
			v.Members = append(v.Members, m.Key)
		}
		for n := 2; seen[strings.ToLower(v.Name)]; n++ {
			v.Name = fmt.Sprintf("%s_%d", groupName(g), n)
		}
		seen[strings.ToLower(v.Name)] = true
		if len(g.Members) > 1 && (len(g.Snags) == 0 || anyway) {
			v.Out = filepath.Join(out, v.Name+".wav")
		}
		list = append(list, v)
	}
	return list, bad, nil
}

// groupName is the name of a take's file, without an extension.
func groupName(g take.Group) string {
	f := g.Members[0].Facts
	if f.Scene != "" && f.Take != "" {
		return naming.Clean(strings.Trim(f.Roll+"_"+f.Scene+"-"+f.Take, "_"))
	}
	return naming.Clean(source.ParseName(g.Members[0].Name).Stem)
}

func (g *gathered) join(cmd *cobra.Command, force bool) error {
	first := g.group.Members[0]
	o := poly.Out{Path: g.Out}
	for _, m := range g.group.Members {
		t := m.Facts.Tracks[0]
		o.Strands = append(o.Strands, poly.Strand{Path: m.Key, Channel: 1, Label: t.Label, Track: t.RecorderTrack})
		if sp := source.ParseName(m.Name).Speaker; sp != "" && g.group.Layout != "" {
			o.Order = append(o.Order, audio.Speaker(sp))
		}
	}
	said := poly.Said{Facts: first.Facts, Bare: first.Facts.Start < 0 && first.Facts.Scene == ""}
	opts := poly.WriteOptions{Force: force, Pad: true}
	if _, err := poly.Write(cmd.Context(), []poly.Out{o}, said, opts, nil); err != nil {
		return err
	}
	proofs, err := poly.Prove(cmd.Context(), []poly.Out{o}, said, opts, nil)
	if err != nil {
		return err
	}
	if i := slices.IndexFunc(proofs, func(p poly.FileProof) bool { return !p.OK }); i >= 0 {
		return snag.Refuse("proof_failed", "%s read back is not what its members hold: %s", g.Out, strings.Join(proofs[i].Wrong, "; "))
	}
	return nil
}

func (g *gathered) print(cmd *cobra.Command, dry bool) error {
	out := cmd.OutOrStdout()
	what := "left as it is"
	switch {
	case g.Joined:
		what = "joined into " + g.Out + ", read back and compared"
	case g.Out != "" && dry:
		what = "would be joined into " + g.Out
	}
	_, err := fmt.Fprintf(out, "%s: %d files, %s; %s\n", g.Name, len(g.Members), g.Why, what)
	for i, m := range g.group.Members {
		label := m.Facts.Tracks[0].Label
		if label == "" {
			label = "no label"
		}
		fmt.Fprintf(out, "  %d  %s  (%s)\n", i+1, label, m.Key)
	}
	if g.Order != "" && len(g.Members) > 1 {
		fmt.Fprintf(out, "  order: %s\n", g.Order)
	}
	for _, s := range g.Snags {
		fmt.Fprintf(out, "! %s\n", s.Message)
	}
	return err
}
