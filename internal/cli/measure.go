package cli

import (
	"encoding/csv"
	"encoding/json"
	"errors"
	"fmt"
	"math"
	"os"
	"strconv"
	"strings"

	"github.com/spf13/cobra"

	"zestyloom/core/audio"
	"zestyloom/core/loudness"
	"zestyloom/core/meter"
	"zestyloom/core/report"
	"zestyloom/core/snag"
	"zestyloom/core/wholefile"
)

// level is a figure in LUFS, LU or dB: null where there is nothing to say.
type level float64

// MarshalJSON writes a thousandth as the last place.
func (l level) MarshalJSON() ([]byte, error) {
	v := float64(l)
	if math.IsInf(v, 0) || math.IsNaN(v) {
		return []byte("null"), nil
	}
	return json.RawMessage(strconv.FormatFloat(math.Round(v*1000)/1000+0, 'f', -1, 64)), nil
}

func (l level) String() string {
	if math.IsInf(float64(l), 0) || math.IsNaN(float64(l)) {
		return "none"
	}
	return strconv.FormatFloat(float64(l), 'f', 1, 64)
}

// measurement is one line of `measure --json`.
type measurement struct {
	Path         string             `json:"path"`
	Paths        []string           `json:"paths,omitempty"` // of several files that are one sound
	Layout       string             `json:"layout"`
	SampleRate   int                `json:"sample_rate"`
	Seconds      json.RawMessage    `json:"seconds"`
	Integrated   level              `json:"integrated_lufs"`
	Range        level              `json:"range_lu"`
	MaxMomentary level              `json:"max_momentary_lufs"`
	MomentaryAt  json.RawMessage    `json:"max_momentary_at"` // seconds from the beginning of what is measured, where its window ends
	MaxShortTerm level              `json:"max_short_term_lufs"`
	ShortTermAt  json.RawMessage    `json:"max_short_term_at"`
	TruePeak     level              `json:"true_peak_dbtp"`
	TruePeakAt   json.RawMessage    `json:"true_peak_at"`
	Correlation  *level             `json:"correlation,omitempty"`
	MonoLoss     *level             `json:"mono_loss_lu,omitempty"`
	Channels     []measuredChannel  `json:"channels"`
	Verdicts     []loudness.Verdict `json:"verdicts,omitempty"`
	Snags        []snag.Snag        `json:"snags"`
}

type measuredChannel struct {
	Channel    int     `json:"channel"`
	Speaker    *string `json:"speaker"`
	TruePeak   level   `json:"true_peak_dbtp"`
	SamplePeak level   `json:"sample_peak_dbfs"`
	// Of a type IIa programme meter: its mark, and the level of the steady tone that reads the same.
	PPM      level   `json:"ppm_max"`
	PPMLevel level   `json:"ppm_max_dbfs"`
	DC       float64 `json:"dc"`
}

// measureOptions say how.
type measureOptions struct {
	layout, span, timeline, against string
	together                        bool
	asJSON, forceLayout             bool
}

// Unmet is the end of a command that checked something which is not as it was asked for: exit status 3.
type Unmet struct{}

func (Unmet) Error() string { return "it is not as it was asked for" }

