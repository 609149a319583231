package cli

import (
	"context"
	"errors"
	"fmt"
	"net"
	"net/http"
	"os"
	"path/filepath"
	"time"

	"github.com/spf13/cobra"

	"zestyloom/core/line"
	"zestyloom/internal/deck/machine"
	"zestyloom/internal/httpapi"
	"zestyloom/web"
)

func deckCommand() *cobra.Command {
	var address, home, session string
	cmd := &cobra.Command{
		Use: "deck", Short: "Stand in for a facility's recorder: receive streams, meter, record", Args: exactly(0, "no arguments"),
		Long: "Serves a stand-in for a facility's recorder with up to 64 inputs, and its page. It receives streams of RTP (linear PCM of 24 bits at 48 kHz) that a session description tells of, which the application gives it before it plays to it. It shows a programme meter and the sample peak of each channel, timecode, and what was lost or late, measures loudness by itself, and records WAV files from one timecode to another.",
		RunE: func(cmd *cobra.Command, _ []string) error {
			if err := httpapi.Loopback(address); err != nil {
				return err
			}
			listener, err := net.Listen("tcp", address)
			if err != nil {
				return fmt.Errorf("can't listen on %s: %w; give another address with --listen", address, err)
			}
			defer listener.Close()
			d, err := machine.New(filepath.Join(home, "deck"))
			if err != nil {
				return err
			}
			defer d.Close()
			if session != "" {
				text, err := os.ReadFile(session)
				if err != nil {
					return err
				}
				s, err := line.ParseSDP(text)
				if err != nil {
					return fmt.Errorf("%s: %w", session, err)
				}
				if err := d.Listen(s); err != nil {
					return err
				}
			}
			srv := &http.Server{Handler: d.Handler(web.Dist()), ReadHeaderTimeout: 10 * time.Second}
			failed := make(chan error, 1)
			go func() {
				if err := srv.Serve(listener); !errors.Is(err, http.ErrServerClosed) {
					failed <- err
				}
			}()
			fmt.Fprintf(cmd.OutOrStdout(), "The deck is at http://%s  (Ctrl-C stops it)\n", listener.Addr())
			select {
			case <-cmd.Context().Done():
			case err = <-failed:
			}
			shut, cancel := context.WithTimeout(context.WithoutCancel(cmd.Context()), 5*time.Second)
			defer cancel()
			return errors.Join(err, srv.Shutdown(shut))
		},
	}
	cmd.Flags().StringVar(&address, "listen", "127.0.0.1:8090", "loopback address to serve its page on")
	cmd.Flags().StringVar(&home, "home", envOr("ZESTYLOOM_HOME", "var"), "folder for recordings, in a folder of its own there (ZESTYLOOM_HOME)")
	cmd.Flags().StringVar(&session, "session", "", "session description (SDP) to listen for from the start")
	return cmd
}
