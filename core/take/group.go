// Package take has the takes of a production: which files are one take, what their strands hold
// and are called, and how they are written down in sound reports.
//
// A poly file is a take by itself. Mono files are one when they are of one family, or of one scene
// and take, or share a name up to a trailing channel. What the files say decides; where they
// contradict each other or say little, the grouping is a proposal, with its reasons, until a person
// has looked at it.
package take

import (
	"fmt"
	"regexp"
	"slices"
	"strings"

	"zestyloom/core/audio"
	"zestyloom/core/snag"
	"zestyloom/core/source"
)

// File is one file as far as grouping goes.
type File struct {
	Key        string // the caller's name for it
	Name       string // of the file
	Folder     string // it came in, empty when that is not known; files of different folders are of different takes
	Channels   int
	SampleRate int
	Frames     int64
	Facts      source.Facts
	// Pin is the caller's name for the take that a person has put the file into; files of one pin
	// stay together. Alone says that it is to stay there by itself.
	Pin   string
	Alone bool
}

// LengthTolerance is how many samples the members of a set may differ in length: recorders close
// their files one after another.
const LengthTolerance = 64

// Keys names the sets of mono files that a file may belong to, the strongest first: the family, the
// scene and take, the name, the series of finished files that it may be numbered in. Files that share
// any are candidates for one take. There are none for files that are takes by themselves.
func Keys(f File) []string {
	keys := keysOf(f)
	if f.Folder != "" {
		for i := range keys {
			keys[i] += fmt.Sprintf(" in %q", f.Folder)
		}
	}
	return keys
}

func keysOf(f File) []string {
	if f.Channels != 1 {
		return nil
	}
	var keys []string
	if f.Facts.Family != "" {
		keys = append(keys, "family "+f.Facts.Family)
	}
	if f.Facts.Scene != "" && f.Facts.Take != "" {
		keys = append(keys, fmt.Sprintf("take %q %q %q", f.Facts.Scene, f.Facts.Take, f.Facts.Roll))
	}
	if n := source.ParseName(f.Name); n.Number != 0 || n.Speaker != "" {
		keys = append(keys, fmt.Sprintf("name %q", strings.ToLower(n.Stem)))
		if n.Place > 0 {
			keys = append(keys, fmt.Sprintf("series %q", strings.ToLower(n.Series)))
		}
	}
	return keys
}

// series finds the files whose names number them in the order of a layout, as MX_1_L, MX_2_C, MX_3_R do, and
// gives each the key of its series. A number before a speaker is a reel's or an episode's as often, so it
// takes three files, each with a number and a speaker of its own, and the speakers of one layout.
func series(files []File) map[string]string {
	sets := map[string][]File{}
	for _, f := range files {
		if keys := Keys(f); len(keys) == 2 && strings.HasPrefix(keys[0], "name ") && f.Pin == "" {
			key := fmt.Sprintf("%s at %d", keys[1], f.SampleRate)
			sets[key] = append(sets[key], f)
		}
	}
	out := map[string]string{}
	for key, set := range sets {
		if !oneLayout(set) {
			continue
		}
		for _, f := range set {
			out[f.Key] = key
		}
	}
	return out
}

func oneLayout(set []File) bool {
	places, speakers := map[int]bool{}, map[audio.Speaker]bool{}
	for _, f := range set {
		n := source.ParseName(f.Name)
		places[n.Place], speakers[n.Speaker] = true, true
	}
	if len(set) < 3 || len(places) != len(set) || len(speakers) != len(set) {
		return false
	}
	return slices.ContainsFunc(audio.Layouts, func(l audio.Layout) bool {
		for s := range speakers {
			if !slices.Contains(l.Speakers, s) {
				return false
			}
		}
		return true
	})
}

// SetStem is what the names of a set's files have in common.
func SetStem(names ...string) string {
	first, series := source.ParseName(names[0]), true
	for _, name := range names[1:] {
		series = series && strings.EqualFold(source.ParseName(name).Series, first.Series)
		if strings.EqualFold(source.ParseName(name).Stem, first.Stem) {
			return first.Stem
		}
	}
	if len(names) > 1 && series && first.Series != "" {
		return first.Series
	}
	return first.Stem
}

// Names are the names of a group's files, in the order of its members.
func (g Group) Names() []string {
	out := make([]string, len(g.Members))
	for i, m := range g.Members {
		out[i] = m.Name
	}
	return out
}

// numbers are the channel numbers in the names of a set, in its order: 0 where a name has none.
func numbers(set []File) []int {
	out := make([]int, len(set))
	places := len(set) > 1 && oneLayout(set)
	for i, f := range set {
		n := source.ParseName(f.Name)
		if out[i] = n.Number; places {
			out[i] = n.Place
		}
	}
	return out
}

