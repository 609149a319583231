package cli

import (
	"context"
	"encoding/json"
	"fmt"
	"io"
	"math"
	"os"
	"path/filepath"
	"strings"
	"text/tabwriter"

	"github.com/spf13/cobra"

	"zestyloom/core/audio"
	"zestyloom/core/picture"
	"zestyloom/core/snag"
	"zestyloom/core/source"
	"zestyloom/core/timecode"
)

// inspection is one line of `inspect --json`.
type inspection struct {
	Path          string      `json:"path"`
	Container     string      `json:"container"`
	Encoding      string      `json:"encoding"`
	SampleRate    int         `json:"sample_rate"`
	Channels      int         `json:"channels"`
	Frames        int64       `json:"frames"`
	ChannelMask   uint32      `json:"channel_mask"`
	StartSamples  *int64      `json:"start_samples"`
	StartTimecode *string     `json:"start_timecode"`
	TimecodeRate  *string     `json:"timecode_rate"`
	DropFrame     bool        `json:"drop_frame"`
	Project       string      `json:"project"`
	Scene         string      `json:"scene"`
	Take          string      `json:"take"`
	Roll          string      `json:"roll"`
	Note          string      `json:"note"`
	Circled       bool        `json:"circled"`
	WildTrack     bool        `json:"wild_track"`
	NoGood        bool        `json:"no_good"`
	Tracks        []any       `json:"tracks"`
	Snags         []snag.Snag `json:"snags"`
	levels        []audio.Level
}

type trackLine struct {
	Channel       int    `json:"channel"`
	Label         string `json:"label"`
	LabelSource   string `json:"label_source"`
	RecorderTrack *int   `json:"recorder_track"`
}

type levelLine struct {
	trackLine
	Peak   *float64 `json:"peak_dbfs"`
	RMS    *float64 `json:"rms_dbfs"`
	Silent bool     `json:"silent"`
}

type failure struct {
	Path  string        `json:"path"`
	Error *snag.Refusal `json:"error"`
}

func inspectCommand() *cobra.Command {
	var asJSON, levels bool
	var rate string
	cmd := &cobra.Command{
		Use:   "inspect FILE...",
		Short: "Say what sound files hold: channels, labels, start, and what is amiss",
		Args:  atLeast(1, "at least one file"),
		RunE: func(cmd *cobra.Command, args []string) error {
			assumed := timecode.Rate{}
			if rate != "" {
				var err error
				if assumed, err = timecode.ParseRate(rate); err != nil {
					return UsageError{err}
				}
			}
			out := cmd.OutOrStdout()
			enc := json.NewEncoder(out)
			enc.SetEscapeHTML(false)
			failed := false
			for _, path := range args {
				i, err := inspect(cmd.Context(), path, levels, assumed)
				if err != nil {
					failed = true
				}
				switch {
				case asJSON && err != nil:
					err = enc.Encode(failure{path, snag.Of(err)})
				case asJSON:
					err = enc.Encode(i)
				case err != nil:
					_, err = fmt.Fprintf(out, "%s\n  can't be read (%s): %s\n\n", path, snag.Of(err).Code, snag.Of(err).Message)
				default:
					err = i.print(out)
				}
				if err != nil {
					return err
				}
			}
			if failed {
				return Reported{}
			}
			return nil
		},
	}
	cmd.Flags().BoolVar(&asJSON, "json", false, "one JSON object a line")
	cmd.Flags().BoolVar(&levels, "levels", false, "read all samples and give each channel's level")
	cmd.Flags().StringVar(&rate, "timecode-rate", "", "rate to count the start in where a file doesn't say one, such as 25")
	return cmd
}

// decoded opens the sound of a file with pictures, from a copy that is made for it.
func decoded(ctx context.Context, path string) (*source.Source, string, error) {
	p, err := picture.Probe(ctx, path)
	if err != nil {
		return nil, "", err
	}
	tmp, err := os.MkdirTemp("", "zestyloom-*")
	if err != nil {
		return nil, "", err
	}
	defer os.RemoveAll(tmp)
	out := tmp + ".wav"
	if _, err := p.WriteSound(ctx, path, out, tmp); err != nil {
		return nil, "", err
	}
	src, err := source.Open(out)
	return src, p.Container, err
}

