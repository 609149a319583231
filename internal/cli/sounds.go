package cli

import (
	"fmt"
	"os"
	"path/filepath"
	"strconv"
	"strings"

	"github.com/spf13/cobra"

	"zestyloom/core/audio"
	"zestyloom/core/snag"
	"zestyloom/core/source"
)

// opened is a sound on the command line: a file, or several that are one.
type opened struct {
	*source.Sound
	paths []string
	srcs  []*source.Source
	close []func()
	snags []snag.Snag
}

// openTogether opens files as one sound. Close must be called.
func openTogether(cmd *cobra.Command, paths ...string) (*opened, error) {
	o := &opened{paths: paths}
	for _, path := range paths {
		src, _, done, err := openSound(cmd.Context(), path)
		if err != nil {
			o.Close()
			if len(paths) > 1 {
				r := snag.Of(err)
				err = snag.Refuse(r.Code, "%s: %w", path, err)
			}
			return nil, err
		}
		o.srcs, o.close, o.snags = append(o.srcs, src), append(o.close, done), append(o.snags, src.Snags...)
	}
	var err error
	if o.Sound, err = source.Together(o.srcs...); err != nil {
		o.Close()
		return nil, err
	}
	return o, nil
}

// Close closes the files.
func (o *opened) Close() {
	for _, done := range o.close {
		done()
	}
}

// layout is the one that is asked for by name, else the one that the files say. One that no file says is said to be taken.
// What the files say is another only by force.
func (o *opened) layout(name string, force bool) (audio.Layout, error) {
	if name == "" {
		l, sure := o.Layout()
		if !sure {
			o.snags = append(o.snags, snag.New("layout_unknown", "nothing says which speakers the %d channels are for: all are taken as equal, and none as an LFE (option --layout, such as --layout 5.1)", l.Count))
		}
		return l, nil
	}
	l, err := layoutCalled(name)
	if err != nil {
		return l, UsageError{err}
	}
	if l.Count != o.Channels {
		return l, snag.Refuse("bad_layout", "%s has %d channels, and the sound %d", l.Name, l.Count, o.Channels)
	}
	if says, sure := o.Layout(); sure && says.Name != l.Name && !force {
		return l, snag.Refuse("layout_differs", "%s says that its channels are %s, and --layout says %s: leave --layout away, or put --force-layout where the file is wrong", o.paths[0], says.Name, l.Name)
	}
	return l, nil
}

// layoutCalled is a layout by its name, or one of somebody's own from the JSON that it was written as.
func layoutCalled(name string) (audio.Layout, error) {
	if !strings.HasSuffix(strings.ToLower(name), ".json") {
		return audio.ParseLayout(name)
	}
	b, err := os.ReadFile(name)
	if err != nil {
		return audio.Layout{}, fmt.Errorf("the layout can't be read: %w", err)
	}
	o, err := audio.ParseOwnLayout(b)
	if err != nil {
		return audio.Layout{}, fmt.Errorf("%s: %w", name, err)
	}
	return o.Layout()
}

// spanOf reads a span such as 10-20.5 (seconds from the first sample), 480s-96000s (samples) or 10:00:00:00-10:00:20:00
// (timecode, of a file that says when it starts and at which rate it counts). Either side may be left out.
func (o *opened) spanOf(text string) (from, to int64, err error) {
	if text == "" {
		return 0, o.Frames, nil
	}
	a, b, two := strings.Cut(text, "-")
	if !two {
		return 0, 0, UsageError{fmt.Errorf("--span %s: expected two places with - between them, such as 10-20.5", text)}
	}
	facts := o.srcs[0].Gather(filepath.Base(o.paths[0]))
	place := func(s string, otherwise int64) (int64, error) {
		switch {
		case s == "":
			return otherwise, nil
		case strings.Contains(s, ":"):
			if facts.Start < 0 || facts.Rate.Zero() {
				return 0, snag.Refuse("no_timecode", "the span %s is in timecode, and the file does not say when it starts and at which rate it counts", text)
			}
			frame, err := facts.Rate.Parse(s)
			if err != nil {
				return 0, UsageError{err}
			}
			return facts.Rate.SampleAt(frame, int64(o.Rate)) - facts.Start, nil
		case strings.HasSuffix(s, "s"):
			n, err := strconv.ParseInt(strings.TrimSuffix(s, "s"), 10, 64)
			if err != nil {
				return 0, UsageError{fmt.Errorf("--span: %q is no number of samples", s)}
			}
			return n, nil
		}
		v, err := strconv.ParseFloat(s, 64)
		if err != nil || !(v >= 0 && v < 1e9) {
			return 0, UsageError{fmt.Errorf("--span: %q is no number of seconds", s)}
		}
		return int64(v*float64(o.Rate) + 0.5), nil
	}
	if from, err = place(a, 0); err == nil {
		to, err = place(b, o.Frames)
	}
	if err == nil && !(from >= 0 && from < to && to <= o.Frames) {
		err = snag.Refuse("bad_range", "the span %s is frames %d to %d, and the sound has %d", text, from, to, o.Frames)
	}
	return from, to, err
}
