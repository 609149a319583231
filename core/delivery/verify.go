package delivery

import (
	"cmp"
	"context"
	"fmt"
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"strings"

	"zestyloom/core/audio"
	"zestyloom/core/mhl"
	"zestyloom/core/naming"
	"zestyloom/core/picture"
	"zestyloom/core/snag"
	"zestyloom/core/source"
	"zestyloom/core/take"
	"zestyloom/core/timecode"
)

// Checking says what files of anybody are held against.
type Checking struct {
	Spec    Spec
	Packing string        // empty for the one that fits the files best
	Rate    timecode.Rate // of the timecode, where no file says it; zero for not known
	// Dir is the folder that files are named from, and whose hash list is looked at.
	Dir      string
	Progress func(done, total int64)
}

// Checked is what came of it.
type Checked struct {
	Spec    string `json:"spec"`
	Packing string `json:"packing"`
	Start   int64  `json:"start_samples"` // -1 where no file says it
	Frames  int64  `json:"frames"`
	Proof
}

// Verify holds files against a spec: which there are and what they are named, what each holds, one start and one length
// for all, tones, loudness, what they say of themselves; and against the hash list that lies beside them.
func Verify(ctx context.Context, files []string, o Checking) (Checked, error) {
	if err := o.Spec.Check(); err != nil {
		return Checked{}, err
	}
	if len(files) == 0 {
		return Checked{}, snag.Refuse("no_files", "there is no file to check")
	}
	tmp, err := os.MkdirTemp("", "zestyloom-*")
	if err != nil {
		return Checked{}, err
	}
	defer os.RemoveAll(tmp)
	seen := make([]found, len(files))
	defer func() {
		for _, f := range seen {
			for _, s := range f.sources {
				s.Close()
			}
		}
	}()
	for i, path := range files {
		seen[i] = look(ctx, path, tmp)
		if ctx.Err() != nil {
			return Checked{}, ctx.Err()
		}
	}
	var best *judged
	for _, p := range o.Spec.Packings {
		if o.Packing != "" && p.ID != o.Packing {
			continue
		}
		if j := o.judge(p, seen); best == nil || j.amiss() < best.amiss() {
			best = j
		}
	}
	if best == nil {
		return Checked{}, snag.Refuse("bad_packing", "the spec %s has no packing %q", o.Spec.Name, o.Packing)
	}
	return best.measure(ctx, o)
}

// found is what a file is.
type found struct {
	path      string
	err       error
	container string
	info      *picture.Info
	facts     source.Facts
	sources   []*source.Source // of each stream
	channels  int
	coding    string
	rate      int
	frames    int64
}

// look opens a file; what can't be opened says so in err.
func look(ctx context.Context, path, tmp string) (f found) {
	f.path = path
	src, err := source.Open(path)
	if err == nil {
		f.sources, f.container, f.facts = []*source.Source{src}, src.Container, src.Gather(filepath.Base(path))
		f.channels, f.coding, f.rate, f.frames = src.Format.Channels, src.Format.Coding.String(), src.Format.SampleRate, src.Frames
		return f
	}
	if f.err = err; snag.Of(err).Code != "picture_file" {
		return f
	}
	if f.info, f.err = picture.Probe(ctx, path); f.err != nil {
		return f
	}
	if f.container, f.facts = f.info.Container, f.info.Facts(); len(f.info.Sound) == 0 {
		return f // a picture alone, which a rule may ask for
	}
	if tmp, f.err = os.MkdirTemp(tmp, "streams-*"); f.err != nil {
		return f
	}
	parts, err := f.info.Streams(ctx, path, tmp)
	if f.err = err; err != nil {
		return f
	}
	for n, part := range parts {
		src, err := source.Open(part)
		if f.err = err; err != nil {
			return f
		}
		f.sources = append(f.sources, src)
		f.channels += src.Format.Channels
		f.coding, f.rate, f.frames = src.Format.Coding.String(), src.Format.SampleRate, max(f.frames, src.Frames)
		if f.info.Sound[n].Lossy {
			f.coding = f.info.Sound[n].Codec
		}
	}
	return f
}

// judged is a packing as files meet it.
type judged struct {
	Checked
	plan  Plan
	files []found
	of    []int // of the plan's files, the number in files
}

func (j *judged) amiss() (n int) {
	for _, f := range j.Files {
		for _, c := range f.Checks {
			if !c.OK {
				n++
			}
		}
	}
	return n
}

