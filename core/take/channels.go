package take

import (
	"fmt"
	"regexp"
	"slices"
	"strings"

	"zestyloom/core/audio"
	"zestyloom/core/source"
	"zestyloom/core/survey"
)

// Known is what is known of the channels of a take before anybody has said what they are.
type Known struct {
	Name   string   // of its file, or what the names of its files have in common
	Labels []string // one a strand, empty where there is none
	Mask   uint32   // channel mask of a take of one file; 0 for none
	// OneFile says that all channels came interleaved in one file. Mono files are separate until their names say otherwise.
	OneFile bool
	// Recorded says that a recorder wrote a scene or a take into it: its channels are microphones where nothing says more.
	Recorded bool
	Given    []Reading // what containers and the names of files have said already
	Found    survey.Findings
	Rate     int  // samples a second, for milliseconds
	Sum      *Sum // it was compared with what was recorded beside it, and is a mix of that
}

// Channels works out what the channels of a take are: readings that are certain, each with its reason, and what is but
// suggested. Nothing of a take is to be laid while one of these asks.
func Channels(k Known) (certain []Reading, rest []Suggestion) {
	rest = []Suggestion{}
	for _, s := range Suggest(k) {
		switch {
		case s.Read == nil:
		case Overlap(k.Given, *s.Read) || Overlap(certain, *s.Read):
			continue
		case s.Certainty == Certain:
			r := *s.Read
			r.Why, r.From = s.Reason, s.from
			certain = append(certain, r)
			continue
		}
		rest = append(rest, s)
	}
	return certain, rest
}

// Overlap reports whether a strand of a reading is read by others already.
func Overlap(rs []Reading, r Reading) bool {
	return slices.ContainsFunc(rs, func(o Reading) bool {
		return slices.ContainsFunc(o.Positions, func(p int) bool { return slices.Contains(r.Positions, p) })
	})
}

// numbered are labels that give a number and nothing else.
var numbered = regexp.MustCompile(`(?i)^(a|ch|chan|channel|tr|trk|track|iso|in|input|mono|audio)?[ ._-]*\d{1,3}$`)

// NamesNothing reports whether a label says nothing of what its strand holds: none at all, or a number such as "Track 3".
func NamesNothing(label string) bool {
	label = strings.TrimSpace(label)
	return label == "" || numbered.MatchString(label)
}

// SaysChannel reports whether a label says of its strand which channel of something wider it is, or that it is a mix: what a
// take is can change with it.
func SaysChannel(label string) bool {
	_, sp := LabelSpeaker(label)
	return sp != "" || ofField(label) || IsMix(label)
}

// Words in names of files by which people say what the channels in them are.
var (
	pairWords  = []string{"stereo", "st", "lr", "ltrt", "loro", "binaural", "xy", "ortf"}
	apartWords = []string{"mono", "dualmono", "2mono", "split", "splits", "multimono", "dual"}
	fieldWords = []string{"ambix", "ambisonic", "ambisonics", "foa", "hoa", "bformat", "soa", "toa", "fuma"}
	bedWords   = map[string]string{"5.1": "5.1", "51": "5.1", "5_1": "5.1", "6ch": "5.1", "7.1": "7.1", "71": "7.1", "7_1": "7.1", "8ch": "7.1"}
	filmWords  = []string{"film", "cinema", "lcrlsrslfe"}
)

// nameWords are the words of a file's name in small letters. A point between two figures is one of "5.1".
func nameWords(name string) (words []string) {
	base := []rune(strings.ToLower(source.BaseName(name)))
	figure := func(i int) bool { return i >= 0 && i < len(base) && base[i] >= '0' && base[i] <= '9' }
	from := 0
	for i := 0; i <= len(base); i++ {
		if i < len(base) && !strings.ContainsRune(" _()[]+,-", base[i]) && (base[i] != '.' || figure(i-1) && figure(i+1)) {
			continue
		}
		if i > from {
			words = append(words, string(base[from:i]))
		}
		from = i + 1
	}
	return words
}

func hasWord(name string, words []string) (string, bool) {
	for _, w := range nameWords(name) {
		if slices.Contains(words, w) {
			return w, true
		}
	}
	return "", false
}

// channelSuggestions work out what a file is whose channels nothing names. Two witnesses of header, name and sound that
// agree make it certain; anything else is asked.
func channelSuggestions(k Known) []Suggestion {
	n := len(k.Labels)
	mixed := slices.ContainsFunc(k.Found.Relations, func(r survey.Relation) bool { return r.Kind == survey.Mix })
	if !k.OneFile || n < 2 || mixed || len(k.Given) > 0 || slices.ContainsFunc(k.Labels, func(l string) bool { return !NamesNothing(l) }) {
		return nil
	}
	if n == 2 {
		return pairQuestion(k)
	}
	if s := fieldQuestion(k); s != nil {
		return s
	}
	return bedQuestion(k)
}

