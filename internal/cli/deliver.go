package cli

import (
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"time"

	"github.com/google/uuid"
	"github.com/spf13/cobra"

	"zestyloom/core/delivery"
	"zestyloom/core/mix"
	"zestyloom/core/picture"
	"zestyloom/core/reel"
	"zestyloom/core/report"
	"zestyloom/core/snag"
	"zestyloom/core/source"
	"zestyloom/core/take"
	"zestyloom/core/timecode"
	"zestyloom/core/weave"
	"zestyloom/core/wholefile"
)

type deliverOptions struct {
	spec, weave, packing, out, span, rate, picture string
	production, episode, reel, recipient           string
	only                                           []string
	version                                        int
	cut, force, asJSON                             bool
}

// delivered is what deliver says.
type delivered struct {
	Start   int64           `json:"start_samples"`
	TC      string          `json:"start_timecode"`
	Frames  int64           `json:"frames"`
	Test    bool            `json:"test"`
	Picture string          `json:"picture,omitempty"` // how it was cut
	Files   []delivery.File `json:"files"`
	Papers  []string        `json:"papers"`
	Clipped int64           `json:"clipped"`
	Snags   []snag.Snag     `json:"snags"`
	Proof   delivery.Proof  `json:"proof"`
}

func deliverCommand() *cobra.Command {
	var o deliverOptions
	cmd := &cobra.Command{
		Use:   "deliver --spec SPEC.json FILE... --out FOLDER",
		Short: "Make a delivery to a specification out of files that lie on one timeline, and prove it",
		Long: `Make a delivery to a specification out of files that lie on one timeline, and prove it.

Each file lies where its timecode says. Channels that are the speakers of one layout and named alike ("Score L", "Score R",
or files mix.L.wav, mix.R.wav) are one track, everything else a mono track; --weave has a template of a routing, as the
application writes it, that tracks find their way in by their labels. Without it every track is a stem of its own, under
its name, with its outputs in the order of the channels.

--spec has a specification as JSON, or the name of one that comes with the program. All files have the same start and the
same length. They are written beside, read back and compared sample by sample with a fresh rendering, measured, looked at
with a second reader, and appear in the folder once they are proven, with the papers that the specification asks for.
Exit status 3 when they are not what was ordered: nothing is left in the folder then.`,
		Args: atLeast(1, "at least one file"),
		RunE: func(cmd *cobra.Command, args []string) error {
			if o.spec == "" || o.out == "" {
				return UsageError{errors.New("deliver: --spec and --out are needed")}
			}
			d, err := deliver(cmd, args, o)
			if err != nil {
				if errors.As(err, new(UsageError)) || errors.As(err, new(Unmet)) {
					return err
				}
				return refused(cmd, o.asJSON, o.out, err)
			}
			if o.asJSON {
				err = encode(cmd, d)
			} else {
				d.print(cmd, o.out)
			}
			if err == nil && !d.Proof.Passed {
				err = Unmet{}
			}
			return err
		},
	}
	f := cmd.Flags()
	f.StringVar(&o.spec, "spec", "", "specification: a JSON file, or the name of one that comes with the program")
	f.StringVar(&o.weave, "weave", "", "template of a routing: a JSON file, or the name of one that comes with the program")
	f.StringVar(&o.packing, "packing", "", "which of the specification's packings (its first otherwise)")
	f.StringVar(&o.out, "out", "", "folder to write into")
	f.StringVar(&o.span, "span", "", "this span alone, in timecode: 10:00:00:00-10:00:20:00; a test, or a cut-down with --cut")
	f.BoolVar(&o.cut, "cut", false, "deliver the span, as a cut-down, with the picture cut to the same edges; no test")
	f.StringSliceVar(&o.only, "only", nil, "tracks and buses by name that there are files of, where the specification has a file for each (all otherwise)")
	f.StringVar(&o.rate, "rate", "", "rate of the timecode, where no file says it, such as 25 or 29.97df")
	f.StringVar(&o.picture, "picture", "", "file whose picture goes along, where the specification has a container for it")
	f.StringVar(&o.production, "production", "", "for names and metadata (what the first file says otherwise)")
	f.StringVar(&o.episode, "episode", "", "for names and metadata")
	f.StringVar(&o.reel, "reel", "", "for names and metadata")
	f.StringVar(&o.recipient, "recipient", "", "to whom it goes, for the papers")
	f.IntVar(&o.version, "version-number", 1, "which version of the delivery it is")
	f.BoolVar(&o.force, "force", false, "overwrite files that are there")
	f.BoolVar(&o.asJSON, "json", false, "say what was made as one JSON object")
	return cmd
}

