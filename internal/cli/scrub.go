package cli

import (
	"context"
	"errors"
	"time"

	"github.com/spf13/cobra"

	"zestyloom/core/snag"
	"zestyloom/internal/app"
)

func scrubCommand() *cobra.Command {
	var s settings
	var asJSON, gently bool
	cmd := &cobra.Command{
		Use: "scrub", Short: "Read everything that is kept and compare it with what it was", Args: exactly(0, "no arguments"),
		Long: `Read everything that an application keeps, whether it is served just now or not: originals, the sound that was decoded of
files with pictures, and the files of proven deliveries; and compare every block with what it was at intake, or when it was
proven. What is found is shown in the application too. A served application does so by itself, gently, every 30 days.

Exit status 0 when everything is what it was, 3 when something is not.`,
		RunE: func(cmd *cobra.Command, _ []string) error {
			ctx := cmd.Context()
			return s.with(ctx, func(a *app.App) error {
				wait := app.AtOnce
				if gently {
					wait = app.Gently
				}
				began, read, amiss := time.Now(), 0, 0
				bar := newProgress(cmd, "reading")
				pace := func(ctx context.Context, took time.Duration) error {
					now := a.ScrubbingNow()
					bar.at(now.Done, now.Total, 0)
					return wait(ctx, took)
				}
				for {
					done, err := a.ScrubNext(ctx, began, pace)
					if errors.Is(err, app.ErrNotFound) {
						break
					}
					if err != nil {
						bar.end()
						return err
					}
					read++
					if done.Why == nil {
						continue
					}
					bar.end()
					amiss++
					r := snag.Of(done.Why)
					if asJSON {
						err = encode(cmd, map[string]any{"name": done.Name, "code": r.Code, "message": r.Message})
					} else {
						sayf(cmd, "! %s", shown(r.Message))
					}
					if err != nil {
						return err
					}
				}
				bar.end()
				if !asJSON {
					sayf(cmd, "%s read and compared, of files and deliveries; %d not as they were", count(read, "thing"), amiss)
				}
				if amiss > 0 {
					return Unmet{}
				}
				return nil
			})
		},
	}
	s.common(cmd)
	cmd.Flags().BoolVar(&gently, "gently", false, "leave three quarters of the disk's time to others")
	cmd.Flags().BoolVar(&asJSON, "json", false, "one JSON object a line for each that is not what it was")
	return cmd
}