// judge holds what files are against the rules of a packing.
func (o Checking) judge(p Packing, seen []found) *judged {
	j := &judged{Checked: Checked{Spec: o.Spec.Name, Packing: p.ID, Start: -1}, files: seen}
	j.plan = Plan{Order: Order{Spec: o.Spec, Packing: p.ID}, Rate: o.Rate, Rates: Rates{o.Spec.SampleRate, o.Spec.SampleRate}}
	for _, f := range seen {
		if f.err == nil && f.facts.Start >= 0 && j.Start < 0 {
			j.Start = f.facts.Start
		}
		if j.plan.Rate.Zero() {
			j.plan.Rate = f.facts.Rate
		}
		j.Frames = max(j.Frames, f.frames)
	}
	j.plan.Frames = j.Frames
	taken := make([]bool, len(seen))
	// Rules for one file go first: those for many take what is left.
	for _, single := range []bool{true, false} {
		for _, rule := range p.Files {
			if single == (rule.Each == EachNone) {
				j.rule(o, rule, taken)
			}
		}
	}
	for i, f := range seen {
		if !taken[i] {
			fp := j.file(o, f)
			fp.check("named as the spec says", "yes", "no rule of the spec names a file so")
			j.Files = append(j.Files, *fp)
		}
	}
	j.place(o)
	return j
}

// named reports whether a file has a name that a rule makes. A reel that has no name leaves it out of names: that is taken where
// the file itself says of which production it is, and is named so.
func (o Checking) named(rule FileRule, f found) bool {
	base := filepath.Base(f.path)
	if o.pattern(rule, false).MatchString(base) {
		return true
	}
	of := naming.Clean(f.facts.Project)
	if o.Spec.Names.Letters == "plain" {
		of = plain(f.facts.Project)
	}
	return f.err == nil && f.facts.Project != "" && strings.HasPrefix(base, of) && o.pattern(rule, true).MatchString(base)
}

// pattern is what names that a rule makes look like; nameless where the reel may have no name.
func (o Checking) pattern(rule FileRule, nameless bool) *regexp.Regexp {
	var b strings.Builder
	b.WriteString(`^`)
	rest := rule.Name
	firm := false // something stands in front for certain: before that, separators go with what is empty
	between := func(sep string) string {
		if sep == "" || firm {
			return sep
		}
		return `(?:` + sep + `)?`
	}
	literal := func(text string) {
		plain := strings.TrimLeft(text, "_-. ")
		b.WriteString(between(o.literal(text[:len(text)-len(plain)])) + o.literal(plain))
		firm = firm || plain != ""
	}
	for rest != "" {
		i := strings.IndexByte(rest, '{')
		if i < 0 {
			literal(rest)
			break
		}
		before := rest[:i]
		plain := strings.TrimRight(before, "_-. ")
		literal(plain)
		// An empty field takes the separator before it along.
		sep := between(o.literal(before[len(plain):]))
		k := strings.IndexByte(rest, '}')
		field := rest[i+1 : k]
		if field == "reel" && nameless {
			field = "episode" // which may be without a name
		}
		switch field {
		case "number":
			b.WriteString(`(?:` + sep + `\d{2,3})?`)
		case "version":
			b.WriteString(`(?:` + sep + `v\d+)`)
			firm = true
		case "date":
			b.WriteString(`(?:` + sep + `\d{8})?`)
		case "bus":
			if len(rule.Groups) == 1 && rule.Groups[0].Bus != "" {
				b.WriteString(`(?:` + sep + o.literal(rule.Groups[0].Bus) + `)`)
				firm = true
				break
			}
			fallthrough
		case "production", "reel", "stem", "part", "track", "spec": // no file is without
			b.WriteString(`(?:` + sep + `.+?)`)
			firm = true
		default:
			b.WriteString(`(?:` + sep + `.+?)?`)
		}
		rest = rest[k+1:]
	}
	b.WriteString(`(?:_TEST|_CUT_\d{8})?` + regexp.QuoteMeta(Containers[rule.Container].Extension) + `$`)
	return regexp.MustCompile(b.String())
}

// literal is what stands between fields, as a name has it.
func (o Checking) literal(s string) string {
	if o.Spec.Names.Letters == "plain" {
		s = plain(s)
	}
	return regexp.QuoteMeta(s)
}