// specNamed reads a specification from a file, or finds one that comes with the program.
func specNamed(name string) (delivery.Spec, error) {
	for _, s := range delivery.Shipped() {
		if strings.EqualFold(s.Name, name) {
			return s, nil
		}
	}
	b, err := os.ReadFile(name)
	if err != nil {
		var names []string
		for _, s := range delivery.Shipped() {
			names = append(names, s.Name)
		}
		return delivery.Spec{}, snag.Refuse("no_spec", "the specification %s can't be read, and none that comes with the program has that name (%s)", name, strings.Join(names, "; "))
	}
	return delivery.ParseSpec(b)
}

// templateNamed reads a template of a weave from a file, or finds one that comes with the program.
func templateNamed(name string) (weave.Template, error) {
	for _, t := range weave.Shipped() {
		if strings.EqualFold(t.Name, name) {
			return t, nil
		}
	}
	b, err := os.ReadFile(name)
	if err != nil {
		return weave.Template{}, snag.Refuse("no_template", "the template %s can't be read, and none that comes with the program has that name", name)
	}
	return weave.ParseTemplate(b)
}

// laid are files on a timeline, and where their sound is.
type laid struct {
	reel    reel.Reel
	sources map[string]mix.Source
	rate    timecode.Rate
	hertz   int
	project string
	snags   []snag.Snag
	hashes  map[string]string // of files, by their paths
	close   []func()
}

func (l *laid) Close() {
	for _, done := range l.close {
		done()
	}
}

// layFiles lays files where their timecode says.
func layFiles(cmd *cobra.Command, paths []string, rate string) (*laid, error) {
	l := &laid{sources: map[string]mix.Source{}, hashes: map[string]string{}}
	var files []delivery.Given
	for _, path := range paths {
		src, info, done, err := openSound(cmd.Context(), path)
		if err != nil {
			l.Close()
			return nil, snag.Refuse(snag.Of(err).Code, "%s: %w", path, err)
		}
		l.close = append(l.close, done)
		facts := src.Gather(filepath.Base(path))
		g := delivery.Given{Name: filepath.Base(path), Start: facts.Start, Frames: src.Frames}
		if info != nil {
			facts = info.Facts()
			g.Start = facts.Start
		}
		if l.hertz == 0 {
			l.hertz, l.project = src.Format.SampleRate, facts.Project
		}
		if src.Format.SampleRate != l.hertz {
			l.Close()
			return nil, snag.Refuse("rate_differs", "%s is at %d Hz and the files before it at %d Hz: convert it first", path, src.Format.SampleRate, l.hertz)
		}
		if l.rate.Zero() {
			l.rate = facts.Rate
		}
		for c := range src.Format.Channels {
			label := ""
			if c < len(facts.Tracks) && facts.Tracks[c].LabelSource != "name" {
				label = facts.Tracks[c].Label
			}
			id := fmt.Sprintf("%d/%d", len(files), c)
			l.sources[id] = mix.Source{Path: src.Path(), Channel: c}
			g.Labels, g.Strands = append(g.Labels, label), append(g.Strands, id)
		}
		l.snags = append(l.snags, src.Snags...)
		if g.Start < 0 {
			l.snags = append(l.snags, snag.New("no_start", "%s does not say when it starts: it is laid at the first start that is said", path))
		}
		files = append(files, g)
	}
	if rate != "" {
		r, err := timecode.ParseRate(rate)
		if err != nil {
			l.Close()
			return nil, UsageError{err}
		}
		l.rate = r
	}
	if l.rate.Zero() {
		l.rate = timecode.Rate{Num: 25, Den: 1}
		l.snags = append(l.snags, snag.New("no_rate", "no file says at which rate its timecode counts: 25 frames a second are taken (option --rate)"))
	}
	var err error
	if l.reel, err = delivery.LayBack(files, uuid.NewString); err != nil {
		l.Close()
		return nil, err
	}
	return l, nil
}

// use routes the tracks by a template.
func (l *laid) use(name string) error {
	t, err := templateNamed(name)
	if err != nil {
		return err
	}
	tracks := l.reel.Routed()
	for i := range tracks {
		// What a label does not say, the file's name may.
		for _, name := range []string{tracks[i].Label, l.fileOf(i)} {
			if tracks[i].Kind == "" {
				tracks[i].Kind = take.StemKind(name)
			}
		}
	}
	w, lost, err := l.reel.Weave.Changed(weave.Change{Use: &weave.Use{Template: t}}, tracks, uuid.NewString)
	if err != nil {
		return err
	}
	l.reel.Weave = w
	for _, s := range lost {
		l.snags = append(l.snags, snag.New("no_place", "%s", s))
	}
	for _, t := range l.reel.Tracks {
		if len(w.Sends[t.ID]) == 0 {
			l.snags = append(l.snags, snag.New("no_stem", "track %s has no stem and will not be heard", t.Label))
		}
	}
	return nil
}