func inspect(ctx context.Context, path string, levels bool, assumed timecode.Rate) (*inspection, error) {
	src, err := source.Open(path)
	var container string
	if err != nil && snag.Of(err).Code == "picture_file" {
		if src, container, err = decoded(ctx, path); err == nil {
			defer os.Remove(src.Path())
		}
	}
	if err != nil {
		return nil, err
	}
	defer src.Close()
	if container != "" {
		src.Container = container
	}
	f := src.Gather(filepath.Base(path))
	i := &inspection{
		Path: path, Container: src.Container, Encoding: src.Format.Coding.String(), SampleRate: src.Format.SampleRate,
		Channels: src.Format.Channels, Frames: src.Frames, ChannelMask: src.Format.Mask,
		Project: f.Project, Scene: f.Scene, Take: f.Take, Roll: f.Roll, Note: f.Note,
		Circled: f.Circled, WildTrack: f.WildTrack, NoGood: f.NoGood, Snags: f.Snags,
	}
	if i.Snags == nil {
		i.Snags = []snag.Snag{}
	}
	if f.Start >= 0 {
		i.StartSamples = &f.Start
		if tc, ok := startTimecode(f, src.Format.SampleRate, assumed); ok {
			i.StartTimecode = &tc
		}
	}
	if !f.Rate.Zero() {
		r := f.Rate.Rational()
		i.TimecodeRate, i.DropFrame = &r, f.Rate.Drop
	}
	if levels {
		if i.levels, err = source.Levels(ctx, src); err != nil {
			return nil, err
		}
	}
	for c, t := range f.Tracks {
		line := trackLine{Channel: t.Channel, Label: t.Label, LabelSource: t.LabelSource}
		if t.RecorderTrack > 0 {
			line.RecorderTrack = &t.RecorderTrack
		}
		if !levels {
			i.Tracks = append(i.Tracks, line)
			continue
		}
		l := i.levels[c]
		i.Tracks = append(i.Tracks, levelLine{line, finite(l.PeakDB()), finite(l.RMSDB()), l.Silent()})
		if l.Invalid > 0 {
			i.Snags = append(i.Snags, snag.New("not_numbers", "channel %d holds %d samples that are not numbers; they are left out of its level", t.Channel, l.Invalid))
		}
	}
	return i, nil
}

// startTimecode counts the start in the file's rate, else in the assumed one. A start on a whole
// second has frame 00 at every whole rate, and is given without any.
func startTimecode(f source.Facts, sampleRate int, assumed timecode.Rate) (string, bool) {
	rate := f.Rate
	if rate.Zero() {
		rate = assumed
	}
	if rate.Zero() && f.Start%int64(sampleRate) == 0 {
		rate = timecode.Rate{Num: 25, Den: 1}
	}
	if rate.Zero() {
		return "", false
	}
	return rate.FormatSamples(f.Start, int64(sampleRate)), true
}

// finite rounds to a thousandth of a dB; nil stands for minus infinity.
func finite(db float64) *float64 {
	if math.IsInf(db, 0) || math.IsNaN(db) {
		return nil
	}
	r := math.Round(db*1000) / 1000
	return &r
}

func (i *inspection) print(out io.Writer) error {
	w := tabwriter.NewWriter(out, 0, 0, 2, ' ', 0)
	seconds := float64(i.Frames) / float64(i.SampleRate)
	fmt.Fprintf(w, "%s\n", i.Path)
	fmt.Fprintf(w, "  %s %s, %d channels, %d Hz, %d frames (%.3f s)\n", i.Container, i.Encoding, i.Channels, i.SampleRate, i.Frames, seconds)
	if i.StartSamples != nil {
		tc := "no timecode rate given"
		if i.StartTimecode != nil {
			tc = *i.StartTimecode
			if i.TimecodeRate != nil {
				tc += " at " + *i.TimecodeRate
			}
		}
		fmt.Fprintf(w, "  starts at %s (sample %d)\n", tc, *i.StartSamples)
	}
	var said []string
	for _, v := range [][2]string{{"project", i.Project}, {"scene", i.Scene}, {"take", i.Take}, {"roll", i.Roll}, {"note", i.Note}} {
		if v[1] != "" {
			said = append(said, v[0]+" "+v[1])
		}
	}
	for _, v := range []struct {
		on   bool
		word string
	}{{i.Circled, "circled"}, {i.WildTrack, "wild track"}, {i.NoGood, "no good"}} {
		if v.on {
			said = append(said, v.word)
		}
	}
	if len(said) > 0 {
		fmt.Fprintf(w, "  %s\n", strings.Join(said, ", "))
	}
	for c, t := range i.Tracks {
		line, hasLevel := trackLine{}, false
		switch t := t.(type) {
		case trackLine:
			line = t
		case levelLine:
			line, hasLevel = t.trackLine, true
		}
		label := line.Label
		if label == "" {
			label = "(no label)"
		}
		rec := ""
		if line.RecorderTrack != nil {
			rec = fmt.Sprintf("recorder track %d", *line.RecorderTrack)
		}
		fmt.Fprintf(w, "  %d\t%s\t%s", line.Channel, label, rec)
		if hasLevel {
			l := i.levels[c]
			state := fmt.Sprintf("peak %.1f dBFS\tRMS %.1f dBFS", l.PeakDB(), l.RMSDB())
			if l.Peak == 0 {
				state = "nothing but zeros\t"
			} else if l.Silent() {
				state += "\tsilent"
			}
			fmt.Fprintf(w, "\t%s", state)
		}
		fmt.Fprintln(w)
	}
	for _, s := range i.Snags {
		fmt.Fprintf(w, "  ! %s\n", s.Message)
	}
	fmt.Fprintln(w)
	return w.Flush()
}
