package cli

import (
	"bytes"
	"encoding/json"
	"fmt"
	"strings"

	"github.com/spf13/cobra"

	"zestyloom/core/audio"
	"zestyloom/core/delivery"
	"zestyloom/core/snag"
	"zestyloom/core/take"
	"zestyloom/core/weave"
	"zestyloom/core/wholefile"
)

// entry is one of what a command lists.
type entry struct {
	Name string `json:"name"`
	Says string `json:"says"`
	doc  any
}

// listCommand lists what comes with the program, or shows one of it as the JSON that it is kept in.
func listCommand(use, what, short, long string, entries func() []entry, own func(name string) (entry, error), more func(cmd *cobra.Command) func() (string, bool)) *cobra.Command {
	var out string
	var asJSON, force, dry bool
	var also func() (string, bool)
	cmd := &cobra.Command{
		Use:   use + " [NAME]",
		Short: short,
		Long:  short + ".\n\n" + long,
		Args: func(cmd *cobra.Command, args []string) error {
			if len(args) > 1 {
				return UsageError{fmt.Errorf("%s: expected one name at the most; one with spaces stands in quotes", use)}
			}
			return nil
		},
		ValidArgsFunction: func(*cobra.Command, []string, string) ([]string, cobra.ShellCompDirective) {
			return namesOf(entries()), cobra.ShellCompDirectiveNoFileComp
		},
		RunE: func(cmd *cobra.Command, args []string) error {
			if also != nil {
				if text, asked := also(); asked {
					return write(cmd, out, force, dry, text)
				}
			}
			list := entries()
			if own != nil && len(args) == 1 && (strings.HasPrefix(args[0], "custom ") || strings.HasSuffix(strings.ToLower(args[0]), ".json")) {
				e, err := own(args[0])
				if err != nil {
					return refused(cmd, asJSON, args[0], snag.Refuse("bad_layout", "%w", err))
				}
				list, args[0] = []entry{e}, e.Name
			}
			if len(args) == 0 {
				for _, e := range list {
					if asJSON {
						if err := encode(cmd, e); err != nil {
							return err
						}
						continue
					}
					sayf(cmd, "%s: %s", e.Name, e.Says)
				}
				return nil
			}
			for _, e := range list {
				if !strings.EqualFold(e.Name, args[0]) {
					continue
				}
				var b bytes.Buffer
				enc := json.NewEncoder(&b)
				enc.SetEscapeHTML(false)
				if !asJSON {
					enc.SetIndent("", "  ")
				}
				if err := enc.Encode(e.doc); err != nil {
					return err
				}
				return write(cmd, out, force, dry, b.String())
			}
			return refused(cmd, asJSON, args[0], snag.Refuse("not_found", "there is no %s of that name (%s)", what, strings.Join(namesOf(list), "; ")))
		},
	}
	f := cmd.Flags()
	f.StringVar(&out, "out", "", "file to write to (standard output otherwise)")
	f.BoolVar(&force, "force", false, "overwrite a file that is there")
	f.BoolVar(&dry, "dry-run", false, "with --out: say what would be written and write nothing")
	f.BoolVar(&asJSON, "json", false, "say it as JSON, an object a line")
	if more != nil {
		also = more(cmd)
	}
	return cmd
}

func namesOf(list []entry) (out []string) {
	for _, e := range list {
		out = append(out, e.Name)
	}
	return out
}

// write writes a text to a file, or to the standard output.
func write(cmd *cobra.Command, out string, force, dry bool, text string) error {
	if out == "" {
		fmt.Fprint(cmd.OutOrStdout(), text)
		return nil
	}
	if dry {
		if err := wholefile.Free(out, force); err != nil {
			return refused(cmd, false, out, err)
		}
		sayf(cmd, "-> %s: %d bytes%s", shown(out), len(text), wouldSay(dry))
		return nil
	}
	f, err := wholefile.Create(out, force)
	if err != nil {
		return refused(cmd, false, out, err)
	}
	defer f.Abort()
	if _, err := f.Write([]byte(text)); err != nil {
		return refused(cmd, false, out, err)
	}
	return f.Commit()
}

func specEntries() (out []entry) {
	for _, s := range delivery.Shipped() {
		out = append(out, entry{s.Name, s.Description, s})
	}
	return out
}