// rule holds files against one rule: those whose names it makes, or that are of its container where none of those is there.
func (j *judged) rule(o Checking, rule FileRule, taken []bool) {
	want := 0
	fixed, rest := rule.fixed()
	for _, g := range fixed {
		l, _ := audio.ParseLayout(g.Layout)
		want += l.Count
	}
	switch {
	case rest || rule.Picture == PictureAlone:
		want = 0
	case rule.Each == EachNone && !rule.Split:
		if want == 0 {
			want = len(o.Spec.Outputs)
		}
	case rule.Each == EachOutput || rule.Split:
		want = 1
	case rule.Layout != "":
		l, _ := audio.ParseLayout(rule.Layout)
		want = l.Count
	}
	single := rule.Each == EachNone && !rule.Split
	number := 0 // files that this rule has
	var set []Channel
	var names []string
	for _, g := range fixed {
		set = append(set, expected(g)...)
	}
	if rule.Each == EachOutput || single && len(rule.Groups) == 0 && rule.Picture != PictureAlone {
		names = o.Spec.Outputs
	}
	alike := false // some file is named so, and is another rule's
	for _, f := range seenInOrder(j.files) {
		base := filepath.Base(j.files[f].path)
		if !o.named(rule, j.files[f]) {
			continue
		}
		mixed := take.GuessStem(base) == "Full mix" || take.GuessStem(base) == "M&E"
		if taken[f] || single && number > 0 || rule.Each == EachStem && mixed || want > 0 && j.files[f].err == nil && j.files[f].channels != want && len(o.Spec.Packings) > 1 {
			alike = true
			continue
		}
		taken[f] = true
		fp := j.file(o, j.files[f])
		fp.check("named as the spec says", "yes", "yes")
		var channels []Channel
		switch {
		case rule.Split && number < len(set):
			k := splitIndex(rule, number)
			if sp := source.ParseName(j.files[f].path).Speaker; sp != "" {
				if m := slices.IndexFunc(set, func(c Channel) bool { return c.Speaker == string(sp) }); m >= 0 {
					k = m
				}
			}
			channels = set[k : k+1]
		case single && len(set) > 0:
			channels = inFileOrder(rule, set)
		case rule.Each == EachOutput && number < len(names):
			channels = []Channel{{Name: names[number], Output: number}}
		case single:
			for _, name := range names {
				channels = append(channels, Channel{Name: name})
			}
		}
		j.facts(o, fp, rule, j.files[f], want, channels)
		number++
		j.Files = append(j.Files, *fp)
	}
	missing := 0
	switch {
	case single:
		missing = 1 - number
	case rule.Split && len(set) > 0:
		missing = len(set) - number
	case rule.Each == EachOutput && len(o.Spec.Outputs) > 0:
		missing = len(o.Spec.Outputs) - number
	case number == 0 && !alike:
		missing = 1
	}
	if missing != 0 {
		fp := &FileProof{Name: rule.Name + Containers[rule.Container].Extension, Checks: []Check{}, Channels: []ChannelProof{}}
		fp.check("files of this rule", number+missing, number)
		j.Files = append(j.Files, *fp)
	}
}

func seenInOrder(files []found) []int {
	out := make([]int, len(files))
	for i := range out {
		out[i] = i
	}
	slices.SortFunc(out, func(a, b int) int { return strings.Compare(files[a].path, files[b].path) })
	return out
}

// layoutNamed is the layout that channels of which nothing else is known are by their names: one, two, or the speakers of a surround in
// their order. More that are not named so are no layout, but several things beside each other.
func layoutNamed(channels []Channel) string {
	switch len(channels) {
	case 1:
		return "mono"
	case 2:
		return "stereo"
	}
	var speakers []audio.Speaker
	for _, c := range channels {
		_, sp := take.LabelSpeaker(c.Name)
		if sp == "" {
			sp = audio.Speaker(c.Speaker)
		}
		speakers = append(speakers, sp)
	}
	if l, ok := audio.LayoutOf(speakers); ok && slices.Equal(l.Speakers, speakers) {
		return l.Name
	}
	return ""
}

// fixed are the groups of a rule before the first that stands for others, whose channels lie where they are known to; rest says
// that there is such a one.
func (f FileRule) fixed() (list []Group, rest bool) {
	i := slices.IndexFunc(f.Groups, func(g Group) bool { return g.Each != EachNone })
	if i < 0 {
		return f.Groups, false
	}
	return f.Groups[:i], true
}

