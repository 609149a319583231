package cli

import (
	"time"

	"github.com/spf13/cobra"
	"github.com/spf13/cobra/doc"

	"zestyloom/core/wholefile"
)

func manCommand() *cobra.Command {
	var dir string
	cmd := &cobra.Command{
		Use:   "man",
		Short: "Write the manual page of the program, or one a command into a folder",
		Long: `Write the manual page of the program to the standard output, or with --out one a command into a folder.

To read it at once: zestyloom man | man -l -`,
		Args: exactly(0, "no arguments"),
		RunE: func(cmd *cobra.Command, _ []string) error {
			day := time.Unix(0, 0).UTC() // the same text from every build
			head := &doc.GenManHeader{Title: "ZESTYLOOM", Section: "1", Source: "Zesty Loom " + Version, Manual: "Zesty Loom", Date: &day}
			root := cmd.Root()
			root.DisableAutoGenTag = true
			if dir == "" {
				return doc.GenMan(root, head, cmd.OutOrStdout())
			}
			if _, err := wholefile.MakeFolder(dir); err != nil {
				return refused(cmd, false, dir, err)
			}
			head.Title = ""
			return doc.GenManTree(root, head, dir)
		},
	}
	cmd.Flags().StringVar(&dir, "out", "", "folder to write to, a page a command")
	return cmd
}