func measureCommand() *cobra.Command {
	var o measureOptions
	cmd := &cobra.Command{
		Use:   "measure FILE|FOLDER...",
		Short: "Measure loudness, true peak and programme meter, against limits where they are given",
		Long: `Measure loudness (ITU-R BS.1770-5, EBU Tech 3341 and 3342), true peak at eight places a sample, and what a programme
meter of type IIa (IEC 60268-10) reads at the most.

Momentary and short-term loudness are taken every 100 ms over whole windows. The speakers of channels are those that
a file says; --layout says it for files that don't. Several mono files that are one sound are measured as one with
--together.

--against takes limits: r128, r128-short, a85, or a JSON file with members such as integrated_lufs, tolerance_lu,
max_true_peak_dbtp and max_short_term_lufs, or with those under "limits". Where one is not kept the exit status is 3.

--span takes two places: seconds (10-20.5), samples (480000s-960000s) or timecode. --timeline writes a line for each
tenth of a second as CSV.`,
		Args: atLeast(1, "at least one file or folder"),
		RunE: func(cmd *cobra.Command, args []string) error {
			limits, err := limitsOf(o.against)
			if err != nil {
				return UsageError{err}
			}
			paths, err := recordings(args)
			if err != nil {
				return refused(cmd, o.asJSON, args[0], err)
			}
			sounds := [][]string{paths}
			if !o.together {
				sounds = nil
				for _, p := range paths {
					sounds = append(sounds, []string{p})
				}
			}
			var table *timeline
			if o.timeline != "" {
				if table, err = newTimeline(o.timeline); err != nil {
					return refused(cmd, o.asJSON, o.timeline, err)
				}
				defer table.file.Abort()
			}
			var failed error
			unmet := false
			for _, files := range sounds {
				m, err := measure(cmd, files, o, limits, table)
				if err != nil {
					if errors.As(err, new(UsageError)) {
						return err
					}
					if failed = refused(cmd, o.asJSON, files[0], err); !errors.As(failed, new(Reported)) {
						return failed
					}
					continue
				}
				for _, v := range m.Verdicts {
					unmet = unmet || !v.Pass
				}
				if o.asJSON {
					if err := encode(cmd, m); err != nil {
						return err
					}
					continue
				}
				m.print(cmd)
			}
			if table != nil && failed == nil {
				if err := table.commit(); err != nil {
					return refused(cmd, o.asJSON, o.timeline, err)
				}
			}
			if failed == nil && unmet {
				return Unmet{}
			}
			return failed
		},
	}
	f := cmd.Flags()
	f.BoolVar(&o.asJSON, "json", false, "one JSON object a line")
	f.StringVar(&o.layout, "layout", "", `layout of the channels, such as stereo, 5.1, 7.1.4, "custom L C R Ls Rs LFE", or a JSON file of one's own`)
	f.BoolVar(&o.forceLayout, "force-layout", false, "take --layout although a file says another")
	f.StringVar(&o.span, "span", "", "measure from one place to another alone")
	f.StringVar(&o.timeline, "timeline", "", "write a line for each tenth of a second to this CSV file; one that is there is replaced")
	f.StringVar(&o.against, "against", "", "limits to compare with: r128, r128-short, a85 or a JSON file")
	f.BoolVar(&o.together, "together", false, "measure several mono files, named by speakers, as one sound")
	return cmd
}

// limitsOf finds limits by their name, or reads them from a file.
func limitsOf(name string) (*loudness.Limits, error) {
	if name == "" {
		return nil, nil
	}
	if l, ok := loudness.Known()[strings.ToLower(name)]; ok {
		return &l, nil
	}
	b, err := os.ReadFile(name)
	if err != nil {
		return nil, fmt.Errorf("--against %s: neither limits of that name (r128, r128-short, a85) nor a file that can be read: %w", name, err)
	}
	l, err := loudness.ParseLimits(b)
	if err != nil {
		return nil, fmt.Errorf("--against %s: %w", name, err)
	}
	return &l, nil
}

func measure(cmd *cobra.Command, paths []string, o measureOptions, limits *loudness.Limits, table *timeline) (*measurement, error) {
	s, err := openTogether(cmd, paths...)
	if err != nil {
		return nil, err
	}
	defer s.Close()
	l, err := s.layout(o.layout, o.forceLayout)
	if err != nil {
		return nil, err
	}
	from, to, err := s.spanOf(o.span)
	if err != nil {
		return nil, err
	}
	meter, err := loudness.NewMeter(l, s.Rate, loudness.Options{Peaks: table != nil, Floor: -30})
	if err != nil {
		return nil, err
	}
	bar := newProgress(cmd, "measuring")
	err = s.Run(cmd.Context(), from, to, func(b audio.Block, at int64) error {
		meter.Add(b)
		bar.at(at-from, to-from, s.Rate)
		return nil
	})
	bar.end()
	if err != nil {
		return nil, err
	}
	r := meter.Result()
	m := measurementOf(r)
	m.Path, m.Snags = paths[0], append([]snag.Snag{}, s.snags...)
	if len(paths) > 1 {
		m.Paths = paths
	}
	for c, ch := range r.Channels {
		if ch.Invalid > 0 {
			m.Snags = append(m.Snags, snag.New("not_numbers", "channel %d: %d samples are no numbers and were measured as silence", c+1, ch.Invalid))
		}
	}
	if limits != nil {
		m.Verdicts = limits.Judge(r, meter.Powers())
	}
	if table != nil {
		table.add(paths[0], meter, s.Rate)
	}
	return m, nil
}

