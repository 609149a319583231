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

func main() {
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt, syscall.SIGTERM)
	cmd, err := cli.Root().ExecuteContextC(ctx)
	stop()
	status := cli.Status(err)
	switch {
	case status == 130:
		fmt.Fprintln(os.Stderr, "zestyloom: stopped")
	case status == 2:
		fmt.Fprintln(os.Stderr, cli.Usage(cmd, os.Args, err))
	case err != nil && !errors.As(err, new(cli.Reported)):
		fmt.Fprintln(os.Stderr, "zestyloom:", err)
	}
	os.Exit(status)
}
