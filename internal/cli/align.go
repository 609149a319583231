package cli

import (
	"context"
	"encoding/json"
	"fmt"
	"strconv"

	"github.com/spf13/cobra"

	"zestyloom/core/align"
)

// alignment is one line of `align --json`.
type alignment struct {
	Path      string   `json:"path"`
	Seconds   float64  `json:"-"`
	Samples   float64  `json:"-"`
	Certainty string   `json:"certainty"`
	Polarity  int      `json:"polarity"`
	Drift     *float64 `json:"drift_ppm"`
	Reason    string   `json:"reason"`
}

// MarshalJSON writes the figures with as many places as they are good for.
func (a alignment) MarshalJSON() ([]byte, error) {
	type rest alignment
	seconds, samples := fixed(a.Seconds, 9), fixed(a.Samples, 3)
	if a.Certainty == string(align.None) { // what is not known is no number
		seconds, samples = json.RawMessage("null"), json.RawMessage("null")
	}
	return json.Marshal(struct {
		Path    string          `json:"path"`
		Seconds json.RawMessage `json:"offset_seconds"`
		Samples json.RawMessage `json:"offset_samples"`
		rest
	}{a.Path, seconds, samples, rest(a)})
}

func fixed(v float64, places int) json.RawMessage {
	return json.RawMessage(strconv.FormatFloat(v, 'f', places, 64))
}

func alignCommand() *cobra.Command {
	var asJSON bool
	cmd := &cobra.Command{
		Use:   "align REFERENCE FILE...",
		Short: "Find where files lie on the clock of a reference, by what they hear",
		Long: `Find where files lie on the clock of a reference, by what they hear.

offset_seconds is where a file's first sample lies on the reference's clock, negative when it started
earlier; offset_samples is the same at the reference's rate. drift_ppm is by how many parts in a
million the file's clock ran faster than the reference's, null when the overlap is too short to tell.`,
		Args: atLeast(2, "a reference and at least one file"),
		RunE: func(cmd *cobra.Command, args []string) error {
			ctx := cmd.Context()
			ref, _, done, err := openSound(ctx, args[0])
			if err != nil {
				return refused(cmd, asJSON, args[0], err)
			}
			defer done()
			bar := newProgress(cmd, "listening")
			defer bar.end()
			listener := align.NewListener(watch(bar, align.FromFile(ref).Ways())...)
			return each(cmd, asJSON, args[1:], func(path string) (alignment, error) {
				defer bar.end()
				return alignFile(ctx, listener, path, bar)
			}, func(path string, a alignment) error {
				if asJSON {
					return json.NewEncoder(cmd.OutOrStdout()).Encode(a)
				}
				drift := "drift not told"
				if a.Drift != nil {
					drift = fmt.Sprintf("drift %+.2f ppm", *a.Drift)
				}
				polarity := ""
				if a.Polarity < 0 {
					polarity = ", polarity inverted"
				}
				fmt.Fprintf(cmd.OutOrStdout(), "%s: %s", shown(path), a.Certainty)
				if a.Certainty != string(align.None) {
					fmt.Fprintf(cmd.OutOrStdout(), ", %+.7f s (%+.2f samples), %s%s", a.Seconds, a.Samples, drift, polarity)
				}
				fmt.Fprintf(cmd.OutOrStdout(), "; %s\n", a.Reason)
				return nil
			})
		},
	}
	cmd.Flags().BoolVar(&asJSON, "json", false, "one JSON object a line")
	return cmd
}

func alignFile(ctx context.Context, l *align.Listener, path string, bar *progress) (alignment, error) {
	src, _, done, err := openSound(ctx, path)
	if err != nil {
		return alignment{}, err
	}
	defer done()
	a, _, err := l.Align(ctx, watch(bar, align.FromFile(src).Ways())...)
	out := alignment{Path: path, Seconds: a.Seconds(), Samples: a.Offset, Certainty: string(a.Certainty), Polarity: a.Polarity, Reason: a.Reason}
	if a.DriftKnown && a.Certainty != align.None {
		out.Drift = &a.Drift
	}
	return out, err
}

// watched tells a progress how far a sound has been read.
type watched struct {
	align.Sound
	bar *progress
}

func watch(bar *progress, sounds []align.Sound) []align.Sound {
	out := make([]align.Sound, len(sounds))
	for i, s := range sounds {
		out[i] = watched{s, bar}
	}
	return out
}

// Read implements align.Sound.
func (w watched) Read(dst []float64, frame int64) error {
	w.bar.at(min(frame+int64(len(dst)), w.Frames()), w.Frames(), 0)
	return w.Sound.Read(dst, frame)
}
