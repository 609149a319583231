package cli

import (
	"encoding/json"
	"errors"
	"fmt"
	"math"
	"os"
	"strconv"
	"strings"

	"github.com/spf13/cobra"

	"zestyloom/core/audio"
	"zestyloom/core/automation"
	"zestyloom/core/loudness"
	"zestyloom/core/snag"
	"zestyloom/core/source"
	"zestyloom/core/wave"
	"zestyloom/core/wholefile"
)

// corrected is what correct says.
type corrected struct {
	Path    string           `json:"path"`
	Paths   []string         `json:"paths,omitempty"`
	Files   []string         `json:"files"` // that were written
	Gain    level            `json:"gain_db"`
	Deepest level            `json:"slow_gain_db"`      // the least of the gain that moves, 0 without one
	Curve   automation.Curve `json:"slow_gain"`         // its points, in frames and dB
	Limited level            `json:"limiter_db"`        // the least gain of the limiter
	At      json.RawMessage  `json:"limiter_at"`        // seconds
	Worked  json.RawMessage  `json:"limiter_at_work_s"` // seconds
	Passes  int              `json:"passes"`            // in which it was made; 0 where nothing was written
	Before  *measurement     `json:"before"`
	After   *measurement     `json:"after"` // of the files that were written
	Snags   []snag.Snag      `json:"snags"`
}

type correctOptions struct {
	out, layout, window      string
	integrated, short, peak  float64
	slope                    float64
	together, freeLFE, force bool
	forceLayout, dry, many   bool
	asJSON, dither           bool
	target                   loudness.Target
}

func correctCommand() *cobra.Command {
	var o correctOptions
	cmd := &cobra.Command{
		Use:   "correct FILE... --out FILE|FOLDER",
		Short: "Bring a sound to a loudness, hold short-term loudness and true peak down, and show before and after",
		Long: `Bring a sound to a loudness, hold its short-term loudness and its true peak down, and show before and after.

First the sound is measured, then corrected by what was asked for: --integrated by a gain that stands still,
--short-term by a gain that moves slowly and knows the whole sound beforehand, --peak by a limiter that looks ahead
and listens between samples. What need not be changed is not: where only a ceiling is given, samples that are not
near a peak above it are the same, bit for bit. All channels get the same gain.

A file is written as WAV in the coding of the original, with its metadata. Several files are corrected one by one, each by
what it needs itself, and written into the folder --out under the names that they have. With --together they are the channels of
one sound, and get the same gain. With --dry-run the sound is measured, the gain worked out, and nothing written.`,
		Args: atLeast(1, "a file"),
		RunE: func(cmd *cobra.Command, args []string) error {
			if err := o.read(cmd); err != nil {
				return UsageError{fmt.Errorf("correct: %w", err)}
			}
			taken := claims{}
			say := func(_ string, c *corrected) error {
				if o.asJSON {
					return encode(cmd, c)
				}
				c.print(cmd)
				return nil
			}
			if o.together {
				return each(cmd, o.asJSON, args[:1], func(string) (*corrected, error) { return correct(cmd, args, o, taken) }, say)
			}
			o.many = len(args) > 1
			return each(cmd, o.asJSON, args, func(path string) (*corrected, error) { return correct(cmd, []string{path}, o, taken) }, say)
		},
	}
	f := cmd.Flags()
	f.StringVar(&o.out, "out", "", "file to write; of several files the folder to write to")
	f.Float64Var(&o.integrated, "integrated", -23, "loudness to reach, in LUFS")
	f.Float64Var(&o.short, "short-term", -18, "the most that short-term loudness may be, in LUFS")
	f.StringVar(&o.window, "window", "3s", "how long short-term is, such as 3s")
	f.Float64Var(&o.slope, "slope", loudness.DefaultSlope, "how fast the gain that holds short-term may move, in dB a second")
	f.Float64Var(&o.peak, "peak", -1, "ceiling of the true peak, in dBTP")
	f.StringVar(&o.layout, "layout", "", "layout of the channels, such as stereo or 5.1")
	f.BoolVar(&o.forceLayout, "force-layout", false, "take --layout although a file says another")
	f.BoolVar(&o.together, "together", false, "several mono files, named by speakers, are one sound")
	f.BoolVar(&o.freeLFE, "free-lfe", false, "leave the LFE out of the limiter")
	f.BoolVar(&o.dither, "dither", false, "dither samples that fall between the steps of the coding (TPDF)")
	f.BoolVar(&o.force, "force", false, "overwrite files that are there")
	f.BoolVar(&o.dry, "dry-run", false, "say what would be done and write nothing")
	f.BoolVar(&o.asJSON, "json", false, "one JSON object a line: what was done to each sound")
	return cmd
}

