package wave

import (
	"bytes"
	"fmt"
	"slices"
	"strconv"
	"strings"

	"zestyloom/core/timecode"
)

// IXML is the iXML chunk of a recorder: what was recorded, on which tracks, when. Elements this
// package does not know are kept and written again.
type IXML struct {
	root *node
}

// IXMLTrack is one entry of the track list.
type IXMLTrack struct {
	Recorder   int // CHANNEL_INDEX: the recorder's track number, 0 when not given
	Interleave int // INTERLEAVE_INDEX: the channel in this file from 1, 0 when not given
	Name       string
	Function   string
	entry      *node // the element it was read from, with what this package does not know
}

// SourceChannel is the channel that a track had in the file which this one was split from, 0 when the
// entry does not say. It is an element of this program's own: iXML has none for it.
func (t IXMLTrack) SourceChannel() int { return number(t.entry.get("SOURCE_CHANNEL")) }

// WithSourceChannel is the track with that element set, or without it for 0.
func (t IXMLTrack) WithSourceChannel(n int) IXMLTrack {
	e := &node{name: "TRACK"}
	if t.entry != nil {
		e = t.entry.clone()
	}
	e.remove("SOURCE_CHANNEL")
	if n > 0 {
		e.set("SOURCE_CHANNEL", strconv.Itoa(n))
	}
	t.entry = e
	return t
}

// NewIXML makes a document with nothing in it but its version.
func NewIXML() *IXML {
	x := &IXML{root: &node{name: "BWFXML"}}
	x.root.set("IXML_VERSION", "2.10")
	return x
}

// ParseIXML reads an iXML payload: UTF-8 or UTF-16, NUL-padded or not.
func ParseIXML(b []byte) (*IXML, error) {
	root, err := parseXML(b)
	if err != nil {
		return nil, err
	}
	if !strings.EqualFold(root.name, "BWFXML") {
		return nil, fmt.Errorf("the root element is %q instead of BWFXML", root.name)
	}
	return &IXML{root: root}, nil
}

// Clone returns a deep copy.
func (x *IXML) Clone() *IXML { return &IXML{root: x.root.clone()} }

// Marshal writes the document in UTF-8. Its length is even: a common library's reader of RF64 does not know that chunks of odd
// length are padded, where it does not know the chunk.
func (x *IXML) Marshal() []byte {
	var b bytes.Buffer
	b.WriteString(`<?xml version="1.0" encoding="UTF-8"?>` + "\n")
	x.root.write(&b, "")
	if b.Len()%2 == 1 {
		b.WriteByte('\n')
	}
	return b.Bytes()
}

// Get returns the text of a top-level element such as SCENE, or an empty string.
func (x *IXML) Get(name string) string { return x.root.get(name) }

// Set gives a top-level element its text. An empty text does not make an absent element.
func (x *IXML) Set(name, value string) { x.root.set(name, value) }

// Flag reads one of CIRCLED, NO_GOOD, FALSE_START and WILD_TRACK, from its own element or from
// TAKE_TYPE.
func (x *IXML) Flag(name string) bool {
	if strings.EqualFold(x.root.get(name), "TRUE") {
		return true
	}
	for t := range strings.SplitSeq(x.root.get("TAKE_TYPE"), ",") {
		if strings.EqualFold(strings.TrimSpace(t), name) {
			return true
		}
	}
	return false
}

// Rate is the timecode rate of SPEED; the zero Rate when none is given or understood.
func (x *IXML) Rate() timecode.Rate {
	speed := x.root.child("SPEED")
	for _, name := range []string{"TIMECODE_RATE", "MASTER_SPEED", "CURRENT_SPEED"} {
		if r, err := timecode.ParseRate(speed.get(name)); err == nil {
			drop := strings.EqualFold(speed.get("TIMECODE_FLAG"), "DF")
			r.Drop = r.Drop || drop && r.Den == 1001 && (r.Num == 30000 || r.Num == 60000)
			return r
		}
	}
	return timecode.Rate{}
}

// Start is the timestamp in samples since midnight, at its own rate; ok is false when none is
// given. rate is 0 when the document does not say it.
func (x *IXML) Start() (samples int64, rate int, ok bool) {
	speed := x.root.child("SPEED")
	lo, err := strconv.ParseUint(speed.get("TIMESTAMP_SAMPLES_SINCE_MIDNIGHT_LO"), 10, 32)
	if err != nil {
		return 0, 0, false
	}
	hi, err := strconv.ParseUint(speed.get("TIMESTAMP_SAMPLES_SINCE_MIDNIGHT_HI"), 10, 31)
	if err != nil {
		hi = 0
	}
	rate, _ = strconv.Atoi(speed.get("TIMESTAMP_SAMPLE_RATE"))
	return int64(hi<<32 | lo), rate, true
}

// Speed returns an element of SPEED, such as FILE_SAMPLE_RATE.
func (x *IXML) Speed(name string) string { return x.root.child("SPEED").get(name) }