// apart says of a file whether it has the picture and the sound that a rule asks for.
func (fp *FileProof) apart(rule FileRule, f found) {
	there := func(yes bool) string {
		if yes {
			return "there"
		}
		return "none"
	}
	fp.check("sound", there(rule.Picture != PictureAlone), there(len(f.sources) > 0))
	if rule.Picture != PictureAlong {
		fp.check("picture", there(rule.Picture == PictureAlone), there(f.info != nil && f.info.Picture != nil))
	}
}

// expected are the channels of a group as files name them.
func expected(g Group) (out []Channel) {
	l, _ := audio.ParseLayout(g.Layout)
	for c := range l.Count {
		ch := Channel{Speaker: speaker(l, c)}
		if g.Bus != "" {
			if ch.Name = g.Bus; l.Count > 1 {
				ch.Name += " " + l.Channel(c)
			}
		} else {
			ch.Name = g.Outputs[c]
		}
		out = append(out, ch)
	}
	return out
}

// inFileOrder puts the channels of a rule's groups in the order in which they stand in its file.
func inFileOrder(rule FileRule, set []Channel) (out []Channel) {
	first := 0
	fixed, _ := rule.fixed()
	for _, g := range fixed {
		l, _ := audio.ParseLayout(g.Layout)
		order, _ := rule.order(l)
		for _, k := range order {
			out = append(out, set[first+k])
		}
		first += l.Count
	}
	return out
}

// splitIndex is which channel of a rule's groups, in the order of their layouts, is the n-th file.
func splitIndex(rule FileRule, n int) int {
	first := 0
	for _, g := range rule.Groups {
		l, _ := audio.ParseLayout(g.Layout)
		if n < first+l.Count {
			order, _ := rule.order(l)
			return first + order[n-first]
		}
		first += l.Count
	}
	return n
}

// file begins the report of a file.
func (j *judged) file(o Checking, f found) *FileProof {
	name := f.path
	if rel, err := filepath.Rel(o.Dir, f.path); err == nil && o.Dir != "" && !strings.HasPrefix(rel, "..") {
		name = filepath.ToSlash(rel)
	}
	fp := &FileProof{Name: name, Checks: []Check{}, Channels: []ChannelProof{}}
	if st, err := os.Stat(f.path); err == nil {
		fp.Bytes = st.Size()
	}
	if f.err != nil {
		fp.check("readable", "yes", snag.Of(f.err).Message)
	}
	return fp
}

