package source

import (
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"time"
	"unicode"
	"unicode/utf8"

	"zestyloom/core/audio"
	"zestyloom/core/snag"
	"zestyloom/core/stored"
	"zestyloom/core/timecode"
	"zestyloom/core/wave"
)

// Facts is what the metadata of a file amounts to, brought together from iXML, bext, description
// lines and the file's name, in that order of trust.
type Facts struct {
	Start   int64         `json:"start"` // samples since midnight at the file's rate, -1 when not known
	Rate    timecode.Rate `json:"rate"`
	Project string        `json:"project"`
	Scene   string        `json:"scene"`
	Take    string        `json:"take"`
	Roll    string        `json:"roll"`
	Note    string        `json:"note"`

	Circled    bool `json:"circled"`
	WildTrack  bool `json:"wild_track"`
	NoGood     bool `json:"no_good"`
	FalseStart bool `json:"false_start"`

	Recorder string `json:"recorder"` // what wrote the file, empty when it doesn't say
	Day      string `json:"day"`      // yyyy-mm-dd, empty when it doesn't say

	Family  string `json:"family"`   // FAMILY_UID of the set of files this one belongs to
	SetSize int    `json:"set_size"` // TOTAL_FILES, 0 when not given
	Index   int    `json:"index"`    // FILE_SET_INDEX where it is a number, else 0

	Tracks []TrackFact `json:"tracks"`           // in channel order, one a channel
	Groups []GroupFact `json:"groups,omitempty"` // that the file itself says there are
	Snags  []snag.Snag `json:"snags"`            // those of the file and those of its metadata
}

// UnmarshalJSON reads it under the names that its fields have now, and those that they had.
func (f *Facts) UnmarshalJSON(b []byte) error {
	type plain Facts
	return stored.Decode(b, (*plain)(f))
}

// TrackFact is what is known of one channel.
type TrackFact struct {
	Channel       int    `json:"channel"` // in this file, from 1
	Label         string `json:"label"`
	LabelSource   string `json:"label_source"`   // ixml, bext, adm, name or empty
	RecorderTrack int    `json:"recorder_track"` // 0 when not known
}

// Gather brings together what the file says of itself. name is the file's name, used for the
// labels of files that say nothing else.
func (i *Info) Gather(name string) Facts {
	f := Facts{Start: -1, Snags: slices.Clone(i.Snags), Tracks: make([]TrackFact, i.Format.Channels)}
	for c := range f.Tracks {
		f.Tracks[c].Channel = c + 1
	}
	var d wave.Description
	if i.Bext != nil {
		d = wave.ParseDescription(i.Bext.Description)
		f.Recorder = strings.TrimSpace(i.Bext.Originator)
		if _, err := time.Parse(time.DateOnly, i.Bext.OriginationDate); err == nil {
			f.Day = i.Bext.OriginationDate
		}
	}
	if x := i.IXML; x != nil {
		f.Project, f.Scene, f.Take = x.Get("PROJECT"), x.Get("SCENE"), x.Get("TAKE")
		f.Roll, f.Note = x.Get("TAPE"), x.Get("NOTE")
		f.Circled, f.NoGood = x.Flag("CIRCLED"), x.Flag("NO_GOOD")
		f.WildTrack, f.FalseStart = x.Flag("WILD_TRACK"), x.Flag("FALSE_START")
		f.Rate = x.Rate()
		f.Family = x.FileSet("FAMILY_UID")
		f.SetSize, _ = strconv.Atoi(x.FileSet("TOTAL_FILES"))
		f.Index, _ = strconv.Atoi(x.FileSet("FILE_SET_INDEX"))
	}
	for _, v := range []struct {
		to  *string
		key string
	}{{&f.Project, "PROJECT"}, {&f.Scene, "SCENE"}, {&f.Take, "TAKE"}, {&f.Roll, "TAPE"}, {&f.Note, "NOTE"}} {
		if *v.to == "" {
			*v.to = d.Get(v.key)
		}
	}
	if i.IXML == nil {
		f.Circled = strings.EqualFold(d.Get("CIRCLED"), "TRUE")
	}
	if f.Rate.Zero() {
		f.Rate, _ = timecode.ParseRate(d.Get("SPEED"))
	}
	f.start(i)
	f.pull(i)
	if list := i.tracks(); len(list) > 0 {
		for c, t := range i.TrackEntries(name) {
			to := &f.Tracks[c]
			to.RecorderTrack, to.Label = t.Recorder, cleanLabel(t.Name)
			if to.Label != "" {
				to.LabelSource = "ixml"
			}
		}
		if len(f.Tracks) > 1 && len(list) != len(f.Tracks) {
			f.Snags = append(f.Snags, snag.New("track_count", "the track list names %d tracks and the file holds %d channels", len(list), len(f.Tracks)))
		}
		if n := doubled(list); n > 0 && len(f.Tracks) > 1 {
			f.Snags = append(f.Snags, snag.New("doubled_index", "the track list names channel %d twice: the first name is taken, and another channel may be without its own", n))
		}
		f.complete(d.Tracks())
	} else {
		f.describe(d.Tracks(), name)
	}
	f.fromScene(i)
	f.fromName(name)
	return f
}

