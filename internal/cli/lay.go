package cli

import (
	"context"
	"fmt"
	"path"
	"path/filepath"
	"slices"
	"strings"

	"github.com/google/uuid"
	"github.com/spf13/cobra"

	"zestyloom/core/audio"
	"zestyloom/core/delivery"
	"zestyloom/core/edit"
	"zestyloom/core/mix"
	"zestyloom/core/readiness"
	"zestyloom/core/reel"
	"zestyloom/core/snag"
	"zestyloom/core/source"
	"zestyloom/core/survey"
	"zestyloom/core/take"
	"zestyloom/core/timecode"
	"zestyloom/core/weave"
	"zestyloom/internal/media"
)

// laid are files on a timeline, and where their sound is.
type laid struct {
	reel    reel.Reel
	sources map[string]mix.Source
	rate    timecode.Rate
	hertz   int
	project string
	snags   []snag.Snag
	asks    []readiness.Finding      // what has to be decided, or accepted, before an order
	known   map[string]*source.Known // of files that were read whole, by their paths
	files   map[string]string        // names of the files that tracks were laid from, by track
	order   map[string]int           // where among all channels a strand came
	close   []func()
}

func (l *laid) Close() {
	for _, done := range l.close {
		done()
	}
}

func (l *laid) ask(code, format string, args ...any) {
	l.asks = append(l.asks, readiness.Finding{Snag: snag.New(code, format, args...), Asks: true, Stage: "reel"})
}

// layFiles sorts files into takes, works out what their channels are, and lays them where their timecode says: as the
// application does.
func layFiles(cmd *cobra.Command, paths []string, rate string, read []string) (*laid, error) {
	l := &laid{sources: map[string]mix.Source{}, known: map[string]*source.Known{}, files: map[string]string{}, order: map[string]int{}}
	if err := l.lay(cmd, paths, rate, read); err != nil {
		l.Close()
		return nil, err
	}
	return l, nil
}

func (l *laid) lay(cmd *cobra.Command, paths []string, rate string, read []string) error {
	var files []edit.Arrival
	said := map[string]bool{}
	for n, p := range paths {
		f, err := l.arrival(cmd.Context(), n, p)
		if err != nil {
			return err
		}
		if f.Read, err = readAs(read, f.Name, f.Channels, said); err != nil {
			return err
		}
		files = append(files, f)
	}
	for _, r := range read {
		if !said[r] {
			return UsageError{fmt.Errorf("--read %s: no file is called so (%s)", r, strings.Join(baseNames(paths), ", "))}
		}
	}
	if err := l.count(rate); err != nil {
		return err
	}
	takes, err := edit.Arrive(files, func(strands []string, likely int) (survey.Findings, error) {
		var channels []media.ChannelOf
		for _, s := range strands {
			channels = append(channels, media.ChannelOf{Path: l.sources[s].Path, Channel: l.sources[s].Channel})
		}
		return media.RelatePieces(cmd.Context(), channels, likely)
	})
	if err != nil {
		return err
	}
	starts, without := 0, []string{}
	for _, t := range takes {
		for _, s := range t.Asks {
			l.ask("undecided", "%s: it is not certain that %s (%s): say --read '%s=…'", t.Name, s.Says, s.Reason, filepath.Base(paths[fileOf(t.Strands[0].ID)]))
		}
		if !t.Certain && len(t.Readings) == 0 { // names of one layout's speakers say enough, and are said
			l.ask("proposed", "the files of %s are brought together because %s: give them one by one where that is wrong", t.Name, t.Why)
		}
		l.snags = append(l.snags, t.Snags...)
		if t.Start < 0 {
			without = append(without, t.Name)
		} else {
			starts++
		}
	}
	if len(without) > 0 {
		says := "%s does not say when it starts: it is laid %s"
		if names := strings.Join(without, ", "); starts > 0 {
			l.ask("no_start", says, names, "at the first start that another says")
		} else {
			l.snags = append(l.snags, snag.New("no_start", says, names, "at midnight, as all do"))
		}
	}
	empty := reel.New()
	empty.Weave = weave.Weave{Sends: map[string][]weave.Send{}}
	r, _, asked, err := edit.LayAll(empty, takes, l.rate.DaySamples(l.hertz), uuid.NewString)
	if err != nil {
		return err
	}
	if asked {
		l.ask("across_midnight", "no file says on which day it was recorded: those of after midnight are laid behind those of before it")
	}
	l.reel = r
	for _, t := range r.Tracks {
		if len(t.Clips) > 0 {
			l.files[t.ID] = filepath.Base(paths[fileOf(t.Clips[0].Strands[0])])
		}
	}
	return nil
}

