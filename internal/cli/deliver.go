package cli

import (
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"zestyloom/core/delivery"
	"zestyloom/core/mix"
	"zestyloom/core/picture"
	"zestyloom/core/readiness"
	"zestyloom/core/report"
	"zestyloom/core/snag"
	"zestyloom/core/source"
	"zestyloom/core/weave"
	"zestyloom/core/wholefile"
)

type deliverOptions struct {
	spec, weave, packing, out, span, rate, picture string
	production, episode, reel, recipient           string
	only, read, route, accept                      []string
	version                                        int
	cut, black, force, asJSON, dry                 bool
}

// delivered is what deliver says.
type delivered struct {
	Start   int64           `json:"start_samples"`
	TC      string          `json:"start_timecode"`
	Frames  int64           `json:"frames"`
	Test    bool            `json:"test"`
	Picture string          `json:"picture,omitempty"` // how it was cut
	Tracks  []trackSaid     `json:"tracks"`
	Files   []delivery.File `json:"files"`
	Papers  []string        `json:"papers"`
	Clipped int64           `json:"clipped"`
	Snags   []snag.Snag     `json:"snags"`
	// Asks is what stands in the way: nothing is written while there is any.
	Asks    []readiness.Finding `json:"asks"`
	Written bool                `json:"written"`
	Proof   *delivery.Proof     `json:"proof,omitempty"`
}