// Group is a take that is made, or proposed, of files.
type Group struct {
	Members []Member // in the order of their channels
	Pin     string   // of its members, empty when nobody has placed any
	Why     string   // what makes the files one take
	Certain bool     // nothing about it needs a person's eye
	Frames  int64    // of the shortest member
	Longest int64
	Missing bool   // whether a member is known to be absent
	Layout  string // the layout that the members' speakers form, empty when they form none
	Field   string // the norm that the members are a sound field in, empty when they are none
	Order   string // the order of the members in words
	Stem    string // what their names say they are, see GuessStem
	Snags   []snag.Snag
}

// Member is a file in a group.
type Member struct {
	File
	Why string // why it belongs
}

// Groups sorts files into takes: every file is in exactly one. The answer does not depend on the
// order in which the files are given.
func Groups(files []File) []Group {
	files = slices.Clone(files)
	slices.SortFunc(files, func(a, b File) int {
		if c := strings.Compare(a.Name, b.Name); c != 0 {
			return c
		}
		return strings.Compare(a.Key, b.Key)
	})
	var groups []Group
	var order []string
	sets := map[string][]File{}
	put := func(key string, f File) {
		if sets[key] == nil {
			order = append(order, key)
		}
		sets[key] = append(sets[key], f)
	}
	pinned := map[string]string{} // set key to the pin that its newcomers join
	for _, f := range files {
		if keys := Keys(f); f.Pin != "" && !f.Alone && len(keys) > 0 && pinned[keys[0]] == "" {
			pinned[keys[0]] = f.Pin
		}
	}
	numbered, spatial := series(files), fields(files)
	for _, f := range files {
		keys := Keys(f)
		switch {
		case f.Pin != "":
			put("pin "+f.Pin, f)
		case spatial[f.Key] != "":
			put(spatial[f.Key], f)
		case len(keys) == 0:
			put("file "+f.Key, f)
		case numbered[f.Key] != "" && pinned[keys[0]] == "":
			put(numbered[f.Key], f)
		case pinned[keys[0]] != "":
			put("pin "+pinned[keys[0]], f)
		default:
			// At another rate it can't be the same recording, whatever it says.
			put(fmt.Sprintf("%s at %d", keys[0], f.SampleRate), f)
		}
	}
	for _, key := range order {
		groups = append(groups, apart(sets[key])...)
	}
	strangers(groups)
	return groups
}

// apart makes a group of a set, and further ones of members that can't be in it.
func apart(set []File) []Group {
	if len(set) == 1 || pinOf(set) != "" {
		return []Group{describe(set, nil)}
	}
	// Those that began together are one take; the others stand by themselves, and say why.
	count := map[int64]int{}
	for _, f := range set {
		count[f.Facts.Start]++
	}
	start := set[0].Facts.Start
	for _, f := range set {
		if count[f.Facts.Start] > count[start] {
			start = f.Facts.Start
		}
	}
	var main, late []File
	taken := map[string]File{}
	var rivals [][2]File
	for _, f := range set {
		place := placeOf(f)
		other, clash := taken[place]
		switch {
		case f.Facts.Start != start:
			late = append(late, f)
		case place != "" && clash:
			rivals = append(rivals, [2]File{f, other})
		default:
			taken[place] = f
			main = append(main, f)
		}
	}
	out := []Group{describe(main, nil)}
	for _, f := range late {
		s := snag.New("member_start", "%s belongs with %s by what it says, but starts at sample %d and not at %d; it stands by itself: move it there if you know better", f.Name, main[0].Name, f.Facts.Start, start)
		out = append(out, describe([]File{f}, &s))
		out[0].doubt("member_start", "%s says that it belongs here too, and starts at another sample; it is left out", f.Name)
	}
	for _, r := range rivals {
		s := snag.New("two_for_one_place", "%s claims the place that %s has in its take; it stands by itself: swap them if it is the right one", r[0].Name, r[1].Name)
		out = append(out, describe([]File{r[0]}, &s))
		out[0].doubt("two_for_one_place", "%s and %s both claim %s; the first is taken", r[1].Name, r[0].Name, placeOf(r[0]))
	}
	return out
}

// pinOf is the pin of a set's members, empty when nobody has placed any.
func pinOf(set []File) string {
	for _, f := range set {
		if f.Pin != "" {
			return f.Pin
		}
	}
	return ""
}

// placeOf says in words which channel of its set a file claims to be; empty when it claims none.
func placeOf(f File) string {
	n := source.ParseName(f.Name)
	switch {
	case f.Facts.Family != "" && f.Facts.Index > 0: // whatever the name ends with
		return fmt.Sprintf("file %d of its family", f.Facts.Index)
	case n.Speaker != "":
		return "channel " + string(n.Speaker)
	case n.Number > 0:
		return fmt.Sprintf("channel %d", n.Number)
	case len(f.Facts.Tracks) > 0 && f.Facts.Tracks[0].RecorderTrack > 0:
		return fmt.Sprintf("track %d", f.Facts.Tracks[0].RecorderTrack)
	}
	return ""
}