// facts compares what a file is with what a rule says, and takes it into the plan that is measured.
func (j *judged) facts(o Checking, fp *FileProof, rule FileRule, f found, want int, channels []Channel) {
	s := o.Spec
	base := filepath.Base(f.path)
	if s.Names.Letters == "plain" {
		stem := strings.TrimSuffix(base, filepath.Ext(base))
		fp.check("letters of its name", plain(stem), stem)
	}
	if s.Names.Most > 0 {
		says := "yes"
		if n := len([]rune(base)); n > s.Names.Most {
			says = fmt.Sprintf("%d", n)
		}
		fp.check(fmt.Sprintf("at most %d letters", s.Names.Most), "yes", says)
	}
	if f.err != nil {
		return
	}
	file := File{Name: fp.Name, Container: rule.Container, Coding: s.codingOf(rule)}
	fp.container(file, f.container)
	if rule.Picture != PictureAlong || len(f.sources) == 0 {
		fp.apart(rule, f)
	}
	if rule.Picture == PictureAlone || len(f.sources) == 0 {
		return
	}
	if want > 0 {
		fp.check("channels", want, f.channels)
	}
	fp.check("sample rate", s.SampleRate, f.rate)
	fp.check("coding", s.codingOf(rule), f.coding)
	fp.check("length in frames, the same as all", j.Frames, f.frames)
	carries := !Containers[rule.Container].Bare && !(s.Metadata.NoBext && s.Metadata.NoIXML) && (f.info == nil || f.info.Timecode != "")
	if carries {
		fp.check("start, the same as all", j.startSays(j.Start), j.startSays(f.facts.Start))
	}
	if Containers[rule.Container].Broadcast && !s.Metadata.NoBext {
		fp.check("bext chunk", "there", map[bool]string{true: "there", false: "missing"}[f.sources[0].Bext != nil])
	}
	if s.Metadata.ADM && Containers[rule.Container].Described {
		found := "missing"
		if scene, err := f.sources[0].Scene(); err != nil {
			found = err.Error()
		} else if scene != nil && len(scene.Elements) > 0 {
			found = "there"
		}
		fp.check("description (ADM)", "there", found)
	}
	if f.info != nil {
		var widths []int
		var groups []FileGroup
		fixed, rest := rule.fixed()
		for _, g := range fixed {
			l, _ := audio.ParseLayout(g.Layout)
			groups = append(groups, FileGroup{Name: cmp.Or(g.Name, g.Bus), Layout: g.Layout, Count: l.Count, HeadLocked: g.HeadLocked})
		}
		streams := streamsOf(groups)
		for _, st := range streams {
			widths = append(widths, st.count)
		}
		if found := f.info.Groups(); rest || len(rule.Groups) == 0 { // of others it is not known how many there are
			fp.check("first sound streams", groupsSay(widths), groupsSay(found[:min(len(widths), len(found))]))
		} else {
			fp.check("sound streams", groupsSay(widths), groupsSay(found))
		}
		for n, st := range streams {
			if n >= len(f.info.Sound) {
				break
			}
			// One that has no name, or is to have none, is not held to it.
			if s := f.info.Sound[n]; st.name != "" && s.Title != "" {
				fp.check(fmt.Sprintf("name of stream %d", n+1), st.name, s.Title)
			}
			if Containers[rule.Container].Fields && st.field != nil {
				fp.check(fmt.Sprintf("mark of stream %d as a sound field", n+1), fieldSays(st.field), fieldSays(f.info.Sound[n].Field))
			}
		}
	}
	if f.info == nil && len(channels) == f.channels {
		for c, ch := range channels {
			// A file that names no channel is not held to names.
			if label := f.facts.Tracks[c].Label; label != "" && f.facts.Tracks[c].LabelSource != "name" {
				fp.check(fmt.Sprintf("name of channel %d", c+1), ch.Name, label)
			}
		}
	}
	if s.Metadata.Mask && f.info == nil && len(rule.Groups) == 1 && !rule.Split && Containers[rule.Container].Mask {
		l, _ := audio.ParseLayout(rule.Groups[0].Layout)
		fp.check("channel mask", fmt.Sprintf("%#x", l.Mask), fmt.Sprintf("%#x", f.sources[0].Format.Mask))
	}
	fp.check("snags on reading", 0, len(f.facts.Snags))
	if f.rate != s.SampleRate {
		return // nothing of it can be measured as the spec's
	}
	j.measured(rule, file, f, channels)
}

func (j *judged) startSays(start int64) string {
	if start < 0 {
		return "none"
	}
	if j.plan.Rate.Zero() {
		return fmt.Sprintf("sample %d", start)
	}
	return j.plan.startSays(start)
}

