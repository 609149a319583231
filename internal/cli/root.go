// Package cli has the commands of the program, one file each.
package cli

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"strings"

	"github.com/spf13/cobra"
)

// UsageError is a command line that can't be understood: exit status 2.
type UsageError struct{ error }

// Reported marks a failure that has been told to the user already: exit status 1 without a word.
type Reported struct{}

func (Reported) Error() string { return "failed" }

// LeftAlone is the end of a command that did what was certain and left the rest alone: exit status 3.
type LeftAlone struct{}

func (LeftAlone) Error() string { return "something was left alone that may belong together" }

// Status is the exit status for what a command ended with: 0 done, 1 something could not be done, 2 wrong usage, 3
// something was left alone or is not as it was asked for, 130 stopped.
func Status(err error) int {
	switch {
	case err == nil:
		return 0
	case errors.As(err, new(UsageError)):
		return 2
	case errors.As(err, new(LeftAlone)), errors.As(err, new(Unmet)):
		return 3
	case errors.Is(err, context.Canceled):
		return 130
	}
	return 1
}

// ExitStatus is what every command's exit status means, for the manual and the documents.
const ExitStatus = `0: done. 1: something that was asked for could not be done, and is said. 2: wrong usage. 3: done, and not as it was
asked for, or left alone until something is decided. 130: stopped.`

// Usage says what was wrong with a command line, and where help is: as JSON where that was asked for.
func Usage(cmd *cobra.Command, args []string, err error) string {
	hint := ""
	if strings.Contains(err.Error(), "unknown shorthand flag") || strings.Contains(err.Error(), "unknown flag") {
		hint = "; what begins with - and is a file stands behind --"
	}
	message := fmt.Sprintf("%s%s. Run '%s --help' for what there is.", err, hint, cmd.CommandPath())
	if slices.Contains(args, "--json") {
		b, err := json.Marshal(map[string]any{"error": map[string]string{"code": "usage", "message": message}})
		if err == nil {
			return string(b)
		}
	}
	return "zestyloom: " + message
}

// Root makes the command tree.
func Root() *cobra.Command {
	root := &cobra.Command{
		Use:           "zestyloom",
		Short:         "From recorder files to proven stem masters",
		SilenceErrors: true,
		SilenceUsage:  true,
		Args: func(_ *cobra.Command, args []string) error {
			if len(args) > 0 {
				return UsageError{fmt.Errorf("unknown command %q", args[0])}
			}
			return nil
		},
		RunE: func(cmd *cobra.Command, _ []string) error { return cmd.Help() },
	}
	root.Version = version()
	root.SetVersionTemplate("zestyloom {{.Version}}\n")
	root.SetFlagErrorFunc(func(_ *cobra.Command, err error) error { return UsageError{err} })
	root.AddCommand(inspectCommand(), splitCommand(), joinCommand(), gatherCommand(), labelCommand(), alignCommand(), extractCommand(), measureCommand(), correctCommand(), convertCommand(), cutsCommand(), routeCommand(), toneCommand(), wrapCommand(), unwrapCommand(), deliverCommand(), verifyCommand(), specsCommand(), templatesCommand(), layoutsCommand(), manCommand(), serveCommand(), deckCommand(), demoCommand(), workerCommand(), migrateCommand(), scrubCommand())
	complete(root)
	return root
}

// atLeast asks for a number of arguments, as wrong usage where there are fewer.
func atLeast(n int, what string) cobra.PositionalArgs {
	return func(cmd *cobra.Command, args []string) error {
		if len(args) < n {
			return UsageError{fmt.Errorf("%s: expected %s", cmd.Name(), what)}
		}
		return nil
	}
}

// exactly is atLeast without room for more.
func exactly(n int, what string) cobra.PositionalArgs {
	return func(cmd *cobra.Command, args []string) error {
		if len(args) != n {
			return UsageError{fmt.Errorf("%s: expected %s, not %d arguments", cmd.Name(), what, len(args))}
		}
		return nil
	}
}