func deliverCommand() *cobra.Command {
	var o deliverOptions
	cmd := &cobra.Command{
		Use:   "deliver --spec SPEC FILE... --out FOLDER",
		Short: "Make a delivery to a specification out of files that lie on one timeline, and prove it",
		Long: `Make a delivery to a specification out of files that lie on one timeline, and prove it.

Each file lies where its timecode says. What its channels are is worked out as the application does it: from what the file
itself says, its labels, its name and its sound. Where that is not certain it is asked: --read 'FX*=field' answers (pair,
mid-side, apart, 5.1, 5.1 film, field, ...), by the file's name. Channels without a label are called by their file.

Tracks are routed by a template: that of --weave, else the one that the specification names. They find their way by their
labels and the names of their files; --route 'DX=Boom,Lav*' says otherwise. Without a template every track is a stem of its
own, under its name, with its outputs in the order of the channels.

What stands in the way of a delivery is said first, as the application does: silent outputs, tracks that reach none, sound that
would be in no file, what is undecided. Nothing is written then, and the exit status is 3; --accept CODE says that something is
to be so. --dry-run shows every track with its way and its level, the files, and all snags, and writes nothing.

--spec has a specification as JSON, or the name of one that comes with the program. All files have the same start and the
same length. They are written beside, read back and compared sample by sample with a fresh rendering, measured, looked at
with a second reader, and appear in the folder once they are proven, with the papers that the specification asks for.
Exit status 3 when they are not what was ordered: nothing is left in the folder then.`,
		Args: atLeast(1, "at least one file"),
		RunE: func(cmd *cobra.Command, args []string) error {
			if o.spec == "" || o.out == "" && !o.dry {
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
			if err == nil && (len(d.Asks) > 0 || d.Proof != nil && !d.Proof.Passed) {
				err = Unmet{}
			}
			return err
		},
	}
	f := cmd.Flags()
	f.StringVar(&o.spec, "spec", "", "specification: a JSON file, or the name of one that comes with the program")
	f.StringVar(&o.weave, "weave", "", "template of a routing: a JSON file, or the name of one that comes with the program (the specification's otherwise; none for a stem each)")
	f.StringArrayVar(&o.read, "read", nil, "how the channels of a file are read, as 'FX*=field': "+readWays)
	f.StringArrayVar(&o.route, "route", nil, "where tracks go, by the names of a stem and of tracks or their files, as 'DX=Boom,Lav*'")
	f.StringSliceVar(&o.accept, "accept", nil, "codes of what stands in the way and is to be so, such as output_silent")
	f.BoolVar(&o.dry, "dry-run", false, "say what would be made, and write nothing")
	f.StringVar(&o.packing, "packing", "", "which of the specification's packings (its first otherwise)")
	f.StringVar(&o.out, "out", "", "folder to write into")
	f.StringVar(&o.span, "span", "", "this span alone, in timecode: 10:00:00:00-10:00:20:00; a test, or a cut-down with --cut")
	f.BoolVar(&o.cut, "cut", false, "deliver the span, as a cut-down, with the picture cut to the same edges; no test")
	f.StringSliceVar(&o.only, "only", nil, "tracks and buses by name that there are files of, where the specification has a file for each (all otherwise)")
	f.StringVar(&o.rate, "rate", "", "rate of the timecode, where no file says it, such as 25 or 29.97df")
	f.BoolVar(&o.black, "black", false, "make black where the sound reaches beyond the picture, which is coded anew with it: as the specification says, else as it was coded")
	f.StringVar(&o.picture, "picture", "", "file whose picture goes along, where the specification has a container for it")
	f.StringVar(&o.production, "production", "", "for names and metadata (what the first file says otherwise, or else the folder's name)")
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

func deliver(cmd *cobra.Command, paths []string, o deliverOptions) (*delivered, error) {
	spec, err := specNamed(o.spec)
	if err != nil {
		return nil, err
	}
	files, err := recordings(paths)
	if err != nil {
		return nil, err
	}
	l, err := layFiles(cmd, files, o.rate, o.read)
	if err != nil {
		return nil, err
	}
	defer l.Close()
	template := o.weave
	if template == "" {
		template = spec.Template
	}
	if template == "none" {
		template = ""
	}
	if err := l.use(template); err != nil {
		return nil, err
	}
	if err := l.route(o.route); err != nil {
		return nil, err
	}
	now := time.Now()
	order := delivery.Order{Spec: spec, Packing: o.packing, Recipient: o.recipient, Date: now.Format(time.DateOnly), Time: now.Format(time.TimeOnly), Version: o.version, Accept: o.accept, Black: o.black}
	if order.Titles = (delivery.Titles{Production: o.production, Episode: o.episode, Reel: o.reel}); order.Titles.Production == "" {
		order.Titles.Production = l.project
	}
	if order.Titles.Production == "" && o.out != "" { // files are named by it: no name is without
		order.Titles.Production = filepath.Base(filepath.Clean(o.out))
	}
	if order.Cut = o.cut; o.cut && o.span == "" {
		return nil, UsageError{errors.New("deliver: --cut goes with --span")}
	}
	if o.black && (o.picture == "" || o.span != "") {
		return nil, UsageError{errors.New("deliver: --black goes with --picture, and without --span")}
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
	found := append(slices.Clone(l.asks), readiness.Plan(plan, nil)...) // what clips is counted as it is rendered
	d := &delivered{
		Start: plan.Start, TC: plan.Rate.FormatSamples(plan.Start, int64(plan.Rates.Files)), Frames: plan.Frames, Test: plan.Test(), Picture: plan.CutSays, Tracks: l.tracks(),
		Files: plan.Files, Papers: []string{}, Snags: append([]snag.Snag{}, l.snags...), Asks: readiness.Open(found, o.accept),
	}
	for _, f := range found {
		if !slices.ContainsFunc(d.Asks, func(a readiness.Finding) bool { return a == f }) {
			d.Snags = append(d.Snags, f.Snag)
		}
	}
	if d.Asks == nil {
		d.Asks = []readiness.Finding{}
	}
	if o.dry || len(d.Asks) > 0 {
		return d, nil
	}
	plan.Sources = map[string]delivery.Source{}
	for id, s := range l.sources {
		known, err := l.knownOf(s.Path)
		if err != nil {
			return nil, err
		}
		plan.Sources[id] = delivery.Source{File: s.Path, Name: known.Name, Hash: known.Sums.Hash(), Channel: s.Channel}
		s.Known = known
		l.sources[id] = s
	}
	return d, l.make(cmd, plan, o, d)
}

// knownOf reads a file whole, once: what is delivered of it is what the papers name.
func (l *laid) knownOf(path string) (*source.Known, error) {
	if k := l.known[path]; k != nil {
		return k, nil
	}
	sums, err := source.HashFile(path)
	if err != nil {
		return nil, err
	}
	l.known[path] = &source.Known{Name: filepath.Base(path), Sums: &sums}
	return l.known[path], nil
}

// make writes a plan beside the folder, proves it, and puts it there.
func (l *laid) make(cmd *cobra.Command, plan delivery.Plan, o deliverOptions, d *delivered) error {
	undo, err := wholefile.MakeFolder(o.out)
	if err != nil {
		return snag.Refuse("no_folder", "the folder %s can't be made: %w", o.out, err)
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
				return snag.Refuse("exists", "%s is there already and is not overwritten", path)
			}
		}
	}
	tmp, err := ownFolder(o.out, "delivering")
	if err != nil {
		return err
	}
	defer os.RemoveAll(tmp)
	bar := newProgress(cmd, "rendering")
	options := delivery.Options{Picture: o.picture, Sources: l.source, Progress: func(n int64) { bar.at(n, plan.Frames, plan.Rates.Files) }}
	written, err := delivery.Write(cmd.Context(), plan, tmp, options)
	bar.end()
	if err != nil {
		return err
	}
	bar = newProgress(cmd, "reading back")
	options.Hashes = written.Hashes
	proof, err := delivery.Prove(cmd.Context(), plan, tmp, options)
	bar.end()
	if err != nil {
		return err
	}
	if d.Clipped, d.Proof = written.Total(), &proof; d.Clipped > 0 {
		d.Snags = append(d.Snags, snag.New("clipped", "%d samples were beyond full scale and are held there", d.Clipped))
	}
	if !proof.Passed {
		return nil
	}
	note := report.Dispatch{Made: delivery.Made{Plan: plan, Proof: proof}, Number: o.version, Printed: time.Now()}
	for _, kind := range plan.Order.Spec.Papers {
		name := note.PaperName(kind)
		if err := l.paper(note, kind, filepath.Join(tmp, name)); err != nil {
			return err
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
			return err
		}
		if err := wholefile.Move(filepath.Join(tmp, filepath.FromSlash(name)), to); err != nil {
			return err
		}
	}
	d.Written = true
	return nil
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
			if strings.EqualFold(t.Label, name) || strings.EqualFold(t.Label, strings.ReplaceAll(name, "_", " ")) {
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
	for _, a := range d.Asks {
		sayf(cmd, "! %s (%s)", shown(a.Message), a.Code)
	}
	if d.Proof == nil {
		for _, t := range d.Tracks {
			sayf(cmd, "%s (%s, %s): %s", shown(t.Label), shown(t.File), t.Layout, shown(t.Ways))
		}
		for _, f := range d.Files {
			var names []string
			for _, c := range f.Channels {
				names = append(names, c.Name)
			}
			sayf(cmd, "-> %s: %s", shown(f.Name), shown(strings.Join(names, ", ")))
		}
		switch {
		case len(d.Asks) == 0:
			sayf(cmd, "nothing was written: --dry-run")
		case readiness.Stops(d.Asks):
			sayf(cmd, "nothing was written: this has to be mended first")
		default:
			sayf(cmd, "nothing was written: mend it, or say that it is to be so by --accept %s", strings.Join(readiness.Codes(d.Asks), ","))
		}
		return
	}
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
