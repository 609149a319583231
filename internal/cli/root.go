// Package cli has the commands of the program, one file each.
package cli

import (
	"context"
	"errors"
	"fmt"

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
	root.AddCommand(inspectCommand(), splitCommand(), joinCommand(), gatherCommand(), labelCommand(), alignCommand(), extractCommand(), measureCommand(), correctCommand(), routeCommand(), toneCommand(), wrapCommand(), unwrapCommand(), deliverCommand(), verifyCommand(), manCommand(), serveCommand(), deckCommand(), demoCommand(), workerCommand(), migrateCommand())
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