// cleanLabel is a label without the characters that no label has and XML can't hold, so that it is the
// same after it was written and read again.
func cleanLabel(s string) string {
	return strings.TrimSpace(strings.Map(func(r rune) rune {
		if unicode.IsControl(r) || r == 0x2028 || r == 0x2029 || r == 0xFFFE || r == 0xFFFF || r == utf8.RuneError {
			return ' '
		}
		return r
	}, s))
}

func (i *Info) tracks() []wave.IXMLTrack {
	if i.IXML == nil {
		return nil
	}
	return i.IXML.Tracks()
}

// Fill takes over from another file of the same recording what this one does not say of it.
func (f *Facts) Fill(o Facts) {
	if f.Start < 0 {
		f.Start = o.Start
	}
	if f.Rate.Zero() {
		f.Rate = o.Rate
	}
	for _, v := range []struct {
		to   *string
		from string
	}{{&f.Project, o.Project}, {&f.Scene, o.Scene}, {&f.Take, o.Take}, {&f.Roll, o.Roll}, {&f.Note, o.Note}} {
		if *v.to == "" {
			*v.to = v.from
		}
	}
}

// maxStart bounds a believable start: ten days at the file's rate.
func maxStart(rate int) int64 { return 10 * 86400 * int64(rate) }

func (f *Facts) start(i *Info) {
	rate := i.Format.SampleRate
	var ixml int64 = -1
	if i.IXML != nil {
		if s, r, ok := i.IXML.Start(); ok {
			if r > 0 && r != rate && s < maxStart(r) {
				s = s/int64(r)*int64(rate) + s%int64(r)*int64(rate)/int64(r)
			}
			ixml = s
		}
	}
	if i.Bext != nil {
		// A time reference of 0 beside an iXML that gives no start is a field nobody filled in.
		if b := i.Bext.TimeReference; b != 0 || ixml >= 0 || i.IXML == nil {
			f.Start = int64(min(b, 1<<62))
		}
	}
	switch {
	case f.Start < 0:
		f.Start = ixml
	case ixml >= 0 && ixml != f.Start && i.Bext.TimeReference == 0:
		f.Start = ixml
	case ixml >= 0 && ixml != f.Start:
		f.Snags = append(f.Snags, snag.New("start_disagrees", "bext says the recording starts at sample %d and iXML at %d; bext is taken", f.Start, ixml))
	}
	if f.Start > maxStart(rate) {
		f.Snags = append(f.Snags, snag.New("start_unbelievable", "a start of %d samples since midnight is more than ten days and is ignored", f.Start))
		f.Start = -1
	}
}

// pull reports a recorder that ran at another rate than the file is marked with.
func (f *Facts) pull(i *Info) {
	if i.IXML == nil {
		return
	}
	file, _ := strconv.Atoi(i.IXML.Speed("FILE_SAMPLE_RATE"))
	dig, _ := strconv.Atoi(i.IXML.Speed("DIGITIZER_SAMPLE_RATE"))
	header := i.Format.SampleRate
	if file > 0 && file != header {
		f.Snags = append(f.Snags, snag.New("rate_disagrees", "the header says %d Hz and iXML %d Hz; the header is taken: if the recorder ran pulled up or down, the sound is %+.2f %% off speed", header, file, 100*(float64(file)/float64(header)-1)))
	} else if dig > 0 && dig != header {
		f.Snags = append(f.Snags, snag.New("rate_pulled", "recorded at %d Hz and marked %d Hz: played at the marked rate it is %+.2f %% off speed", dig, header, 100*(float64(header)/float64(dig)-1)))
	}
}