// measured takes a file into the plan that is measured, in its groups.
func (j *judged) measured(rule FileRule, file File, f found, channels []Channel) {
	if len(channels) != f.channels {
		channels = nil
		for c, t := range f.facts.Tracks {
			_, sp := take.LabelSpeaker(t.Label)
			channels = append(channels, Channel{Name: t.Label, Speaker: string(sp), Number: c + 1})
		}
	}
	file.Channels = channels
	index := len(j.plan.Files)
	fixed, _ := rule.fixed()
	add := func(name string, l audio.Layout, places []Place) {
		set := Measured{Name: name, Layout: l.Name, Places: places}
		// Roles are not in files: what is named like a mix is one.
		switch take.GuessStem(name) {
		case "Full mix", "M&E":
			set.Role = "mix"
		case "":
		default:
			set.Role = "stem"
		}
		j.plan.Sets = append(j.plan.Sets, set)
	}
	groups := fixed
	switch {
	case rule.Split && len(groups) == 1:
		l, _ := audio.ParseLayout(groups[0].Layout)
		k := slices.IndexFunc(expected(groups[0]), func(c Channel) bool { return c.Name == channels[0].Name })
		name := groupName(groups[0])
		s := slices.IndexFunc(j.plan.Sets, func(m Measured) bool { return m.Name == name })
		if s < 0 {
			add(name, l, make([]Place, l.Count))
			s = len(j.plan.Sets) - 1
			for c := range l.Count {
				j.plan.Sets[s].Places[c].File = -1
			}
		}
		if k >= 0 {
			j.plan.Sets[s].Places[k] = Place{File: index}
		}
	case len(rule.Groups) > 0 && !rule.Split:
		first := 0
		for _, g := range groups {
			l, _ := audio.ParseLayout(g.Layout)
			order, _ := rule.order(l)
			places := make([]Place, l.Count)
			for c, k := range order {
				places[k] = Place{index, first + c}
			}
			first += l.Count
			file.Groups = append(file.Groups, FileGroup{groupName(g), g.Layout, l.Count, g.HeadLocked})
			if first <= f.channels {
				add(groupName(g), l, places)
			}
		}
	default:
		layout := rule.Layout
		if layout == "" {
			layout = layoutNamed(channels)
		}
		if l, err := audio.ParseLayout(layout); err == nil && l.Count == f.channels && rule.Each != EachOutput {
			name, _ := take.LabelSpeaker(channels[0].Name)
			if name == "" {
				name = strings.TrimSuffix(filepath.Base(file.Name), filepath.Ext(file.Name))
			}
			var places []Place
			for c := range l.Count {
				places = append(places, Place{index, c})
			}
			add(name, l, places)
		}
	}
	j.plan.Files, j.of = append(j.plan.Files, file), append(j.of, len(j.Files))
}

func groupName(g Group) string {
	switch {
	case g.Name != "":
		return g.Name
	case g.Bus != "":
		return g.Bus
	}
	return shared(g.Outputs)
}

// place works out where the programme lies, and holds its start against the spec's.
func (j *judged) place(o Checking) {
	shape := o.Spec.Programme
	p := &j.plan
	if p.Start = max(0, j.Start); len(shape.Before)+len(shape.After) == 0 && shape.Start == "" && !shape.WholeFrames {
		return
	}
	if p.Rate.Zero() {
		j.Notes = append(j.Notes, "no file says at which rate its timecode counts: where programme begins, and what stands before and after it, was not looked at")
		return
	}
	frames := func(segments []Segment) (n int64) {
		for _, s := range segments {
			n += p.framesIn(s.Seconds)
		}
		return n
	}
	programme := p.at(p.Start, frames(shape.Before), p.Rates.Files)
	p.Lead = programme - p.Start
	// The end is found from the back: what stands after programme begins a whole number of frames before it.
	last := p.at(p.Start+p.Frames, -frames(shape.After), p.Rates.Files)
	p.Tail = p.Start + p.Frames - last
	if p.Lead+p.Tail >= p.Frames {
		j.Notes = append(j.Notes, "the files are shorter than what has to stand before and after programme")
		p.Lead, p.Tail = 0, 0
		return
	}
	fp := &FileProof{Name: "all files", Checks: []Check{}, Channels: []ChannelProof{}}
	if shape.Start != "" {
		says := "not known"
		if j.Start >= 0 {
			says = p.Rate.FormatSamples(programme, int64(p.Rates.Files))
		}
		fp.check("start of programme", shape.Start, says)
	}
	if shape.WholeFrames {
		whole := "no"
		if n := p.Rate.FrameAt(last-programme, int64(p.Rates.Files)); p.at(programme, n, p.Rates.Files) == last {
			whole = "yes"
		}
		fp.check("programme is whole frames", "yes", whole)
	}
	if len(fp.Checks) > 0 {
		j.Files = append(j.Files, *fp)
	}
	p.tones(programme, last)
}