// SetSpeed writes what a rewritten file says of its rate, word length and start. start is left
// out when negative; rate when it is not known.
func (x *IXML) SetSpeed(sampleRate, bits int, start int64, rate timecode.Rate) {
	s := x.root.at("SPEED")
	if !rate.Zero() && s.get("TIMECODE_RATE") == "" {
		s.set("TIMECODE_RATE", rate.Rational())
		flag := "NDF"
		if rate.Drop {
			flag = "DF"
		}
		s.set("TIMECODE_FLAG", flag)
	}
	s.set("FILE_SAMPLE_RATE", strconv.Itoa(sampleRate))
	s.set("AUDIO_BIT_DEPTH", strconv.Itoa(bits))
	if start < 0 {
		s.remove("TIMESTAMP_SAMPLES_SINCE_MIDNIGHT_HI")
		s.remove("TIMESTAMP_SAMPLES_SINCE_MIDNIGHT_LO")
		return
	}
	s.set("TIMESTAMP_SAMPLES_SINCE_MIDNIGHT_HI", strconv.FormatInt(start>>32, 10))
	s.set("TIMESTAMP_SAMPLES_SINCE_MIDNIGHT_LO", strconv.FormatInt(start&0xFFFFFFFF, 10))
	s.set("TIMESTAMP_SAMPLE_RATE", strconv.Itoa(sampleRate))
}

// FileSet returns an element of FILE_SET, such as FAMILY_UID.
func (x *IXML) FileSet(name string) string { return x.root.child("FILE_SET").get(name) }

// Remove takes a top-level element out.
func (x *IXML) Remove(name string) { x.root.remove(name) }

// SetFileSet says which recording the file belongs to, of how many files that consists and which
// one this is, from 1. A family the document already names is kept.
func (x *IXML) SetFileSet(uid, name string, total, index int) {
	fs := x.root.at("FILE_SET")
	fs.set("TOTAL_FILES", strconv.Itoa(total))
	if fs.get("FAMILY_UID") == "" {
		fs.set("FAMILY_UID", uid)
		fs.set("FAMILY_NAME", name)
	}
	fs.set("FILE_SET_INDEX", strconv.Itoa(index))
}

// Tracks returns the track list in the order it is written.
func (x *IXML) Tracks() []IXMLTrack {
	var ts []IXMLTrack
	list := x.root.child("TRACK_LIST")
	if list == nil {
		return nil
	}
	for _, t := range list.children {
		if strings.EqualFold(t.name, "TRACK") {
			ts = append(ts, IXMLTrack{
				Recorder: number(t.get("CHANNEL_INDEX")), Interleave: number(t.get("INTERLEAVE_INDEX")),
				Name: t.get("NAME"), Function: t.get("FUNCTION"), entry: t,
			})
		}
	}
	return ts
}

func number(s string) int {
	n, err := strconv.Atoi(strings.TrimSpace(s))
	if err != nil || n < 0 {
		return 0
	}
	return n
}

// SetTracks replaces the track list. What else was written in the element that a track was read
// from goes along, whichever document that was.
func (x *IXML) SetTracks(tracks []IXMLTrack) {
	list := x.root.at("TRACK_LIST")
	kept := list.children[:0:0]
	for _, c := range list.children {
		if !strings.EqualFold(c.name, "TRACK") && !strings.EqualFold(c.name, "TRACK_COUNT") {
			kept = append(kept, c)
		}
	}
	list.children = nil
	list.set("TRACK_COUNT", strconv.Itoa(len(tracks)))
	for _, t := range tracks {
		n := &node{name: "TRACK"}
		if t.entry != nil {
			n = t.entry.clone()
		}
		if t.Recorder > 0 {
			n.set("CHANNEL_INDEX", strconv.Itoa(t.Recorder))
		}
		n.set("INTERLEAVE_INDEX", strconv.Itoa(t.Interleave))
		n.at("NAME").text = t.Name
		n.set("FUNCTION", t.Function)
		list.children = append(list.children, n)
	}
	list.children = append(list.children, kept...)
}

// ofOneFile are the top-level elements that speak of one file or of its channels, which whoever writes a
// new file fills in; the others speak of the recording.
var ofOneFile = []string{"IXML_VERSION", "FILE_UID", "FILE_SET", "TRACK_LIST", "SPEED", "BEXT", "HISTORY", "PROJECT", "SCENE", "TAKE", "TAPE", "NOTE"}

// Adopt takes over the elements of another file of the same recording that this document does not
// have, and names those that both have and that do not agree: they stay as they are here.
func (x *IXML) Adopt(other *IXML) (differ []string) {
	for _, c := range other.root.elements() {
		if slices.ContainsFunc(ofOneFile, func(n string) bool { return strings.EqualFold(n, c.name) }) {
			continue
		}
		same, there := false, false
		for _, mine := range x.root.elements() {
			if strings.EqualFold(mine.name, c.name) {
				there = true
				same = same || mine.equal(c)
			}
		}
		switch {
		case !there:
			x.root.children = append(x.root.children, c.clone())
		case !same && !slices.Contains(differ, c.name):
			differ = append(differ, c.name)
		}
	}
	return differ
}