func (g *Group) doubt(code, format string, args ...any) {
	g.Snags = append(g.Snags, snag.New(code, format, args...))
	g.Certain = false
}

// describe says all that is to be said of files that are one take.
func describe(set []File, alone *snag.Snag) Group {
	g := Group{Pin: pinOf(set), Certain: true, Frames: set[0].Frames, Stem: GuessStem(set[0].Name)}
	for _, f := range set {
		g.Frames, g.Longest = min(g.Frames, f.Frames), max(g.Longest, f.Frames)
	}
	if len(set) == 1 && len(Keys(set[0])) == 0 {
		g.Members, g.Why = []Member{{set[0], "a recording of its own"}}, "a recording of its own"
		return g
	}
	set = slices.Clone(set)
	by := Sort(set)
	if norm, at, ok := fieldNorm(baseNames(set)); ok {
		sorted := make([]File, len(set))
		for i, k := range at {
			sorted[i] = set[k]
		}
		set, by, g.Field = sorted, "by component of a sound field", norm
	}
	g.why(set, by)
	if g.Field != "" && g.Pin == "" {
		g.Why, g.Certain = "their names end with "+fieldSays[g.Field], false
		g.doubt("field_asked", "%s", fieldAsks[g.Field])
	}
	for _, f := range set {
		g.Members = append(g.Members, Member{f, memberWhy(f, g.Why)})
	}
	g.layout(set)
	if alone != nil {
		g.doubt(alone.Code, "%s", alone.Message)
		return g
	}
	if g.Longest-g.Frames > LengthTolerance {
		var short []string
		for _, f := range set {
			if f.Frames < g.Longest-LengthTolerance {
				short = append(short, f.Name)
			}
		}
		g.doubt("member_length", "%s ends %d samples before the longest of its take: pad it with silence at the end, take all as long as the shortest, or split it off", strings.Join(short, ", "), g.Longest-g.Frames)
	}
	if s := missing(set); s != nil {
		g.Missing = true
		g.doubt(s.Code, "%s", s.Message)
	}
	if by == "" && len(set) > 1 && g.Pin == "" {
		g.doubt("no_order", "neither metadata nor names tell the order of these files apart; they stand by name")
	}
	for _, f := range set[1:] {
		if f.Facts.Scene != "" && set[0].Facts.Scene != "" && f.Facts.Scene+"\x00"+f.Facts.Take != set[0].Facts.Scene+"\x00"+set[0].Facts.Take {
			g.doubt("member_of_another", "%s says it is scene %s take %s, and %s scene %s take %s", f.Name, f.Facts.Scene, f.Facts.Take, set[0].Name, set[0].Facts.Scene, set[0].Facts.Take)
		}
	}
	return g
}

func (g *Group) why(set []File, by string) {
	f := set[0].Facts
	switch {
	case g.Pin != "":
		g.Why = "put together by hand"
	case f.Family != "":
		g.Why = "the recorder wrote them as one file family"
	case f.Scene != "" && f.Take != "":
		g.Why = fmt.Sprintf("their metadata says scene %s take %s", f.Scene, f.Take)
		if f.Start < 0 {
			g.Why += "; none says when it starts"
			g.Certain = false
		} else if len(set) > 1 {
			g.Why += ", and they start at the same sample"
		}
	default:
		n := source.ParseName(set[0].Name)
		if g.Why = fmt.Sprintf("their names begin with %s", n.Stem); len(set) > 1 && oneLayout(set) {
			g.Why = fmt.Sprintf("their names begin with %s and number the speakers of one layout", n.Series)
		}
		if f.Start >= 0 && len(set) > 1 {
			g.Why += " and they start at the same sample"
		}
		g.Certain = false // a name is only a name
	}
	if len(set) == 1 && g.Pin == "" {
		g.Why, g.Certain = "one mono file", true
	}
	g.Order = by
}

func memberWhy(f File, why string) string {
	switch p := placeOf(f); {
	case p == "":
	case f.Facts.Family != "" && f.Facts.Index > 0:
		return p
	default:
		return p + " by its name or track"
	}
	return why
}