// fileOf is which file a strand is of: strands are named by file and channel.
func fileOf(strand string) (n int) {
	_, _ = fmt.Sscanf(strand, "%d/", &n)
	return n
}

func baseNames(paths []string) (out []string) {
	for _, p := range paths {
		out = append(out, filepath.Base(p))
	}
	return out
}

// arrival opens a file.
func (l *laid) arrival(ctx context.Context, n int, p string) (edit.Arrival, error) {
	src, info, done, err := openSound(ctx, p)
	if err != nil {
		return edit.Arrival{}, snag.Refuse(snag.Of(err).Code, "%s: %w", p, err)
	}
	l.close = append(l.close, done)
	name := filepath.Base(p)
	f := edit.Arrival{File: take.File{Key: p, Name: name, Folder: filepath.Dir(p), Channels: src.Format.Channels, SampleRate: src.Format.SampleRate, Frames: src.Frames, Facts: src.Gather(name)}}
	switch {
	case info == nil:
		f.Mask = src.Format.Mask // a working copy's is ours, not the camera's
	default:
		facts := info.Facts()
		f.Facts.Fill(facts)
		if f.Facts.Start = facts.Start; !facts.Rate.Zero() {
			f.Facts.Rate = facts.Rate
		}
		for _, s := range info.Sound {
			g := take.StreamGroup{Channels: s.Channels}
			if s.Field != nil {
				g.Field, g.HeadLocked = true, s.Field.HeadLocked
			}
			f.Streams = append(f.Streams, g)
		}
	}
	if l.hertz == 0 {
		l.hertz, l.project = src.Format.SampleRate, f.Facts.Project
	}
	if src.Format.SampleRate != l.hertz {
		return f, snag.Refuse("rate_differs", "%s is at %d Hz and the files before it at %d Hz: convert it first", p, src.Format.SampleRate, l.hertz)
	}
	switch {
	case l.rate.Zero():
		l.rate = f.Facts.Rate
	case !f.Facts.Rate.Zero() && f.Facts.Rate != l.rate:
		l.snags = append(l.snags, snag.New("rate_differs", "%s counts its timecode at %s, and the files before it at %s", p, f.Facts.Rate, l.rate))
	}
	for c := range src.Format.Channels {
		id := fmt.Sprintf("%d/%d", n, c)
		l.order[id] = len(l.order)
		l.sources[id] = mix.Source{Path: src.Path(), Channel: c}
		f.Strands = append(f.Strands, id)
	}
	l.snags = append(l.snags, f.Facts.Snags...)
	f.Found = func() (survey.Findings, error) { return surveyed(ctx, src) }
	return f, nil
}

// surveyed finds out what the channels of a file hold.
func surveyed(ctx context.Context, src *source.Source) (survey.Findings, error) {
	s := survey.New(src.Format.Channels, src.Format.SampleRate, src.Frames, src.Format.Coding)
	const block = 1 << 20
	width, channels := src.Format.FrameBytes(), src.Format.Channels
	planar := audio.NewBlock(channels, max(1, block/width))
	part := make([][]float64, channels)
	err := src.EachBlock(ctx, block, func(raw []byte, _ int64) error {
		for c := range part {
			audio.DecodeChannel(planar[c], raw, src.Format.Coding, channels, c)
			part[c] = planar[c][:len(raw)/width]
		}
		s.Add(part)
		return nil
	})
	if err != nil {
		return survey.Findings{}, err
	}
	return s.Close(ctx)
}