// measure reads all files at once, measures them and looks for tones.
func (j *judged) measure(ctx context.Context, o Checking) (Checked, error) {
	var readings []*reading
	for i := range j.plan.Files {
		fp := &j.Files[j.of[i]]
		f := j.byName(fp.Name, o)
		first := 0
		for c, ch := range j.plan.Files[i].Channels {
			fp.Channels = append(fp.Channels, ChannelProof{Channel: c + 1, Name: ch.Name, FirstAt: -1, OK: true})
		}
		for n, src := range f.sources {
			r := newReading(i, fp, src, first, src.Format.Channels)
			r.decoded, r.lossy = f.info != nil, f.info != nil && f.info.Sound[n].Lossy
			r.bext = src.Bext
			first += src.Format.Channels
			readings = append(readings, r)
		}
	}
	j.plan.Sets = slices.DeleteFunc(j.plan.Sets, func(s Measured) bool {
		return slices.ContainsFunc(s.Places, func(at Place) bool { return at.File < 0 })
	})
	heard := j.plan.listen(func(int) bool { return true })
	tones := j.plan.toneMeters()
	run := func() error {
		return j.plan.readThrough(ctx, readings, func(r *reading, at int64, n int) {
			heard.heard(r.index, r.first, r.count, r.got[:r.read0], r.coding, at, n)
			tones.heard(r, at, n)
			r.sounding(j.plan, at, n)
		}, func(at int64, n int) {
			heard.add(at, n)
			if o.Progress != nil {
				o.Progress(at+int64(n), j.Frames)
			}
		})
	}
	if err := hashed(readings, run)(); err != nil {
		return Checked{}, err
	}
	for _, r := range readings {
		r.finish(j.plan, heard)
		if r.decoded && r.fp.Hash == "" {
			f := j.byName(r.fp.Name, o)
			if err := r.fp.hash(f.path); err != nil {
				return Checked{}, err
			}
		}
	}
	if len(j.plan.Files) > 0 {
		proof := Proof{Files: make([]FileProof, len(j.plan.Files))}
		for i := range proof.Files {
			proof.Files[i] = j.Files[j.of[i]]
		}
		tones.judge(j.plan, &proof)
		for i := range proof.Files {
			j.Files[j.of[i]] = proof.Files[i]
		}
	}
	j.Measures = j.plan.measures(heard)
	j.twins(readings)
	if err := j.listed(o); err != nil {
		return Checked{}, err
	}
	j.Proof.judge()
	return j.Checked, nil
}

func (j *judged) byName(name string, o Checking) found {
	for _, f := range j.files {
		if j.file(o, f).Name == name {
			return f
		}
	}
	return found{}
}

// twins finds channels of stems of two kinds that hold the same sound, as where one was replaced by a copy of another: no list of hashes
// is needed for that. Silence of programme, dithered or not and whatever stands around it, is no sound, and a mix may well be one of its
// stems.
func (j *judged) twins(readings []*reading) {
	type channel struct{ kind, name string }
	first := map[string]channel{} // by what it holds
	for _, r := range readings {
		f := j.plan.Files[r.index]
		for c := range r.count {
			found := &r.fp.Channels[r.first+c]
			if found.Hash == "" || r.inside[c].Silent() {
				continue
			}
			name := f.Channels[r.first+c].Name
			kind := take.StemKind(name)
			if kind == "" {
				kind = take.StemKind(f.Name)
			}
			if kind == "" {
				continue
			}
			now := channel{kind, name + " of " + filepath.Base(f.Name)}
			was, there := first[found.Hash]
			switch {
			case !there:
				first[found.Hash] = now
			case was.kind != kind:
				r.fp.check("the sound of "+name, "its own", "the same as "+was.name+", sample by sample")
			}
		}
	}
}

// listed holds the files against the hash lists in the folder.
func (j *judged) listed(o Checking) error {
	if o.Dir == "" {
		return nil
	}
	lists, err := filepath.Glob(filepath.Join(o.Dir, "*.mhl"))
	if err != nil {
		return err
	}
	for _, path := range lists {
		f, err := os.Open(path)
		if err != nil {
			return err
		}
		l, err := mhl.Read(f)
		f.Close()
		if err != nil {
			j.Notes = append(j.Notes, filepath.Base(path)+": "+snag.Of(err).Message)
			continue
		}
		for i := range j.Files {
			e, ok := l.Find(j.Files[i].Name)
			for _, h := range e.Hashes {
				if ok && h.Kind == "xxh64" && j.Files[i].Hash != "" {
					j.Files[i].check("hash, by "+filepath.Base(path), h.Value, j.Files[i].Hash)
				}
			}
		}
		for _, e := range l.Entries {
			if !slices.ContainsFunc(j.Files, func(f FileProof) bool { return f.Name == e.Path }) {
				fp := FileProof{Name: e.Path, Checks: []Check{}, Channels: []ChannelProof{}}
				fp.check("listed in "+filepath.Base(path), "there", "missing")
				if _, err := os.Stat(filepath.Join(o.Dir, e.Path)); err != nil {
					j.Files = append(j.Files, fp)
				}
			}
		}
	}
	return nil
}