// read takes over what was asked for: only what is named is done.
func (o *correctOptions) read(cmd *cobra.Command) error {
	if o.out == "" {
		return errors.New("--out is needed: the file to write, or of several files the folder")
	}
	f := cmd.Flags()
	if f.Changed("integrated") {
		o.target.Integrated = &o.integrated
	}
	if f.Changed("short-term") {
		o.target.ShortTerm = &o.short
	}
	if f.Changed("peak") {
		o.target.TruePeak = &o.peak
	}
	if o.target.Integrated == nil && o.target.ShortTerm == nil && o.target.TruePeak == nil {
		return errors.New("nothing is asked for: give --integrated, --short-term or --peak")
	}
	w, err := strconv.ParseFloat(strings.TrimSuffix(o.window, "s"), 64)
	if err != nil {
		return fmt.Errorf("--window %s: expected seconds, such as 3s", o.window)
	}
	o.target.Window, o.target.Slope = w, o.slope
	return o.target.Check()
}

// most passes are made to come to a loudness after a limiter, which can't be foreseen.
const mostPasses = 12

func correct(cmd *cobra.Command, paths []string, o correctOptions, taken claims) (*corrected, error) {
	s, err := openTogether(cmd, paths...)
	if err != nil {
		return nil, err
	}
	defer s.Close()
	l, err := s.layout(o.layout, o.forceLayout)
	if err != nil {
		return nil, err
	}
	run := func(what string, fn func(b audio.Block, at int64) error) error {
		bar := newProgress(cmd, what)
		defer bar.end()
		return s.Run(cmd.Context(), 0, s.Frames, func(b audio.Block, at int64) error {
			bar.at(at, s.Frames, s.Rate)
			return fn(b, at)
		})
	}
	meter, err := loudness.NewMeter(l, s.Rate, loudness.Options{})
	if err != nil {
		return nil, err
	}
	if err := run("measuring", func(b audio.Block, at int64) error {
		if c, i := b.Invalid(); i >= 0 {
			return snag.Refuse("not_numbers", "%s: channel %d holds no number at frame %d (%.3f s): a gain of what is none is none; mend the file first", paths[0], c+1, at+int64(i), float64(at+int64(i))/float64(s.Rate))
		}
		meter.Add(b)
		return nil
	}); err != nil {
		return nil, err
	}
	out := &corrected{Path: paths[0], Before: measurementOf(meter.Result()), Snags: append([]snag.Snag{}, s.snags...)}
	out.Before.Path, out.Before.Snags = paths[0], out.Snags
	if len(paths) > 1 {
		out.Paths = paths
	}
	names, err := o.names(s, paths, taken)
	if err != nil {
		return nil, err
	}
	if o.dry {
		c, err := loudness.Correct(meter.Powers(), s.Rate, o.target)
		if err != nil {
			return nil, err
		}
		out.Files, out.Gain, out.Deepest, out.Curve = names, level(c.GainDB), level(-c.Deepest), c.Curve
		out.At, out.Worked = json.RawMessage("null"), json.RawMessage("null")
		return out, nil
	}
	target := o.target
	var toward loudness.Approach
	for out.Passes = 1; ; out.Passes++ {
		c, err := loudness.Correct(meter.Powers(), s.Rate, target)
		if err != nil {
			return nil, err
		}
		w, err := o.open(s, names)
		if err != nil {
			return nil, err
		}
		after, a, err := w.write(c, l, o, run)
		if err != nil {
			w.abort()
			return nil, err
		}
		off := 0.0
		if o.target.Integrated != nil {
			off = *o.target.Integrated - after.Integrated
			// The limiter has taken some of the loudness: it is given that much more, by what giving more has brought so far.
			if next, more := toward.Next(*target.Integrated, after.Integrated, *o.target.Integrated); more && target.TruePeak != nil && out.Passes < mostPasses {
				w.abort()
				target.Integrated = &next
				continue
			}
		}
		if err := w.commit(); err != nil {
			return nil, err
		}
		out.Files, out.Gain, out.Deepest, out.Curve = w.names, level(c.GainDB), level(-c.Deepest), c.Curve
		deepest, at, frames := a.Limited()
		out.Limited, out.At, out.Worked = level(deepest), json.RawMessage("null"), fixed(float64(frames)/float64(s.Rate), 6)
		if frames > 0 {
			out.At = fixed(float64(at)/float64(s.Rate), 6)
		}
		out.After = measurementOf(after)
		out.After.Path, out.After.Snags = w.names[0], []snag.Snag{}
		for c, n := range w.enc.Clipped {
			if n > 0 {
				out.Snags = append(out.Snags, snag.New("clipped", "channel %d: %d samples were beyond full scale and are held there: ask for a ceiling with --peak", c+1, n))
			}
		}
		if math.Abs(off) > 0.1 {
			out.Snags = append(out.Snags, snag.New("not_reached", "it comes to %.2f LUFS and not %.2f: the ceiling takes the rest, however much more is given", after.Integrated, *o.target.Integrated))
		}
		return out, nil
	}
}