// TrackEntries gives each channel its entry of the iXML track list, by interleave index: the zero entry
// where the list has none. name is the file's.
func (i *Info) TrackEntries(name string) []wave.IXMLTrack {
	list := i.tracks()
	out := make([]wave.IXMLTrack, i.Format.Channels)
	if len(list) == 0 {
		return out
	}
	if len(out) == 1 {
		index, _ := strconv.Atoi(i.IXML.FileSet("FILE_SET_INDEX"))
		out[0] = ownTrack(list, name, index)
		return out
	}
	anyIndex := slices.ContainsFunc(list, func(t wave.IXMLTrack) bool { return t.Interleave > 0 })
	taken := make([]bool, len(out))
	for n, t := range list {
		at := t.Interleave
		if !anyIndex {
			at = n + 1
		}
		if at >= 1 && at <= len(out) && !taken[at-1] {
			out[at-1], taken[at-1] = t, true
		}
	}
	return out
}

// doubled is the first channel that a track list names more than once; 0 for none.
func doubled(list []wave.IXMLTrack) int {
	seen := map[int]bool{}
	for _, t := range list {
		if t.Interleave > 0 && seen[t.Interleave] {
			return t.Interleave
		}
		seen[t.Interleave] = true
	}
	return 0
}

// ownTrack finds a mono file's entry in a list that may be the whole recording's: by the number at
// the end of the file's name, as the recorder's track or else as the channel, by its index in the file
// set, or because it is the first channel's or there is no other. The zero entry where nothing tells:
// no name is better than another channel's.
func ownTrack(list []wave.IXMLTrack, name string, index int) wave.IXMLTrack {
	if len(list) == 1 {
		return list[0]
	}
	named := ParseName(name)
	for _, by := range []struct {
		n  int
		of func(wave.IXMLTrack) int
	}{
		{named.Number, func(t wave.IXMLTrack) int { return t.Recorder }},
		{named.Number, func(t wave.IXMLTrack) int { return t.Interleave }},
		{index, func(t wave.IXMLTrack) int { return t.Interleave }},
	} {
		for _, t := range list {
			if by.n > 0 && by.of(t) == by.n {
				return t
			}
		}
	}
	if index > 0 && index <= len(list) && !slices.ContainsFunc(list, func(t wave.IXMLTrack) bool { return t.Interleave > 0 }) {
		return list[index-1]
	}
	return wave.IXMLTrack{}
}

// complete gives names from TRKn lines to channels that the iXML track list leaves without one. Beside a
// track list n is the recorder's track. Lines that evidently count otherwise are not used at all: where one
// gives to a track the name that the list gives to another.
func (f *Facts) complete(lines []wave.Track) {
	byTrack, named := map[int]string{}, map[string]bool{}
	for _, t := range f.Tracks {
		if t.RecorderTrack > 0 {
			byTrack[t.RecorderTrack] = t.Label
		}
		named[t.Label] = true
	}
	for _, l := range lines {
		name := cleanLabel(l.Name)
		if name != "" && byTrack[l.Number] != name && named[name] {
			return
		}
	}
	for _, l := range lines {
		for c := range f.Tracks {
			if t := &f.Tracks[c]; t.RecorderTrack == l.Number && t.Label == "" && cleanLabel(l.Name) != "" {
				t.Label, t.LabelSource = cleanLabel(l.Name), "bext"
			}
		}
	}
}