// count settles the rate of the timecode: what files say counts, and --rate only where none does.
func (l *laid) count(rate string) error {
	if rate != "" {
		r, err := timecode.ParseRate(rate)
		if err != nil {
			return UsageError{err}
		}
		if l.rate.Zero() {
			l.rate = r
		} else if l.rate != r {
			l.snags = append(l.snags, snag.New("rate_differs", "the files count their timecode at %s: --rate %s is for files that don't say", l.rate, rate))
		}
	}
	if l.rate.Zero() {
		l.rate = timecode.Rate{Num: 25, Den: 1}
		l.snags = append(l.snags, snag.New("no_rate", "no file says at which rate its timecode counts: 25 frames a second are taken (option --rate)"))
	}
	return nil
}

// matches reports whether a name is like a pattern with * and ?, whatever the case.
func matches(pattern, name string) bool {
	ok, err := path.Match(strings.ToLower(pattern), strings.ToLower(name))
	return err == nil && ok
}

// readWays are the words that --read has for how the channels of a file are read.
const readWays = "pair, mid-side, apart, mix (of others: left off), 5.1, 5.1 film, 7.1, 7.1 film, 7.1 mask, field, fuma, a-format, each also as a layout such as LCR"

// readAs finds how the channels of a file are said to be read: the last --read that matches its name, with its extension or
// without.
func readAs(rules []string, name string, channels int, said map[string]bool) (*edit.Said, error) {
	var out *edit.Said
	for _, rule := range rules {
		pattern, way, ok := strings.Cut(rule, "=")
		if !ok {
			return nil, UsageError{fmt.Errorf("--read %s: expected a file's name, = and one of %s", rule, readWays)}
		}
		if !matches(pattern, name) && !matches(pattern, strings.TrimSuffix(name, filepath.Ext(name))) {
			continue
		}
		said[rule] = true
		way = strings.ToLower(strings.TrimSpace(way))
		if way == "mix" {
			out = &edit.Said{Mix: true}
			continue
		}
		if way == "apart" || way == "mono" || way == "separate" {
			out = &edit.Said{}
			continue
		}
		ways := take.WaysToRead(channels)
		i := slices.IndexFunc(ways, func(r take.Reading) bool { return slices.Contains(wordsOf(r), way) })
		if i < 0 {
			var words []string
			for _, r := range ways {
				words = append(words, wordsOf(r)[0])
			}
			return nil, snag.Refuse("bad_reading", "--read %s: %s has %s, which can be read as: %s", rule, name, count(channels, "channel"), strings.Join(append(words, "apart", "mix"), ", "))
		}
		out = &edit.Said{Readings: []take.Reading{ways[i]}}
	}
	return out, nil
}

// wordsOf are the words that --read has for a reading.
func wordsOf(r take.Reading) []string {
	switch r.Kind {
	case take.Stereo:
		return []string{"pair", "stereo"}
	case take.MidSide:
		return []string{"mid-side", "ms"}
	case take.Ambisonic:
		switch r.Norm {
		case take.FuMa:
			return []string{"fuma"}
		case take.AFormat:
			return []string{"a-format", "aformat"}
		}
		return []string{"field", "ambix", "ambisonic", "acn"}
	}
	l, _ := audio.LayoutOf(r.Order)
	for _, o := range l.Orders() {
		if speakers, err := audio.ParseOrder(o.Word, l.Count); err == nil && slices.Equal(speakers, r.Order) {
			if o.Word == "broadcast" {
				return []string{strings.ToLower(l.Name), strings.ToLower(l.Name) + " broadcast"}
			}
			return []string{strings.ToLower(l.Name) + " " + o.Word}
		}
	}
	return []string{strings.ToLower(l.Name)}
}