func measurementOf(r loudness.Result) *measurement {
	seconds := func(frames int64) json.RawMessage { return fixed(float64(frames)/float64(r.Rate), 6) }
	at := func(p loudness.Place) json.RawMessage {
		if math.IsInf(p.Value, -1) {
			return json.RawMessage("null")
		}
		return seconds(p.At)
	}
	m := &measurement{Layout: r.Layout, SampleRate: r.Rate, Seconds: seconds(r.Frames), Integrated: level(r.Integrated), Range: level(math.Inf(-1)),
		MaxMomentary: level(r.MaxMomentary.Value), MomentaryAt: at(r.MaxMomentary), MaxShortTerm: level(r.MaxShortTerm.Value), ShortTermAt: at(r.MaxShortTerm),
		TruePeak: level(r.TruePeak.Value), TruePeakAt: at(r.TruePeak), Correlation: (*level)(r.Correlation), MonoLoss: (*level)(r.MonoLoss)}
	if r.RangeKnown {
		m.Range = level(r.Range)
	}
	bed := !strings.HasPrefix(r.Layout, "discrete")
	for c, ch := range r.Channels {
		v := measuredChannel{Channel: c + 1, TruePeak: level(ch.TruePeak), SamplePeak: level(ch.SamplePeak), PPM: level(meter.Mark(ch.Quasi)), PPMLevel: level(ch.Quasi), DC: ch.DC}
		if name := ch.Name; bed {
			v.Speaker = &name
		}
		m.Channels = append(m.Channels, v)
	}
	return m
}

func (m *measurement) print(cmd *cobra.Command) {
	name := m.Path
	if len(m.Paths) > 1 {
		name = fmt.Sprintf("%s and %d more", m.Path, len(m.Paths)-1)
	}
	sayf(cmd, "%s: %s, %s s", shown(name), m.Layout, m.Seconds)
	saySnags(cmd, m.Snags)
	sayf(cmd, "  integrated %s LUFS, range %s LU, momentary at most %s LUFS, short-term at most %s LUFS, true peak %s dBTP", m.Integrated, m.Range, m.MaxMomentary, m.MaxShortTerm, m.TruePeak)
	if m.Correlation != nil {
		sayf(cmd, "  correlation %+.2f, in mono %s LU quieter", float64(*m.Correlation), *m.MonoLoss)
	}
	for _, c := range m.Channels {
		speaker := ""
		if c.Speaker != nil {
			speaker = " " + *c.Speaker
		}
		sayf(cmd, "  channel %d%s: true peak %s dBTP, sample peak %s dBFS, programme meter %s, DC %+.6f", c.Channel, speaker, c.TruePeak, c.SamplePeak, c.PPM, c.DC)
	}
	for _, v := range m.Verdicts {
		found := "none"
		if v.Found != nil {
			found = fmt.Sprintf("%.2f %s", *v.Found, v.Unit)
		}
		sayf(cmd, "  %s: asked %s, found %s: %s", v.What, v.Asked, found, v.Words)
	}
}

// timeline is a CSV file with a line for each tenth of a second.
type timeline struct {
	file *wholefile.File
	csv  *csv.Writer
}

func newTimeline(path string) (*timeline, error) {
	f, err := wholefile.Create(path, true)
	if err != nil {
		return nil, err
	}
	t := &timeline{f, csv.NewWriter(f)}
	_ = t.csv.Write([]string{"path", "seconds", "momentary_lufs", "short_term_lufs", "true_peak_dbtp"}) // an error stays with the writer
	return t, nil
}

func (t *timeline) add(path string, m *loudness.Meter, rate int) {
	cell := func(v float64) string {
		if math.IsInf(v, -1) {
			return ""
		}
		return strconv.FormatFloat(v, 'f', 3, 64)
	}
	for i := range m.Powers() {
		end := float64(int64(i+1)*int64(rate)/loudness.PowersPerSecond) / float64(rate)
		_ = t.csv.Write([]string{report.Cell(path), strconv.FormatFloat(end, 'f', 4, 64), cell(m.Powers().At(i, loudness.MomentaryPowers)), cell(m.Powers().At(i, loudness.ShortTermPowers)), cell(audio.Decibels(m.Peaks()[i]))})
	}
}

func (t *timeline) commit() error {
	t.csv.Flush()
	if err := t.csv.Error(); err != nil {
		return err
	}
	return t.file.Commit()
}