func templateEntries() (out []entry) {
	for _, t := range weave.Shipped() {
		out = append(out, entry{t.Name, t.Description, t})
	}
	return out
}

// layoutShown is a layout with what a recipient would have to know of it.
type layoutShown struct {
	Name     string             `json:"name"`
	Channels []string           `json:"channels"`
	Mask     uint32             `json:"channel_mask"`
	Orders   []audio.NamedOrder `json:"orders"`
	Speakers []speakerShown     `json:"speakers"`
}

type speakerShown struct {
	Name      string   `json:"name"`
	Azimuth   *float64 `json:"azimuth"` // degrees, left positive; null for what has no place
	Elevation *float64 `json:"elevation"`
	Distance  float64  `json:"distance,omitempty"` // metres
	TrimDB    float64  `json:"trim_db,omitempty"`
}

func layoutEntries() (out []entry) {
	for _, l := range audio.Offered() {
		out = append(out, layoutEntry(l))
	}
	return out
}

func layoutEntry(l audio.Layout) entry {
	v := layoutShown{Name: l.Name, Channels: l.Channels(), Mask: l.Mask, Orders: append([]audio.NamedOrder{}, l.Orders()...), Speakers: []speakerShown{}}
	placed := l.Placed()
	for i, name := range v.Channels {
		s := speakerShown{Name: name}
		if d, ok := l.Direction(i); ok {
			s.Azimuth, s.Elevation = &d.Azimuth, &d.Elevation
			s.Distance, s.TrimDB = placed[i].Distance, placed[i].TrimDB
		}
		v.Speakers = append(v.Speakers, s)
	}
	return entry{l.Name, strings.Join(v.Channels, " "), v}
}

// ownLayout is one that is not in the list: written out as custom L R Top@0/90, or in a file.
func ownLayout(name string) (entry, error) {
	l, err := layoutCalled(name)
	return layoutEntry(l), err
}

func specsCommand() *cobra.Command {
	return listCommand("specs", "specification", "List the specifications that come with the program, or write one",
		"With a name the specification is written as the JSON that deliver and verify take, to be changed and used. --schema writes\nthe JSON Schema of it.",
		specEntries, nil, func(cmd *cobra.Command) func() (string, bool) {
			schema := cmd.Flags().Bool("schema", false, "write the JSON Schema of specifications")
			return func() (string, bool) { return string(delivery.Schema), *schema }
		})
}

func templatesCommand() *cobra.Command {
	return listCommand("templates", "template", "List the templates of a routing that come with the program, or write one",
		"With a name the template is written as the JSON that deliver takes. --words lists the words by which stems and languages are\nknown in the names of files and tracks.",
		templateEntries, nil, func(cmd *cobra.Command) func() (string, bool) {
			words := cmd.Flags().Bool("words", false, "list the words by which stems and languages are known in names")
			return func() (string, bool) {
				var b strings.Builder
				for _, list := range [][]take.Word{take.StemWords(), take.LanguageWords()} {
					for _, w := range list {
						fmt.Fprintf(&b, "%s\t%s\n", w.Word, w.Means)
					}
				}
				return b.String(), *words
			}
		})
}

func layoutsCommand() *cobra.Command {
	return listCommand("layouts", "layout", "List the layouts of speakers that are known, or what a recipient has to know of one",
		"With a name its channels are written in order, with the directions of the speakers, the channel mask and the orders that are\nmet. Layouts of one's own are written as 'custom L R Top@0/90/2.5/-1' (names, with azimuth and elevation where they are none of ours,\nand distance in metres and trim in dB where they are known), or read from the JSON that Weave writes them as.",
		layoutEntries, ownLayout, nil)
}

// complete offers the values of flags that have names.
func complete(root *cobra.Command) {
	offered := map[string]func() []entry{"spec": specEntries, "weave": templateEntries, "layout": layoutEntries}
	for _, cmd := range root.Commands() {
		for flag, entries := range offered {
			if cmd.Flags().Lookup(flag) == nil {
				continue
			}
			_ = cmd.RegisterFlagCompletionFunc(flag, func(*cobra.Command, []string, string) ([]string, cobra.ShellCompDirective) {
				return namesOf(entries()), cobra.ShellCompDirectiveDefault
			})
		}
	}
}
