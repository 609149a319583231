package cli

import (
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"strings"

	"github.com/spf13/cobra"

	"zestyloom/core/naming"
	"zestyloom/core/poly"
	"zestyloom/core/snag"
	"zestyloom/core/source"
	"zestyloom/core/take"
	"zestyloom/core/wholefile"
)

// gathered is what gather says of one take.
type gathered struct {
	Name    string      `json:"name"`
	Path    string      `json:"path"`    // of the file that is or would be made; empty when there is nothing to join
	Members []string    `json:"members"` // paths
	Why     string      `json:"why"`
	Order   string      `json:"order"`
	Frames  int64       `json:"frames"`
	Certain bool        `json:"certain"`
	Joined  bool        `json:"joined"`
	Left    string      `json:"left"` // why it is left alone, in words; empty when it is joined
	Snags   []snag.Snag `json:"snags"`
	group   take.Group
}

// gatherOptions say which takes are joined.
type gatherOptions struct {
	out    string
	accept bool // also what only names hold together
	anyway bool // also what something is amiss with
	dry    bool
	force  bool
}

func gatherCommand() *cobra.Command {
	var o gatherOptions
	var asJSON bool
	cmd := &cobra.Command{
		Use:   "gather FOLDER --out FOLDER",
		Short: "Find the takes in a folder of mono files, say why, and join each into one file",
		Long: `Find the takes in a folder of mono files and those below it, say why they belong together, and join each
into one file, which is read back and compared.

A take is joined where the files say for certain that they are one: by their family, or by scene, take and
start. What only names hold together is proposed; --accept joins it. What something is amiss with is told of
and left alone; --anyway joins it. Files of different folders are never one take. The exit status is 3 when
something was left alone that may belong together.`,
		Args: exactly(1, "one folder"),
		RunE: func(cmd *cobra.Command, args []string) error {
			if o.out == "" && !o.dry {
				return UsageError{errors.New("gather: --out is needed: the folder to write to; or --dry-run to write nothing")}
			}
			list, failed, err := gather(cmd, args[0], asJSON, o)
			if err != nil {
				return refused(cmd, asJSON, args[0], err)
			}
			left := false
			for _, g := range list {
				if g.Left == "" && !o.dry {
					if err := g.join(cmd, o.force); err != nil {
						if cmd.Context().Err() != nil {
							return cmd.Context().Err()
						}
						failed = true
						g.Snags = append(g.Snags, snag.Snag{Code: snag.Of(err).Code, Message: snag.Of(err).Message + remedy(cmd, err)})
						g.Left = "it could not be joined"
					} else {
						g.Joined = true
					}
				}
				left = left || g.Left != "" && g.Path != ""
				if asJSON {
					err = encode(cmd, g)
				} else {
					g.print(cmd, o.dry)
				}
				if err != nil {
					return err
				}
			}
			switch {
			case failed:
				return Reported{}
			case left:
				return LeftAlone{}
			}
			return nil
		},
	}
	f := cmd.Flags()
	f.StringVar(&o.out, "out", "", "folder to write to")
	f.BoolVar(&o.dry, "dry-run", false, "say what would be joined and write nothing")
	f.BoolVar(&o.accept, "accept", false, "join what only names hold together, too")
	f.BoolVar(&o.anyway, "anyway", false, "join takes that something is amiss with, too: shorter members are padded with silence at the end")
	f.BoolVar(&o.force, "force", false, "overwrite files that are there")
	f.BoolVar(&asJSON, "json", false, "one JSON object a line")
	return cmd
}