// layout reads speakers off the members' names: the layout, and the order they were numbered in.
func (g *Group) layout(set []File) {
	speakers := make([]audio.Speaker, len(set))
	for i, f := range set {
		if speakers[i] = source.ParseName(f.Name).Speaker; speakers[i] == "" {
			return
		}
	}
	l, ok := audio.LayoutOf(speakers)
	if !ok {
		return
	}
	if len(set) > 1 {
		g.Layout = l.Name
		g.Order = audio.NameOrder(speakers)
	}
	places := numbers(set)
	if len(set) == 1 || slices.Contains(places, 0) {
		return
	}
	at := make([]int, len(set))
	for i := range at {
		at[i] = i
	}
	slices.SortFunc(at, func(a, b int) int { return places[a] - places[b] })
	was := make([]audio.Speaker, len(set))
	for i, k := range at {
		was[i] = speakers[k]
	}
	if !slices.Equal(was, speakers) {
		g.Order = fmt.Sprintf("numbered in %s, laid in %s", audio.NameOrder(was), audio.NameOrder(speakers))
	}
}

// strangers says of files whose names are those of another take what they are not in.
func strangers(groups []Group) {
	stem := func(f File) string { return f.Folder + "\x00" + strings.ToLower(source.ParseName(f.Name).Stem) }
	byStem := map[string]int{}
	for i, g := range groups {
		for _, m := range g.Members {
			if len(g.Members) > 1 && m.Channels == 1 {
				byStem[stem(m.File)] = i
			}
		}
	}
	for i := range groups {
		g := &groups[i]
		if len(g.Members) != 1 || g.Pin != "" || g.Members[0].Channels != 1 || len(g.Snags) > 0 {
			continue
		}
		m := g.Members[0]
		n := source.ParseName(m.Name)
		home, ok := byStem[stem(m.File)]
		if !ok || home == i || n.Number == 0 && n.Speaker == "" {
			continue
		}
		said := "another recording"
		if home := groups[home].Members[0]; m.SampleRate != home.SampleRate {
			said = fmt.Sprintf("%d Hz, where they are at %d Hz", m.SampleRate, home.SampleRate)
		} else if m.Facts.Scene != "" {
			said = "scene " + m.Facts.Scene + " take " + m.Facts.Take
		}
		g.doubt("member_of_another", "%s is named like the files of %s, and says %s; it stands by itself: move it there if its name is right", m.Name, groups[home].Members[0].Name, said)
	}
}

// Sort puts the members of a set in the order of their channels and says by what, or by name.
func Sort(members []File) (by string) {
	by = source.Order(members, func(f File) source.Member { return source.Member{Name: f.Name, Facts: f.Facts} })
	if by == "" {
		slices.SortStableFunc(members, func(a, b File) int { return strings.Compare(a.Name, b.Name) })
	}
	return by
}

// missing says what a set lacks: members its files announce, numbers left out between others, or
// one speaker of a layout.
func missing(members []File) *snag.Snag {
	total, last := 0, 0
	there := map[int]bool{}
	var speakers []audio.Speaker
	given := numbers(members)
	for i, m := range members {
		total = max(total, m.Facts.SetSize)
		there[given[i]] = true
		last = max(last, given[i])
		if sp := source.ParseName(m.Name).Speaker; sp != "" {
			speakers = append(speakers, sp)
		}
	}
	lacks := func(format string, args ...any) *snag.Snag {
		s := snag.New("member_missing", format, args...)
		return &s
	}
	if total > len(members) {
		return lacks("%d of the %d files of this set are here; wait for the others, or take it without them", len(members), total)
	}
	if len(speakers) == len(members) {
		if s, ok := absentSpeaker(speakers); ok {
			return lacks("the %s of this set is not here; wait for it, or take the set without it", s)
		}
	}
	var gaps []string
	for n := 1; n < last; n++ {
		if !there[n] && total == 0 && !there[0] {
			gaps = append(gaps, fmt.Sprint(n))
		}
	}
	if len(gaps) > 0 && len(members) > 1 {
		return lacks("no file numbered %s stands among those of this set; wait for it, or take the set without it", strings.Join(gaps, ", "))
	}
	return nil
}

// absentSpeaker finds the one speaker that keeps a set from being a layout.
func absentSpeaker(have []audio.Speaker) (audio.Speaker, bool) {
	if _, ok := audio.LayoutOf(have); ok {
		return "", false
	}
	for _, l := range audio.Layouts {
		if len(l.Speakers) != len(have)+1 {
			continue
		}
		var absent []audio.Speaker
		for _, s := range l.Speakers {
			if !slices.Contains(have, s) {
				absent = append(absent, s)
			}
		}
		if len(absent) == 1 {
			return absent[0], true
		}
	}
	return "", false
}

var mixLabel = regexp.MustCompile(`(?i)^mix[ _.-]?(l|r|left|right|1|2|m|mono)?$`)

// IsMix reports whether a label is that of a mix track, which holds what the other tracks hold.
func IsMix(label string) bool {
	return mixLabel.MatchString(strings.TrimSpace(label))
}
