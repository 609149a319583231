package cli

import (
	"runtime/debug"
	"strings"
	"time"

	"github.com/spf13/cobra"
	"github.com/spf13/cobra/doc"
	"github.com/spf13/pflag"

	"zestyloom/core/wholefile"
)

func manCommand() *cobra.Command {
	var dir string
	var dry bool
	cmd := &cobra.Command{
		Use:   "man",
		Short: "Write the manual page of the program, or one a command into a folder",
		Long: `Write the manual page of the program to the standard output, or with --out one a command into a folder.

To read it at once: zestyloom man | man -l -`,
		Args: exactly(0, "no arguments"),
		RunE: func(cmd *cobra.Command, _ []string) error {
			day := built()
			head := &doc.GenManHeader{Title: "ZESTYLOOM", Section: "1", Source: "Zesty Loom " + Version, Manual: "Zesty Loom", Date: &day}
			root := cmd.Root()
			root.DisableAutoGenTag = true
			forManual(root)
			if dir == "" {
				return doc.GenMan(root, head, cmd.OutOrStdout())
			}
			if dry {
				pages := 1
				for _, c := range root.Commands() {
					if c.IsAvailableCommand() {
						pages++
					}
				}
				sayf(cmd, "-> %s: %s%s", shown(dir), count(pages, "page"), wouldSay(dry))
				return nil
			}
			if _, err := wholefile.MakeFolder(dir); err != nil {
				return refused(cmd, false, dir, err)
			}
			head.Title = ""
			return doc.GenManTree(root, head, dir)
		},
	}
	cmd.Flags().StringVar(&dir, "out", "", "folder to write to, a page a command")
	cmd.Flags().BoolVar(&dry, "dry-run", false, "with --out: say what would be written and write nothing")
	return cmd
}

// built is the day of what the program was built from, the same for every build of it.
func built() time.Time {
	if info, ok := debug.ReadBuildInfo(); ok {
		for _, s := range info.Settings {
			if t, err := time.Parse(time.RFC3339, s.Value); s.Key == "vcs.time" && err == nil {
				return t
			}
		}
	}
	return released
}

// released is the day of the version, for builds that don't say what they are of.
var released = time.Date(2026, 12, 1, 0, 0, 0, 0, time.UTC)

// forManual adds the exit statuses to a command and those below it, and keeps the low lines in its texts, which the manual's
// formatter would take for emphasis.
func forManual(cmd *cobra.Command) {
	plain := func(s string) string { return strings.ReplaceAll(s, "_", `\_`) }
	long := cmd.Long
	if long == "" {
		long = cmd.Short
	}
	cmd.Long = plain(long + "\n\nExit status: " + ExitStatus)
	cmd.Flags().VisitAll(func(f *pflag.Flag) { f.Usage = plain(f.Usage) })
	for _, c := range cmd.Commands() {
		forManual(c)
	}
}