// gather groups the sound files of a folder and those below it. Files that can't be read are reported, make it
// say failed, and stop nothing.
func gather(cmd *cobra.Command, dir string, asJSON bool, o gatherOptions) (list []gathered, failed bool, err error) {
	if st, err := os.Stat(dir); err != nil || !st.IsDir() {
		return nil, false, snag.Refuse("no_folder", "this is no folder that can be read")
	}
	paths, err := recordings([]string{dir})
	if err != nil {
		return nil, false, err
	}
	var files []take.File
	for _, path := range paths {
		src, err := source.Open(path)
		if err != nil {
			if snag.Of(err).Code != "picture_file" {
				failed = true
				_ = refused(cmd, asJSON, path, err)
			}
			continue
		}
		files = append(files, take.File{Key: path, Name: filepath.Base(path), Folder: filepath.Dir(path), Channels: src.Format.Channels,
			SampleRate: src.Format.SampleRate, Frames: src.Frames, Facts: src.Gather(filepath.Base(path))})
		src.Close()
	}
	seen := map[string]bool{}
	for _, g := range take.Groups(files) {
		if g.Members[0].Channels != 1 {
			continue // one file already
		}
		v := gathered{Name: groupName(g), Why: g.Why, Order: g.Order, Frames: g.Longest, Certain: g.Certain, Snags: append([]snag.Snag{}, g.Snags...), group: g}
		for _, m := range g.Members {
			v.Members = append(v.Members, m.Key)
		}
		below, err := filepath.Rel(dir, g.Members[0].Folder)
		if err != nil {
			return nil, false, err
		}
		key := func() string { return strings.ToLower(filepath.Join(below, v.Name)) }
		for n := 2; seen[key()]; n++ {
			v.Name = fmt.Sprintf("%s_%d", groupName(g), n)
		}
		seen[key()] = true
		switch {
		case len(g.Members) == 1 && len(g.Snags) == 0:
			v.Left = "a mono file of no set"
		case len(g.Members) == 1:
			v.Left, v.Path = "nothing to join it with is certain", filepath.Join(o.out, below, v.Name+".wav")
		default:
			v.Path = filepath.Join(o.out, below, v.Name+".wav")
			if len(g.Snags) > 0 && !o.anyway {
				v.Left = "something is amiss: --anyway joins it all the same"
			} else if !g.Certain && len(g.Snags) == 0 && !o.accept {
				v.Left = "it is proposed, and not certain: --accept joins it"
			}
		}
		list = append(list, v)
	}
	return list, failed, nil
}

// groupName is the name of a take's file, without an extension.
func groupName(g take.Group) string {
	f := g.Members[0].Facts
	if f.Scene != "" && f.Take != "" {
		return naming.Clean(strings.Trim(f.Roll+"_"+f.Scene+"-"+f.Take, "_"))
	}
	return naming.Clean(take.SetStem(g.Names()...))
}

func (g *gathered) join(cmd *cobra.Command, force bool) error {
	facts := g.group.Members[0].Facts
	o := poly.Out{Path: g.Path}
	for _, m := range g.group.Members {
		facts.Fill(m.Facts)
		t := m.Facts.Tracks[0]
		o.Strands = append(o.Strands, poly.Strand{Path: m.Key, Channel: 1, Label: t.Label, Track: t.RecorderTrack})
		if sp := source.ParseName(m.Name).Speaker; sp != "" && g.group.Layout != "" {
			o.Order = append(o.Order, sp)
		}
	}
	undo, err := wholefile.MakeFolder(filepath.Dir(g.Path))
	if err != nil {
		return err
	}
	said := poly.Said{Facts: facts, Bare: facts.Start < 0 && facts.Scene == ""}
	proof, err := writeAndProve(cmd, o, said, poly.WriteOptions{Force: force, Pad: true}, g.group.Members[0].SampleRate)
	if err != nil {
		undo()
	}
	g.Snags = append(g.Snags, proof.Snags...)
	return err
}

func (g *gathered) print(cmd *cobra.Command, dry bool) {
	what := "left alone: " + g.Left
	switch {
	case g.Joined:
		what = "joined into " + g.Path + ", read back and compared"
	case g.Left == "" && dry:
		what = "would be joined into " + g.Path
	}
	sayf(cmd, "%s: %s, %s; %s", shown(g.Name), count(len(g.Members), "file"), g.Why, shown(what))
	for i, m := range g.group.Members {
		label := m.Facts.Tracks[0].Label
		if label == "" {
			label = "no label"
		}
		sayf(cmd, "  %d  %s  (%s)", i+1, shown(label), shown(m.Key))
	}
	if g.Order != "" && len(g.Members) > 1 {
		sayf(cmd, "  order: %s", g.Order)
	}
	saySnags(cmd, g.Snags)
}
