package poly

import (
	"bytes"
	"fmt"
	"slices"
	"strings"

	"zestyloom/core/snag"
	"zestyloom/core/source"
	"zestyloom/core/timecode"
	"zestyloom/core/wave"
)

// Chunks that describe the channels or bytes of the file they stood in, and so are wrong in
// another: peak envelopes, digests, channel assignments and object metadata.
var bound = map[string]bool{"PEAK": true, "levl": true, "MD5 ": true, "chna": true, "axml": true, "bxml": true, "sxml": true}

// mergeChunks brings together the chunks of several files that still make sense in a file of other
// channels: alike ones once, of others of one id the first file's.
func mergeChunks(infos []source.Info) ([]wave.RawChunk, []snag.Snag) {
	var out []wave.RawChunk
	var snags []snag.Snag
	from := map[string]int{}
	for n, i := range infos {
		for _, c := range i.Extra {
			if bound[c.ID] {
				continue
			}
			owner, seen := from[c.ID]
			if !seen || owner == n {
				from[c.ID] = n
				out = append(out, c)
				continue
			}
			if !slices.ContainsFunc(out, func(o wave.RawChunk) bool { return o.ID == c.ID && bytes.Equal(o.Data, c.Data) }) {
				snags = append(snags, snag.New("chunk_differs", "the %q chunk of file %d differs from that of file %d, which is kept", c.ID, n+1, owner+1))
			}
		}
	}
	return out, snags
}

// track is a channel on its way into a new file, with its entry of the track list it comes from.
type track struct {
	source.TrackFact
	entry wave.IXMLTrack
}

// tracksOf are the channels of a file.
func tracksOf(i source.Info, f source.Facts, name string) []track {
	entries := i.TrackEntries(name)
	out := make([]track, len(f.Tracks))
	for c, t := range f.Tracks {
		out[c] = track{t, entries[c]}
	}
	return out
}

// number gives every track a recorder's track number of its own: what it has, unless one before it claims
// the same; else its channel where nobody has that, else the next that is free. Two tracks of one number
// would be taken for each other where names are found by it.
func number(tracks []track) {
	used := map[int]bool{}
	for i := range tracks {
		t := &tracks[i]
		if used[t.RecorderTrack] {
			t.RecorderTrack = 0
		}
		used[t.RecorderTrack] = true
	}
	next := 1
	for i := range tracks {
		t := &tracks[i]
		if t.RecorderTrack > 0 {
			continue
		}
		t.RecorderTrack = t.Channel
		for used[t.RecorderTrack] {
			t.RecorderTrack, next = next, next+1
		}
		used[t.RecorderTrack] = true
	}
}

// metadata is what a new file is to say of itself.
type metadata struct {
	base   source.Info // whose bext and iXML are carried on
	others []source.Info
	facts  source.Facts
	format wave.Format
	tracks []track // in channel order, numbered
	whole  bool    // the channels are all those of base, as they stood there
	family family
}

// family is a new file's place among those made with it.
type family struct {
	uid, name    string
	total, index int
}