// fileOf is the name of the file that a track was laid from.
func (l *laid) fileOf(track int) string {
	if clips := l.reel.Tracks[track].Clips; len(clips) > 0 {
		return clips[0].Name
	}
	return ""
}

func deliver(cmd *cobra.Command, paths []string, o deliverOptions) (*delivered, error) {
	spec, err := specNamed(o.spec)
	if err != nil {
		return nil, err
	}
	files, err := recordings(paths)
	if err != nil {
		return nil, err
	}
	l, err := layFiles(cmd, files, o.rate)
	if err != nil {
		return nil, err
	}
	defer l.Close()
	if o.weave != "" {
		if err := l.use(o.weave); err != nil {
			return nil, err
		}
	}
	now := time.Now()
	order := delivery.Order{Spec: spec, Packing: o.packing, Recipient: o.recipient, Date: now.Format(time.DateOnly), Time: now.Format(time.TimeOnly), Version: o.version}
	if order.Titles = (delivery.Titles{Production: o.production, Episode: o.episode, Reel: o.reel}); order.Titles.Production == "" {
		order.Titles.Production = l.project
	}
	if order.Cut = o.cut; o.cut && o.span == "" {
		return nil, UsageError{errors.New("deliver: --cut goes with --span")}
	}
	if order.Only, err = l.named(o.only); err != nil {
		return nil, err
	}
	if o.span != "" {
		if order.Span, err = l.spanOf(o.span); err != nil {
			return nil, err
		}
	}
	var info *picture.Info
	if o.picture != "" {
		if order.Picture, info, err = delivery.PictureOf(cmd.Context(), o.picture, o.picture, filepath.Base(o.picture), l.reel, l.hertz, order.Span); err != nil {
			return nil, err
		}
	}
	plan, err := delivery.Make(order, l.reel, l.rate, l.hertz)
	if err == nil {
		err = plan.FitPicture(cmd.Context(), o.picture, info)
	}
	if err != nil {
		return nil, err
	}
	for _, p := range plan.Problems {
		if p.Stops {
			return nil, snag.Refuse(p.Code, "%s", p.Message)
		}
		l.snags = append(l.snags, p.Snag)
	}
	plan.Sources = map[string]delivery.Source{}
	for id, s := range l.sources {
		hash, err := l.hashOf(s.Path)
		if err != nil {
			return nil, err
		}
		plan.Sources[id] = delivery.Source{File: s.Path, Name: filepath.Base(s.Path), Hash: hash, Channel: s.Channel}
	}
	return l.make(cmd, plan, o)
}

// hashOf is the hash of a whole file, taken once.
func (l *laid) hashOf(path string) (string, error) {
	if h := l.hashes[path]; h != "" {
		return h, nil
	}
	sum, err := source.HashFile(path)
	l.hashes[path] = fmt.Sprintf("%016x", sum)
	return l.hashes[path], err
}