// use routes the tracks by a template; without one every track is a stem of its own.
func (l *laid) use(name string) error {
	if name == "" {
		r, err := delivery.AsSent(l.reel, func(strand string) int { return l.order[strand] }, uuid.NewString)
		l.reel = r
		return err
	}
	t, err := templateNamed(name)
	if err != nil {
		return err
	}
	tracks := l.reel.Routed()
	for i := range tracks {
		// What a label does not say, the file's name may.
		file := l.files[tracks[i].ID]
		tracks[i].Kind, tracks[i].Language = take.StemKind(file), take.Language(file)
	}
	w, lost, err := l.reel.Weave.Changed(weave.Change{Use: &weave.Use{Template: t}}, tracks, uuid.NewString)
	if err != nil {
		return err
	}
	l.reel.Weave = w
	for _, s := range lost {
		l.snags = append(l.snags, snag.New("no_place", "%s", s))
	}
	return nil
}

// route sends tracks where --route says: 'DX=Boom,Lav*' sends those that are called so to DX.
func (l *laid) route(rules []string) error {
	for _, rule := range rules {
		name, list, ok := strings.Cut(rule, "=")
		if !ok {
			return UsageError{fmt.Errorf("--route %s: expected a stem, = and names of tracks, such as 'DX=Boom,Lav*'", rule)}
		}
		i := slices.IndexFunc(l.reel.Weave.Buses, func(b weave.Bus) bool { return strings.EqualFold(b.Name, strings.TrimSpace(name)) })
		if i < 0 {
			var names []string
			for _, b := range l.reel.Weave.Buses {
				names = append(names, b.Name)
			}
			return snag.Refuse("no_such_bus", "--route %s: there is no stem or bus %s (%s)", rule, name, strings.Join(names, ", "))
		}
		to := l.reel.Weave.Buses[i]
		for _, pattern := range strings.Split(list, ",") {
			found := false
			for _, t := range l.reel.Tracks {
				file := l.files[t.ID]
				if !matches(strings.TrimSpace(pattern), t.Label) && !matches(strings.TrimSpace(pattern), strings.TrimSuffix(file, filepath.Ext(file))) {
					continue
				}
				found = true
				sends := l.reel.Weave.Rerouted(t.Route(), to)
				if sends == nil {
					return snag.Refuse("bad_patch", "--route %s: %s (%s) has no way into %s (%s) by itself", rule, t.Label, t.Layout, to.Name, to.Layout)
				}
				r, _, err := reel.Apply(l.reel, []reel.Op{{SetSends: &reel.SetSends{From: t.ID, Sends: sends}}})
				if err != nil {
					return err
				}
				l.reel = r
			}
			if !found {
				var labels []string
				for _, t := range l.reel.Tracks {
					labels = append(labels, t.Label)
				}
				return snag.Refuse("no_such_track", "--route %s: no track is called %s (%s)", rule, strings.TrimSpace(pattern), strings.Join(labels, ", "))
			}
		}
	}
	return nil
}

// trackSaid is a track as deliver says it.
type trackSaid struct {
	Label  string `json:"label"`
	File   string `json:"file"`
	Layout string `json:"layout"`
	Ways   string `json:"ways"` // where it goes and how, with its level
}

// tracks says of every track where it goes, how, and at which level.
func (l *laid) tracks() []trackSaid {
	out := []trackSaid{}
	for _, t := range l.reel.Tracks {
		ways := l.reel.Weave.Ways(t.Route())
		if t.Off {
			ways = "left off: a mix of the others"
		}
		out = append(out, trackSaid{t.Label, l.files[t.ID], t.Layout, ways})
	}
	return out
}
