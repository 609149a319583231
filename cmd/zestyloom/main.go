// Command zestyloom breaks recorder files into labelled tracks, routes them into stems, and
// delivers multichannel stem masters: as a web application (serve, demo, worker) and from the
// command line (inspect, split, join).
package main

import (
	"context"
	"errors"
	"fmt"
	"os"
	"os/signal"
	"syscall"

	"zestyloom/internal/cli"
)

// Exit statuses: 1 when something that was asked for could not be done, 2 for wrong usage.
func main() {
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt, syscall.SIGTERM)
	err := cli.Root().ExecuteContext(ctx)
	stop()
	if err == nil {
		return
	}
	var reported cli.Reported
	if !errors.As(err, &reported) {
		fmt.Fprintln(os.Stderr, "zestyloom:", err)
	}
	if errors.As(err, new(cli.UsageError)) {
		fmt.Fprintln(os.Stderr, "Run 'zestyloom --help' for what there is.")
		os.Exit(2)
	}
	os.Exit(1)
}