// make writes a plan beside the folder, proves it, and puts it there.
func (l *laid) make(cmd *cobra.Command, plan delivery.Plan, o deliverOptions) (*delivered, error) {
	undo, err := wholefile.MakeFolder(o.out)
	if err != nil {
		return nil, snag.Refuse("no_folder", "the folder %s can't be made: %w", o.out, err)
	}
	done := false
	defer func() {
		if !done {
			undo()
		}
	}()
	sweep(cmd, o.out)
	if !o.force {
		for _, f := range plan.Files {
			if path := filepath.Join(o.out, filepath.FromSlash(f.Name)); exists(path) {
				return nil, snag.Refuse("exists", "%s is there already and is not overwritten", path)
			}
		}
	}
	tmp, err := ownFolder(o.out, "delivering")
	if err != nil {
		return nil, err
	}
	defer os.RemoveAll(tmp)
	bar := newProgress(cmd, "rendering")
	options := delivery.Options{Picture: o.picture, Sources: l.source, Progress: func(n int64) { bar.at(n, plan.Frames, plan.Rates.Files) }}
	written, err := delivery.Write(cmd.Context(), plan, tmp, options)
	bar.end()
	if err != nil {
		return nil, err
	}
	bar = newProgress(cmd, "reading back")
	options.Hashes = written.Hashes
	proof, err := delivery.Prove(cmd.Context(), plan, tmp, options)
	bar.end()
	if err != nil {
		return nil, err
	}
	d := &delivered{
		Start: plan.Start, TC: plan.Rate.FormatSamples(plan.Start, int64(plan.Rates.Files)), Frames: plan.Frames, Test: plan.Test(), Picture: plan.CutSays, Files: plan.Files,
		Papers: []string{}, Clipped: written.Total(), Snags: append([]snag.Snag{}, l.snags...), Proof: proof,
	}
	if d.Clipped > 0 {
		d.Snags = append(d.Snags, snag.New("clipped", "%d samples were beyond full scale and are held there", d.Clipped))
	}
	if !proof.Passed {
		return d, nil
	}
	note := report.Dispatch{Made: delivery.Made{Plan: plan, Proof: proof}, Number: o.version, Printed: time.Now()}
	for _, kind := range plan.Order.Spec.Papers {
		name := note.PaperName(kind)
		if err := l.paper(note, kind, filepath.Join(tmp, name)); err != nil {
			return nil, err
		}
		d.Papers = append(d.Papers, name)
	}
	done = true
	var names []string
	for _, f := range plan.Files {
		names = append(names, f.Name)
	}
	for _, name := range append(names, d.Papers...) {
		to := filepath.Join(o.out, filepath.FromSlash(name))
		if err := os.MkdirAll(filepath.Dir(to), 0o755); err != nil {
			return nil, err
		}
		if err := os.Rename(filepath.Join(tmp, filepath.FromSlash(name)), to); err != nil {
			return nil, err
		}
	}
	return d, nil
}

func exists(path string) bool {
	_, err := os.Lstat(path)
	return err == nil
}

func (l *laid) paper(note report.Dispatch, kind, path string) error {
	f, err := wholefile.Create(path, true)
	if err != nil {
		return err
	}
	defer f.Abort()
	if err := note.WritePaper(f, kind); err != nil {
		return err
	}
	return f.Commit()
}

// source finds a strand of the files.
func (l *laid) source(strand string) (mix.Source, error) {
	s, ok := l.sources[strand]
	if !ok {
		return s, snag.Refuse("no_such_strand", "there is no strand %q", strand)
	}
	return s, nil
}

// named finds tracks and buses by their names.
func (l *laid) named(names []string) (ids []string, err error) {
	for _, name := range names {
		n := len(ids)
		for _, t := range l.reel.Tracks {
			if strings.EqualFold(t.Label, name) {
				ids = append(ids, t.ID)
			}
		}
		for _, b := range l.reel.Weave.Buses {
			if strings.EqualFold(b.Name, name) {
				ids = append(ids, b.ID)
			}
		}
		if len(ids) == n {
			return nil, snag.Refuse("no_such_track", "--only %s: no track and no bus is called so", name)
		}
	}
	return ids, nil
}

// spanOf reads a span of the timeline in timecode.
func (l *laid) spanOf(text string) (*delivery.Span, error) {
	a, b, two := strings.Cut(text, "-")
	from, err1 := l.rate.Parse(a)
	to, err2 := l.rate.Parse(b)
	if !two || err1 != nil || err2 != nil {
		return nil, UsageError{fmt.Errorf("--span %s: expected two timecodes with - between them, such as 10:00:00:00-10:00:20:00", text)}
	}
	return &delivery.Span{From: l.rate.SampleAt(from, int64(l.hertz)), To: l.rate.SampleAt(to, int64(l.hertz))}, nil
}

func (d *delivered) print(cmd *cobra.Command, out string) {
	saySnags(cmd, d.Snags)
	if !d.Proof.Passed {
		for _, s := range d.Proof.Failures() {
			sayf(cmd, "! %s", shown(s))
		}
		sayf(cmd, "nothing was put into %s: it is not what was ordered", shown(out))
		return
	}
	for _, f := range d.Proof.Files {
		sayf(cmd, "-> %s: %s, xxh64 %s", shown(filepath.Join(out, f.Name)), count(len(f.Channels), "channel"), f.Hash)
	}
	if d.Picture != "" {
		sayf(cmd, "%s", shown(d.Picture))
	}
	for _, s := range d.Proof.Sums {
		sayf(cmd, "%s", shown(s.Says))
	}
	for _, n := range d.Proof.Notes {
		sayf(cmd, "%s", shown(n))
	}
	sayf(cmd, "%s from %s, %d frames, read back and compared", count(len(d.Files), "file"), d.TC, d.Frames)
}