// rewriting is the files of a corrected sound on their way.
type rewriting struct {
	names []string
	files []*wholefile.File
	outs  []*wave.Writer
	width []int // channels of each
	enc   audio.Encoder
	raw   []byte
}

// names are those of the files that are written, one for each of the sound's.
func (o correctOptions) names(s *opened, paths []string, taken claims) (names []string, err error) {
	for i, src := range s.srcs {
		if coding := s.srcs[0].Format.Coding; src.Format.Coding != coding {
			return nil, snag.Refuse("coding_differs", "%s is %s and %s is %s: files that are one sound are coded alike", paths[0], coding, paths[i], src.Format.Coding)
		}
		path := into(o.out, paths[i], ".wav", o.many || o.together) // what is written is WAV
		if same(path, paths) {
			return nil, snag.Refuse("exists", "%s is the original: write to another file", path)
		}
		if err := taken.add(path, paths[i]); err != nil {
			return nil, err
		}
		if err := wholefile.Free(path, o.force); err != nil {
			return nil, err
		}
		names = append(names, path)
	}
	return names, nil
}

// open begins a file for each of the sound's, with what the original says of itself.
func (o correctOptions) open(s *opened, names []string) (*rewriting, error) {
	w := &rewriting{enc: audio.Encoder{Coding: s.srcs[0].Format.Coding, Dither: o.dither, Seed: 1}, names: names}
	if o.together || o.many {
		if _, err := wholefile.MakeFolder(o.out); err != nil {
			return nil, err
		}
	}
	for i, src := range s.srcs {
		file, err := wholefile.Create(names[i], o.force)
		if err != nil {
			w.abort()
			return nil, err
		}
		w.files = append(w.files, file)
		out, err := wave.NewWriter(file, rewritten(src))
		if err != nil {
			w.abort()
			return nil, err
		}
		w.outs, w.width = append(w.outs, out), append(w.width, src.Format.Channels)
	}
	return w, nil
}

// rewritten is what a file says of itself, for one with the same channels.
func rewritten(src *source.Source) wave.Options {
	return wave.Options{Format: src.Format, Bext: src.Bext, IXML: src.IXML, Extra: src.Extra}
}