// describe puts TRKn lines onto the channels of a file without an iXML track list: in order when there are
// as many lines as channels, else line n to channel n.
func (f *Facts) describe(lines []wave.Track, name string) {
	put := func(c int, t wave.Track) {
		if c < 0 || c >= len(f.Tracks) {
			return
		}
		to := &f.Tracks[c]
		if name := cleanLabel(t.Name); to.Label == "" && name != "" {
			to.Label, to.LabelSource = name, "bext"
		}
		if to.RecorderTrack == 0 {
			to.RecorderTrack = t.Number
		}
	}
	switch {
	case len(f.Tracks) == 1 && len(lines) > 1:
		n := ParseName(name).Number
		for _, t := range lines {
			if t.Number == n || n == 0 && t.Number == max(1, f.Index) {
				put(0, t)
			}
		}
	case len(lines) == len(f.Tracks):
		for c, t := range lines {
			put(c, t)
		}
	default:
		for _, t := range lines {
			put(t.Number-1, t)
		}
	}
}

// fromName labels a mono file by the speaker at the end of its name, when nothing else does.
func (f *Facts) fromName(name string) {
	if len(f.Tracks) != 1 || f.Tracks[0].Label != "" {
		return
	}
	if sp := ParseName(name).Speaker; sp != "" {
		f.Tracks[0].Label, f.Tracks[0].LabelSource = string(sp), "name"
	}
}

// Name is what a file's name says when it is one of a set of mono files.
type Name struct {
	Stem    string        // what the names of the set have in common
	Number  int           // the channel number at the end, 0 when there is none
	Speaker audio.Speaker // the speaker at the end, empty when there is none
	// A number before the speaker, as in MX_3_R, belongs to the stem: it may be a reel's, an episode's or
	// a version's. In finished files it may also be the file's place in their order: then Series is what
	// stands before it and Place the number.
	Series string
	Place  int
}

// ParseName takes a file's name apart: a channel number or a speaker after a separator at the end,
// as in 21A-T03_1, 21A-T03_A1, 21AT03.L, mix_LFE, x_Ch01, x-Tr1 and "x track 1". A point between two
// digits is a decimal point or a version's, as in "Mix v1.2", and no separator.
func ParseName(path string) Name {
	base := BaseName(path)
	n := Name{Stem: base}
	i := strings.LastIndexAny(base, separators)
	if i <= 0 || i == len(base)-1 {
		return n
	}
	stem, tail := strings.TrimRight(base[:i], separators), base[i+1:]
	if stem == "" {
		return n
	}
	if j := strings.LastIndexAny(stem, separators); j > 0 && strings.EqualFold(tail, "surround") {
		if sp, ok := audio.ParseSpeaker(stem[j+1:] + " surround"); ok {
			return withPlace(Name{Stem: strings.TrimRight(stem[:j], separators), Speaker: sp})
		}
	}
	if sp, ok := audio.ParseSpeaker(tail); ok {
		return withPlace(Name{Stem: stem, Speaker: sp})
	}
	lower := strings.ToLower(tail)
	digits := strings.TrimLeft(lower, "abcdefghijklmnopqrstuvwxyz")
	letters := lower[:len(lower)-len(digits)]
	v, err := strconv.Atoi(digits)
	if err != nil || v < 1 || v > 999 {
		return n
	}
	if letters == "" && base[i] == '.' && digit(base[i-1]) {
		return n
	}
	switch letters {
	case "", "a", "ch", "chan", "channel", "tr", "trk", "track", "iso":
		if letters == "" {
			if j := strings.LastIndexAny(stem, separators); j > 0 {
				switch strings.ToLower(stem[j+1:]) {
				case "track", "channel", "ch", "tr", "trk":
					stem = strings.TrimRight(stem[:j], separators)
				}
			}
		}
		return Name{Stem: stem, Number: v}
	}
	return n
}

// BaseName is a file's name without folder and extension.
func BaseName(path string) string {
	base := filepath.Base(path)
	return strings.TrimSuffix(base, filepath.Ext(base))
}

const separators = "._- "

func digit(c byte) bool { return c >= '0' && c <= '9' }

// withPlace looks for a number that ends the stem of a name with a speaker.
func withPlace(n Name) Name {
	j := strings.LastIndexAny(n.Stem, separators)
	if j <= 0 || n.Stem[j] == '.' && digit(n.Stem[j-1]) {
		return n
	}
	v, err := strconv.Atoi(n.Stem[j+1:])
	series := strings.TrimRight(n.Stem[:j], separators)
	if err == nil && len(n.Stem)-j-1 <= 2 && v >= 1 && v <= 64 && series != "" {
		n.Series, n.Place = series, v
	}
	return n
}
