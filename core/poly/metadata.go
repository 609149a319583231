package poly

import (
	"bytes"
	"fmt"

	"zestyloom/core/snag"
	"zestyloom/core/source"
	"zestyloom/core/timecode"
	"zestyloom/core/wave"
)

// Chunks that describe the channels or bytes of the file they stood in, and so are wrong in
// another: peak envelopes, digests, channel assignments and object metadata.
var bound = map[string]bool{"PEAK": true, "levl": true, "MD5 ": true, "chna": true, "axml": true, "bxml": true, "sxml": true}

// portable returns the chunks that still make sense in a file of other channels.
func portable(chunks []wave.RawChunk) []wave.RawChunk {
	var out []wave.RawChunk
	for _, c := range chunks {
		if !bound[c.ID] {
			out = append(out, c)
		}
	}
	return out
}

// mergeChunks brings together the chunks of several files: alike ones once, of others of one id
// the first file's.
func mergeChunks(lists [][]wave.RawChunk) ([]wave.RawChunk, []snag.Snag) {
	var out []wave.RawChunk
	var snags []snag.Snag
	from := map[string]int{}
	for n, list := range lists {
		for _, c := range portable(list) {
			owner, seen := from[c.ID]
			if !seen || owner == n {
				from[c.ID] = n
				out = append(out, c)
				continue
			}
			same := false
			for _, o := range out {
				same = same || o.ID == c.ID && bytes.Equal(o.Data, c.Data)
			}
			if !same {
				snags = append(snags, snag.New("chunk_differs", "the %q chunk of file %d differs from that of file %d, which is kept", c.ID, n+1, owner+1))
			}
		}
	}
	return out, snags
}

// metadata is what a new file is to say of itself.
type metadata struct {
	base   source.Info // whose bext and iXML are carried on
	facts  source.Facts
	format wave.Format
	tracks []source.TrackFact // in channel order
	extra  []wave.RawChunk
	family family
}

// family is a new file's place among those made with it.
type family struct {
	uid, name    string
	total, index int
}

func (m metadata) options() wave.Options {
	start := m.facts.Start
	x := wave.NewIXML()
	if m.base.IXML != nil {
		x = m.base.IXML.Clone()
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
	functions := functionsOf(m.base.IXML)
	for i, t := range m.tracks {
		rec := t.RecorderTrack
		if rec == 0 {
			rec = t.Channel
		}
		list[i] = wave.IXMLTrack{Recorder: rec, Interleave: i + 1, Name: t.Label, Function: functions[rec]}
		lines[i] = wave.Track{Number: rec, Name: t.Label}
	}
	x.SetTracks(list)
	x.SetFileSet(m.family.uid, m.family.name, m.family.total, m.family.index)

	b := wave.Bext{Originator: "Zesty Loom", Version: 1}
	if m.base.Bext != nil {
		b = *m.base.Bext
		b.UMID = [64]byte{} // it named the material of all channels
		b.Loudness = [5]int16{wave.NotGiven, wave.NotGiven, wave.NotGiven, wave.NotGiven, wave.NotGiven}
	}
	b.TimeReference = uint64(max(0, start))
	b.Description = wave.ParseDescription(b.Description).WithTracks(lines,
		[2]string{"PROJECT", m.facts.Project}, [2]string{"SCENE", m.facts.Scene}, [2]string{"TAKE", m.facts.Take},
		[2]string{"TAPE", m.facts.Roll}, [2]string{"SPEED", speedLine(m.facts.Rate)}, [2]string{"NOTE", m.facts.Note}).String()
	b.CodingHistory += m.format.CodingHistory()
	return wave.Options{Format: m.format, Bext: &b, IXML: x, Extra: m.extra}
}

func functionsOf(x *wave.IXML) map[int]string {
	out := map[int]string{}
	if x != nil {
		for _, t := range x.Tracks() {
			out[t.Recorder] = t.Function
		}
	}
	return out
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