func same(path string, paths []string) bool {
	st, err := os.Stat(path)
	if err != nil {
		return false
	}
	for _, p := range paths {
		if other, err := os.Stat(p); err == nil && os.SameFile(st, other) {
			return true
		}
	}
	return false
}

// write makes the corrected sound, and measures what is written.
func (w *rewriting) write(c loudness.Correction, l audio.Layout, o correctOptions, run func(what string, fn func(b audio.Block, at int64) error) error) (loudness.Result, *loudness.Applier, error) {
	rate := 0
	for _, out := range w.outs {
		rate = out.Rate()
	}
	a, err := loudness.NewApplier(c, l, rate, o.freeLFE)
	if err != nil {
		return loudness.Result{}, nil, err
	}
	meter, err := loudness.NewMeter(l, rate, loudness.Options{})
	if err != nil {
		return loudness.Result{}, nil, err
	}
	at := int64(0)
	take := func(b audio.Block) error {
		n := b.Frames()
		first := 0
		for i, width := range w.width {
			part := b[first : first+width]
			enc := w.enc
			enc.Seed += uint64(first)
			enc.Clipped = make([]int64, width)
			w.raw = enc.Encode(w.raw[:0], part, at)
			if _, err := w.outs[i].Write(w.raw); err != nil {
				return err
			}
			if len(w.enc.Clipped) < len(b) {
				w.enc.Clipped = make([]int64, len(b))
			}
			for c := range width {
				w.enc.Clipped[first+c] += enc.Clipped[c]
				audio.DecodeChannel(part[c], w.raw, w.enc.Coding, width, c) // what is in the file is measured
			}
			first += width
		}
		meter.Add(b)
		at += int64(n)
		return nil
	}
	err = run("correcting", func(b audio.Block, _ int64) error { return take(a.Add(b)) })
	if err == nil {
		err = take(a.End())
	}
	if err != nil {
		return loudness.Result{}, nil, err
	}
	for _, out := range w.outs {
		if err := out.Close(); err != nil {
			return loudness.Result{}, nil, err
		}
	}
	return meter.Result(), a, nil
}

func (w *rewriting) commit() error {
	for _, f := range w.files {
		if err := f.Commit(); err != nil {
			return snag.Refuse("not_placed", "%s could not be put in place: %w", f.Path(), err)
		}
	}
	return nil
}

func (w *rewriting) abort() {
	for _, f := range w.files {
		f.Abort()
	}
}

func (c *corrected) print(cmd *cobra.Command) {
	saySnags(cmd, c.Snags)
	if c.After == nil {
		sayf(cmd, "%s: %s LUFS, %s dBTP; gain %+.2f dB, slow gain down to %.2f dB", shown(c.Path), c.Before.Integrated, c.Before.TruePeak, float64(c.Gain), float64(c.Deepest))
		for _, f := range c.Files {
			sayf(cmd, "-> %s%s", shown(f), wouldSay(true))
		}
		return
	}
	sayf(cmd, "gain %+.2f dB, slow gain down to %.2f dB, limiter down to %.2f dB for %s s", float64(c.Gain), float64(c.Deepest), float64(c.Limited), c.Worked)
	for _, v := range []struct {
		what string
		of   func(m *measurement) level
		unit string
	}{
		{"integrated", func(m *measurement) level { return m.Integrated }, "LUFS"},
		{"range", func(m *measurement) level { return m.Range }, "LU"},
		{"short-term at most", func(m *measurement) level { return m.MaxShortTerm }, "LUFS"},
		{"momentary at most", func(m *measurement) level { return m.MaxMomentary }, "LUFS"},
		{"true peak", func(m *measurement) level { return m.TruePeak }, "dBTP"},
	} {
		sayf(cmd, "  %-19s before %7s, after %7s %s", v.what, v.of(c.Before), v.of(c.After), v.unit)
	}
	for _, f := range c.Files {
		sayf(cmd, "-> %s", shown(f))
	}
}
