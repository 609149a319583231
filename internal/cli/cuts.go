package cli

import (
	"bytes"
	"errors"
	"fmt"
	"io"
	"os"
	"strings"

	"github.com/spf13/cobra"

	"zestyloom/core/cutlist"
	"zestyloom/core/snag"
	"zestyloom/core/timecode"
	"zestyloom/core/wholefile"
)

// cutsSaid is what cuts says of one list or of two.
type cutsSaid struct {
	Lists   []string         `json:"lists"`
	Events  []cutlist.Event  `json:"events,omitempty"`  // of one
	Changes []cutlist.Change `json:"changes,omitempty"` // of two
	Left    []string         `json:"left"`              // what was not taken over, in words
	Written string           `json:"written,omitempty"`
}

func cutsCommand() *cobra.Command {
	var rateName, out string
	var hertz int64
	var force, asJSON bool
	cmd := &cobra.Command{
		Use:   "cuts LIST [NEWER]",
		Short: "Say what a cut list from picture holds, or what became of each event in a newer one",
		Long: `Say what a cut list from picture holds (OpenTimelineIO, edit decision list, CSV), or what became of each event in a newer one: the same,
moved, trimmed, added, gone. Two events are one where they are of one source and share some of it.

--out writes the (newer) list as an edit decision list. The exit status is 0 where two lists differ, too.`,
		Args: func(cmd *cobra.Command, args []string) error {
			if len(args) < 1 || len(args) > 2 {
				return UsageError{errors.New("cuts: expected one list, or two to compare")}
			}
			return nil
		},
		RunE: func(cmd *cobra.Command, args []string) error {
			rate, err := timecode.ParseRate(rateName)
			if err != nil {
				return UsageError{err}
			}
			if hertz < 1000 || hertz > 768000 {
				return UsageError{errors.New("cuts: --sample-rate is 1000 to 768000 Hz")}
			}
			var lists []cutlist.List
			said := cutsSaid{Lists: args, Left: []string{}}
			for _, path := range args {
				l, err := readList(path, rate, hertz)
				if err != nil {
					return refused(cmd, asJSON, path, err)
				}
				lists = append(lists, l)
				said.Left = append(said.Left, l.Left...)
			}
			last := lists[len(lists)-1]
			if out != "" {
				if err := writeList(out, last, rate, hertz, force); err != nil {
					return refused(cmd, asJSON, args[len(args)-1], err)
				}
				said.Written = out
			}
			if len(lists) == 2 {
				said.Changes = cutlist.Compare(lists[0], lists[1])
			} else {
				said.Events = last.Events
			}
			if asJSON {
				return encode(cmd, said)
			}
			at := func(samples int64) string { return rate.FormatSamples(samples, hertz) }
			for _, e := range said.Events {
				sayf(cmd, "%s  %s to %s  %s from %s", e.Number, at(e.At), at(e.At+e.Length), shown(called(e)), at(e.In))
			}
			for _, c := range said.Changes {
				sayf(cmd, "%s", shown(changeSays(c, at, rate, hertz)))
			}
			for _, l := range said.Left {
				sayf(cmd, "! %s", shown(l))
			}
			if out != "" {
				sayf(cmd, "-> %s", shown(out))
			}
			return nil
		},
	}
	f := cmd.Flags()
	f.StringVar(&rateName, "rate", "25", "rate that timecodes count at, where a list does not say its own")
	f.Int64Var(&hertz, "sample-rate", 48000, "sample rate that places are given at, in Hz")
	f.StringVar(&out, "out", "", "edit decision list to write")
	f.BoolVar(&force, "force", false, "overwrite a file that is there")
	f.BoolVar(&asJSON, "json", false, "say it as one JSON object")
	return cmd
}

func readList(path string, rate timecode.Rate, hertz int64) (cutlist.List, error) {
	f, err := os.Open(path)
	if err != nil {
		return cutlist.List{}, snag.Refuse("not_found", "the list can't be read: %w", err)
	}
	defer f.Close()
	b, err := io.ReadAll(io.LimitReader(f, cutlist.MaxBytes+1))
	if err != nil {
		return cutlist.List{}, snag.Refuse("not_found", "the list can't be read: %w", err)
	}
	return cutlist.Parse(b, rate, hertz, nil)
}

func writeList(path string, l cutlist.List, rate timecode.Rate, hertz int64, force bool) error {
	var b bytes.Buffer
	if _, err := cutlist.WriteEDL(&b, l, "A", rate, hertz); err != nil {
		return snag.Refuse("too_many", "%w", err)
	}
	file, err := wholefile.Create(path, force)
	if err != nil {
		return err
	}
	defer file.Abort()
	if _, err := file.Write(b.Bytes()); err != nil {
		return err
	}
	return file.Commit()
}

// called is what an event's source is called.
func called(e cutlist.Event) string {
	for _, name := range []string{e.Name, strings.TrimSpace(e.Scene + " " + e.Take), e.Reel} {
		if name != "" {
			return name
		}
	}
	return "event " + e.Number
}

func changeSays(c cutlist.Change, at func(int64) string, rate timecode.Rate, hertz int64) string {
	frames := func(samples int64) string {
		return fmt.Sprintf("%+.4g frames", float64(samples)*float64(rate.Num)/float64(rate.Den)/float64(hertz))
	}
	if c.Is == nil {
		return fmt.Sprintf("%s: %s, which was at %s", c.Kind, called(*c.Was), at(c.Was.At))
	}
	text := fmt.Sprintf("%s  %s: %s", at(c.Is.At), c.Kind, called(*c.Is))
	if c.Shift != 0 {
		text += ", " + frames(c.Shift) + " on the record"
	}
	if c.Head != 0 {
		text += ", begins " + frames(c.Head) + " earlier"
	}
	if c.Tail != 0 {
		text += ", ends " + frames(c.Tail) + " later"
	}
	return text
}
