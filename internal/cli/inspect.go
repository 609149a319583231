package cli

import (
	"errors"
	"fmt"
	"io"
	"math"
	"path/filepath"
	"strconv"
	"strings"
	"text/tabwriter"

	"github.com/spf13/cobra"

	"zestyloom/core/audio"
	"zestyloom/core/picture"
	"zestyloom/core/snag"
	"zestyloom/core/source"
	"zestyloom/core/timecode"
	"zestyloom/core/wave"
)

// inspection is one line of `inspect --json`.
type inspection struct {
	Path          string             `json:"path"`
	Container     string             `json:"container"`
	Encoding      string             `json:"encoding"`
	SampleRate    int                `json:"sample_rate"`
	Channels      int                `json:"channels"`
	Frames        int64              `json:"frames"`
	ChannelMask   uint32             `json:"channel_mask"`
	StartSamples  *int64             `json:"start_samples"`
	StartTimecode *string            `json:"start_timecode"`
	TimecodeRate  *string            `json:"timecode_rate"`
	DropFrame     bool               `json:"drop_frame"`
	Project       string             `json:"project"`
	Scene         string             `json:"scene"`
	Take          string             `json:"take"`
	Roll          string             `json:"roll"`
	Note          string             `json:"note"`
	Circled       bool               `json:"circled"`
	WildTrack     bool               `json:"wild_track"`
	NoGood        bool               `json:"no_good"`
	Tracks        []any              `json:"tracks"`
	Groups        []source.GroupFact `json:"groups"` // that the file says there are, by the audio definition model
	Picture       *picture.Picture   `json:"picture"`
	Snags         []snag.Snag        `json:"snags"`
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

func inspectCommand() *cobra.Command {
	var asJSON, asCSV, levels bool
	var rate string
	cmd := &cobra.Command{
		Use:   "inspect FILE|FOLDER...",
		Short: "Say what sound files hold: channels, labels, start, and what is amiss",
		Long: `Say what sound files hold: channels, labels, start, and what is amiss.

Of a folder all recordings in it and below are read. Sound inside of files with pictures is decoded only
where --levels asks for it.`,
		Args: atLeast(1, "at least one file or folder"),
		RunE: func(cmd *cobra.Command, args []string) error {
			assumed := timecode.Rate{}
			if rate != "" {
				var err error
				if assumed, err = timecode.ParseRate(rate); err != nil {
					return UsageError{err}
				}
			}
			if asJSON && asCSV {
				return UsageError{errors.New("inspect: --json or --csv, not both")}
			}
			paths, err := recordings(args)
			if err != nil {
				return refused(cmd, asJSON, args[0], err)
			}
			var table *inspectionTable
			if asCSV {
				table = newInspectionTable(cmd.OutOrStdout())
				defer table.Flush()
			}
			return each(cmd, asJSON, paths, func(path string) (*inspection, error) { return inspect(cmd, path, levels, assumed) }, func(_ string, i *inspection) error {
				switch {
				case asJSON:
					return encode(cmd, i)
				case asCSV:
					return table.add(i)
				}
				return i.print(cmd.OutOrStdout())
			})
		},
	}
	cmd.Flags().BoolVar(&asJSON, "json", false, "one JSON object a line")
	cmd.Flags().BoolVar(&asCSV, "csv", false, "a table with a row a channel")
	cmd.Flags().BoolVar(&levels, "levels", false, "read all samples and give each channel's level")
	cmd.Flags().StringVar(&rate, "timecode-rate", "", "rate to count the start in where a file doesn't say one, such as 25")
	return cmd
}

func inspect(cmd *cobra.Command, path string, levels bool, assumed timecode.Rate) (*inspection, error) {
	ctx := cmd.Context()
	src, err := source.Open(path)
	var f source.Facts
	var info *picture.Info
	switch {
	case err == nil:
		defer src.Close()
	case snag.Of(err).Code != "picture_file":
		return nil, err
	case levels:
		var done func()
		if src, info, done, err = openSound(ctx, path); err != nil {
			return nil, err
		}
		defer done()
	default:
		info, err := picture.Probe(ctx, path)
		if err != nil {
			return nil, err
		}
		i := newInspection(path, info.Container, info.Format().Coding.String(), info.Format(), info.Frames(), info.Facts(), assumed)
		i.Picture = info.Picture
		return i, nil
	}
	f = src.Gather(filepath.Base(path))
	i := newInspection(path, src.Container, src.Encoding(), src.Format, src.Frames, f, assumed)
	if info != nil {
		i.Picture = info.Picture
	}
	if !levels {
		return i, nil
	}
	p := newProgress(cmd, shown(path))
	defer p.end()
	i.levels, err = source.Levels(ctx, src, func(done int64) { p.at(done, src.Frames, src.Format.SampleRate) })
	if err != nil {
		return nil, err
	}
	for c := range i.Tracks {
		l := i.levels[c]
		i.Tracks[c] = levelLine{i.Tracks[c].(trackLine), finite(l.PeakDB()), finite(l.RMSDB()), l.Silent()}
		if l.Invalid > 0 {
			i.Snags = append(i.Snags, snag.New("not_numbers", "channel %d holds %s that are not numbers; they are left out of its level", c+1, count(l.Invalid, "sample")))
		}
	}
	return i, nil
}

// newInspection brings together what is known of a file but for its levels.
func newInspection(path, container, encoding string, format wave.Format, frames int64, f source.Facts, assumed timecode.Rate) *inspection {
	i := &inspection{
		Path: path, Container: container, Encoding: encoding, SampleRate: format.SampleRate,
		Channels: format.Channels, Frames: frames, ChannelMask: format.Mask,
		Project: f.Project, Scene: f.Scene, Take: f.Take, Roll: f.Roll, Note: f.Note,
		Circled: f.Circled, WildTrack: f.WildTrack, NoGood: f.NoGood, Snags: append([]snag.Snag{}, f.Snags...), Tracks: []any{},
		Groups: append([]source.GroupFact{}, f.Groups...),
	}
	if f.Start >= 0 {
		i.StartSamples = &f.Start
		if tc, ok := startTimecode(f, format.SampleRate, assumed); ok {
			i.StartTimecode = &tc
		}
	}
	if !f.Rate.Zero() {
		r := f.Rate.Rational()
		i.TimecodeRate, i.DropFrame = &r, f.Rate.Drop
	}
	for _, t := range f.Tracks {
		line := trackLine{Channel: t.Channel, Label: t.Label, LabelSource: t.LabelSource}
		if t.RecorderTrack > 0 {
			line.RecorderTrack = &t.RecorderTrack
		}
		i.Tracks = append(i.Tracks, line)
	}
	return i
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
	fmt.Fprintf(w, "%s\n", shown(i.Path))
	fmt.Fprintf(w, "  %s %s, %s, %d Hz, %s (%.3f s)\n", i.Container, i.Encoding, count(i.Channels, "channel"), i.SampleRate, count(i.Frames, "frame"), seconds)
	if i.Picture != nil {
		fmt.Fprintf(w, "  picture %s\n", i.Picture)
	}
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
	for _, g := range i.Groups {
		var channels []string
		for _, c := range g.Channels {
			channels = append(channels, strconv.Itoa(c))
		}
		placed := g.Placed
		if placed != "" {
			placed = ", an object " + placed
		}
		fmt.Fprintf(w, "  %s: %s on %s%s\n", shown(g.Name), g.Layout, strings.Join(channels, " "), placed)
	}
	if len(said) > 0 {
		fmt.Fprintf(w, "  %s\n", shown(strings.Join(said, ", ")))
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
		fmt.Fprintf(w, "  %d\t%s\t%s", line.Channel, shown(label), rec)
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
		fmt.Fprintf(w, "  ! %s\n", shown(s.Message))
	}
	fmt.Fprintln(w)
	return w.Flush()
}