// options is what the file is to hold beside its samples, and what of its sources it can't.
func (m metadata) options() (wave.Options, []snag.Snag) {
	start := m.facts.Start
	x := wave.NewIXML()
	if m.base.IXML != nil {
		x = m.base.IXML.Clone()
	}
	var snags []snag.Snag
	for _, o := range m.others {
		if o.IXML == nil {
			continue
		}
		if differ := x.Adopt(o.IXML); len(differ) > 0 {
			snags = append(snags, snag.New("ixml_differs", "the files do not say the same of %s in iXML: what the first says is kept", strings.Join(differ, ", ")))
		}
	}
	for _, v := range [][2]string{{"PROJECT", m.facts.Project}, {"SCENE", m.facts.Scene}, {"TAKE", m.facts.Take}, {"TAPE", m.facts.Roll}, {"NOTE", m.facts.Note}} {
		x.Set(v[0], v[1])
	}
	if m.base.IXML == nil && m.facts.Circled {
		x.Set("CIRCLED", "TRUE")
	}
	x.Remove("FILE_UID") // it named the file this one was made from
	x.SetSpeed(m.format.SampleRate, m.format.Bits(), start, m.facts.Rate)
	list := make([]wave.IXMLTrack, len(m.tracks))
	lines := make([]wave.Track, len(m.tracks))
	for i, t := range m.tracks {
		list[i] = t.entry
		list[i].Recorder, list[i].Interleave, list[i].Name = t.RecorderTrack, i+1, t.Label
		lines[i] = wave.Track{Number: t.RecorderTrack, Name: t.Label}
	}
	x.SetTracks(list)
	x.SetFileSet(m.family.uid, m.family.name, m.family.total, m.family.index)

	b := wave.Bext{Originator: "Zesty Loom", Version: 1}
	if m.base.Bext != nil {
		b = *m.base.Bext
		if !m.whole { // they speak of the material of all channels
			b.UMID = [64]byte{}
			b.Loudness = [5]int16{wave.NotGiven, wave.NotGiven, wave.NotGiven, wave.NotGiven, wave.NotGiven}
		}
	}
	b.TimeReference = uint64(max(0, start))
	b.Description = wave.ParseDescription(b.Description).WithTracks(lines,
		[2]string{"PROJECT", m.facts.Project}, [2]string{"SCENE", m.facts.Scene}, [2]string{"TAKE", m.facts.Take},
		[2]string{"TAPE", m.facts.Roll}, [2]string{"SPEED", speedLine(m.facts.Rate)}, [2]string{"NOTE", m.facts.Note}).String()
	b.CodingHistory += m.format.CodingHistory()

	o := wave.Options{Format: m.format, Bext: &b, IXML: x}
	infos := append([]source.Info{m.base}, m.others...)
	if m.whole {
		o.Extra = m.base.Extra
	} else {
		var differ []snag.Snag
		o.Extra, differ = mergeChunks(infos)
		snags = append(snags, differ...)
		snags = append(snags, left(infos)...)
	}
	return o, append(snags, unkept(infos)...)
}

// unkept says what of sources in other containers has no place in a WAV.
func unkept(infos []source.Info) []snag.Snag {
	var what []string
	for _, i := range infos {
		for _, u := range i.Unkept {
			if !slices.Contains(what, u) {
				what = append(what, u)
			}
		}
	}
	if len(what) == 0 {
		return nil
	}
	return []snag.Snag{snag.New("metadata_unkept", "not carried on, since a WAV has no place for it: %s", strings.Join(what, ", "))}
}

// left says what of its sources a file of other channels can't carry on.
func left(infos []source.Info) []snag.Snag {
	var what []string
	add := func(s string) {
		if !slices.Contains(what, s) {
			what = append(what, s)
		}
	}
	for _, i := range infos {
		for _, c := range i.Extra {
			if bound[c.ID] {
				add(strings.TrimSpace(c.ID))
			}
		}
		if b := i.Bext; b != nil {
			if b.UMID != ([64]byte{}) {
				add("the UMID")
			}
			if slices.ContainsFunc(b.Loudness[:], func(v int16) bool { return v != wave.NotGiven }) {
				add("the loudness in bext")
			}
		}
	}
	if len(what) == 0 {
		return nil
	}
	return []snag.Snag{snag.New("metadata_left", "not carried on, since they speak of all channels of the source as they stood there: %s", strings.Join(what, ", "))}
}

// speedLine writes a rate as recorders put it into description lines: 025.000-ND.
func speedLine(r timecode.Rate) string {
	if r.Zero() {
		return ""
	}
	flag := "ND"
	if r.Drop {
		flag = "DF"
	}
	return fmt.Sprintf("%07.3f-%s", float64(r.Num)/float64(r.Den), flag)
}

// Carried is what a file with all channels of another is to say of itself, in a format and from a start that may be others; and what of
// the original it can't say.
func Carried(src *source.Source, name string, format wave.Format, start int64) (wave.Options, []snag.Snag) {
	facts := src.Gather(name)
	facts.Start = start
	m := metadata{base: src.Info, facts: facts, format: format, tracks: tracksOf(src.Info, facts, name), whole: format == src.Format}
	number(m.tracks)
	return m.options()
}