// pairQuestion is whether the two channels of a file are left and right.
func pairQuestion(k Known) []Suggestion {
	var pro, con []string
	if k.Mask == 0x3 {
		pro = append(pro, "its header says left and right")
	}
	if w, ok := hasWord(k.Name, pairWords); ok {
		pro = append(pro, fmt.Sprintf("its name has the word %q", w))
	} else if GuessStem(k.Name) == "MX" {
		pro = append(pro, "its name says that it is music")
	}
	apart, toldApart := hasWord(k.Name, apartWords)
	if toldApart {
		con = append(con, fmt.Sprintf("its name has the word %q", apart))
	}
	for _, r := range k.Found.Relations {
		switch r.Kind {
		case survey.Pair:
			pro = append(pro, fmt.Sprintf("both hear the same, with a correlation of %.2f", r.Alike))
		case survey.Identical:
			pro = append(pro, "both hold the same, sample by sample")
		case survey.SameSource:
			con = append(con, "they hear one source at different times, as two microphones do")
		case survey.Inverted:
			con = append(con, "one is the other with its polarity inverted")
		}
	}
	for c, ch := range k.Found.Channels {
		if ch.Silent() {
			con = append(con, fmt.Sprintf("nothing is on channel %d", c+1))
		}
	}
	if toldApart && len(pro) == 0 {
		return nil // each by itself, as its name says
	}
	s := Suggestion{
		Kind: "pair", Positions: []int{1, 2}, Edits: []Change{}, Read: read(Stereo, nil, 1, 2), from: FromSound,
		Says: "channels 1 and 2 are a stereo pair",
	}
	switch {
	case len(pro) > 1 && len(con) == 0:
		s.Certainty, s.Reason = Certain, strings.Join(pro, "; ")
	case len(pro) > 0 && len(con) == 0:
		s.Certainty, s.Reason = Likely, pro[0]+", and nothing else speaks for it"
	default:
		s.Certainty, s.Reason = Possible, "nothing names the two channels"
		if len(pro) > 0 {
			s.Reason = strings.Join(pro, "; ")
		}
		if len(con) > 0 {
			s.Reason += "; but " + strings.Join(con, "; ")
		}
	}
	return []Suggestion{asking(s)}
}

// fieldQuestion is whether channels without names are a sound field, where the file's name speaks of one.
func fieldQuestion(k Known) []Suggestion {
	w, ok := hasWord(k.Name, fieldWords)
	if _, whole := AmbisonicOrder(len(k.Labels)); !ok || !whole {
		return nil
	}
	r := read(Ambisonic, nil, upTo(len(k.Labels))...)
	if w == "fuma" && len(k.Labels) <= 16 {
		r.Norm = FuMa
	}
	s := Suggestion{Kind: "ambisonic", Positions: r.Positions, Edits: []Change{}, Read: r, Certainty: Likely, from: FromName, Reason: fmt.Sprintf("the file's name has the word %q; nothing says in which order and norm its channels are", w)}
	s.Says = channels(s.Positions, "is", "are") + " an " + r.Name() + " recording"
	return []Suggestion{asking(s)}
}

// bedQuestion is whether channels without names are those of speakers: as the mask says, or the name, or as six channels of
// finished sound mostly are.
func bedQuestion(k Known) []Suggestion {
	n := len(k.Labels)
	order := audio.MaskSpeakers(k.Mask)
	layout, known := audio.LayoutOf(order)
	byMask := known && len(order) == n
	named := ""
	for _, w := range nameWords(k.Name) {
		if l, err := audio.ParseLayout(bedWords[w]); err == nil && l.Count == n {
			named = w
			if !byMask {
				layout, order = l, l.Speakers
			}
		}
	}
	_, film := hasWord(k.Name, filmWords)
	if film && named != "" && !byMask && n == 6 {
		order = []audio.Speaker{"L", "C", "R", "Ls", "Rs", "LFE"}
	}
	s := Suggestion{Kind: "surround", Certainty: Possible, from: FromSound}
	switch {
	case byMask && named != "" && named != "6ch" && named != "8ch" && !film && layout.Name == bedWords[named]:
		s.Certainty, s.Reason = Certain, fmt.Sprintf("the file's channel mask and the %q in its name say so", named)
	case byMask:
		s.Reason = "the file's channel mask says so; some programs write one by habit, so listen first"
	case named != "":
		s.Certainty, s.Reason = Likely, fmt.Sprintf("the file's name has %q; nothing else says in which order they are", named)
	case n == 6 && !k.Recorded:
		l, _ := audio.ParseLayout("5.1")
		order = l.Speakers
		s.Reason = "six channels of finished sound are mostly those of a 5.1; nothing names them"
	default:
		return nil
	}
	s.Edits = []Change{}
	for i, sp := range order {
		s.Positions = append(s.Positions, i+1)
		s.Edits = append(s.Edits, Change{i + 1, "label", string(sp)})
	}
	s.Read = read(Surround, order, s.Positions...)
	s.Says = channels(s.Positions, "is", "are") + " a " + s.Read.Name()
	return []Suggestion{asking(s)}
}

func upTo(n int) []int {
	out := make([]int, n)
	for i := range out {
		out[i] = i + 1
	}
	return out
}

// asking marks a suggestion that has to be decided before its take is laid.
func asking(s Suggestion) Suggestion {
	s.Asks = s.Certainty != Certain
	return s
}

// ProposedLabel is what a strand without a label is called until somebody says: the name of its file in plain words, with its
// number where the take has several.
func ProposedLabel(name string, position, strands int) string {
	label := strings.Join(strings.FieldsFunc(source.BaseName(name), func(r rune) bool { return r == '_' || r == ' ' }), " ")
	if label == "" {
		label = "Strand"
	}
	if strands > 1 {
		label += fmt.Sprint(" ", position)
	}
	return label
}
