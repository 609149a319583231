package adm

import (
	"bytes"
	"encoding/xml"
	"fmt"
	"math"
	"slices"
	"strconv"
	"strings"

	"zestyloom/core/ambisonic"
	"zestyloom/core/audio"
	"zestyloom/core/snag"
)

// Types of BS.2076, by their number in IDs.
const (
	typeSpeakers = 1
	typeObjects  = 3
	typeField    = 4
)

var typeNames = map[int]string{typeSpeakers: "DirectSpeakers", typeObjects: "Objects", typeField: "HOA"}

// firstOwn is the number of the first definition that is not one of those common to all (ITU-R BS.2094).
const firstOwn = 0x1001

// Marshal makes the chunks axml and chna of a scene. All channels are defined in the text itself, with their directions, so that
// whoever reads it needs no list of common definitions. Layouts that stand for no speakers and no sound field (mid-side, channels that
// stand for no place) are refused.
func Marshal(s Scene) (axml, chna []byte, err error) {
	w := &writer{scene: s, packs: map[string]pack{}}
	if err := w.write(); err != nil {
		return nil, nil, err
	}
	return w.b.Bytes(), marshalCHNA(w.tracks), nil
}

// Room is how long axml becomes at the most with any loudness: the text is put in once that is measured.
func Room(s Scene) (int, error) {
	n := -99.99
	most := &Loudness{n, n, n, n, n}
	s.Loudness, s.Elements = most, slices.Clone(s.Elements)
	for i := range s.Elements {
		s.Elements[i].Loudness = most
	}
	axml, _, err := Marshal(s)
	return len(axml), err
}

// Can reports whether a layout can be described.
func Can(l audio.Layout) error {
	_, err := channels(l)
	return err
}

type writer struct {
	scene  Scene
	b      bytes.Buffer
	depth  int
	packs  map[string]pack // by layout
	tracks []track
	next   map[int]int // numbers of definitions, by type
}

// pack is a layout with its definitions.
type pack struct {
	kind     int
	id       string
	channels []string // numbers, as in IDs
}

// channel is what a channel of a layout is for.
type channel struct {
	name    string
	speaker *speaker
	acn     int
}

func channels(l audio.Layout) ([]channel, error) {
	out := make([]channel, l.Count)
	for i := range out {
		out[i].name = l.Channel(i)
		switch l.Kind {
		case audio.Ambisonic:
			out[i].acn = ambisonic.ACN(l, i)
		case audio.Bed:
			sp, ok := speakerOf(l, i)
			if !ok {
				return nil, snag.Refuse("no_place", "%s can't be described by the audio definition model: no speaker stands for %s", l.Name, l.Channel(i))
			}
			out[i].speaker = &sp
		default:
			return nil, snag.Refuse("no_place", "%s can't be described by the audio definition model: its channels stand for no place", l.Name)
		}
	}
	return out, nil
}

func kindOf(l audio.Layout) int {
	if l.Kind == audio.Ambisonic {
		return typeField
	}
	return typeSpeakers
}

// open begins an element; attributes are names and values by turns.
func (w *writer) open(name string, attributes ...string) { w.tag(name, ">", attributes) }

func (w *writer) tag(name, end string, attributes []string) {
	w.indent()
	w.b.WriteString("<" + name)
	for i := 0; i+1 < len(attributes); i += 2 {
		w.b.WriteString(" " + attributes[i] + `="` + escaped(attributes[i+1]) + `"`)
	}
	w.b.WriteString(end + "\n")
	if end == ">" {
		w.depth++
	}
}

func (w *writer) indent() { w.b.WriteString(strings.Repeat(" ", w.depth)) }

func (w *writer) close(name string) {
	w.depth--
	w.indent()
	w.b.WriteString("</" + name + ">\n")
}

func (w *writer) text(name, text string, attributes ...string) {
	w.indent()
	w.b.WriteString("<" + name)
	for i := 0; i+1 < len(attributes); i += 2 {
		w.b.WriteString(" " + attributes[i] + `="` + escaped(attributes[i+1]) + `"`)
	}
	w.b.WriteString(">" + escaped(text) + "</" + name + ">\n")
}

func escaped(s string) string {
	var b strings.Builder
	_ = xml.EscapeText(&b, []byte(s)) // a builder takes everything
	return b.String()
}

func (w *writer) write() error {
	s := w.scene
	w.next = map[int]int{}
	w.b.WriteString(`<?xml version="1.0" encoding="UTF-8"?>` + "\n")
	w.open("ebuCoreMain", "xmlns:dc", "http://purl.org/dc/elements/1.1/", "xmlns", "urn:ebu:metadata-schema:ebuCore_2014", "xmlns:xsi", "http://www.w3.org/2001/XMLSchema-instance", "schema", "EBU_CORE_20140201.xsd", "xml:lang", "en")
	w.open("coreMetadata")
	w.open("format")
	w.open("audioFormatExtended", "version", "ITU-R_BS.2076-2")
	w.programme()
	for i, e := range s.Elements {
		w.open("audioContent", "audioContentID", fmt.Sprintf("ACO_%04x", firstOwn+i), "audioContentName", e.Name)
		w.text("audioObjectIDRef", objectID(i))
		w.loudness(e.Loudness)
		w.content(e.Content)
		w.close("audioContent")
	}
	uid := 0
	for i, e := range s.Elements {
		p, err := w.packOf(e)
		if err != nil {
			return err
		}
		w.open("audioObject", "audioObjectID", objectID(i), "audioObjectName", e.Name, "start", "00:00:00.00000")
		w.text("audioPackFormatIDRef", p.id)
		for k := range e.Tracks {
			id := fmt.Sprintf("ATU_%08x", uid+k+1)
			w.text("audioTrackUIDRef", id)
			w.tracks = append(w.tracks, track{index: e.Tracks[k] + 1, uid: id, ref: "AT_" + p.channels[k] + "_01", pack: p.id})
		}
		uid += len(e.Tracks)
		if e.GainDB != 0 {
			w.text("gain", decimal(e.GainDB), "gainUnit", "dB")
		}
		w.close("audioObject")
	}
	w.definitions()
	for _, t := range w.tracks {
		w.open("audioTrackUID", "UID", t.uid, "sampleRate", strconv.Itoa(s.Rate), "bitDepth", strconv.Itoa(s.Bits))
		w.text("audioTrackFormatIDRef", t.ref)
		w.text("audioPackFormatIDRef", t.pack)
		w.close("audioTrackUID")
	}
	for _, name := range []string{"audioFormatExtended", "format", "coreMetadata", "ebuCoreMain"} {
		w.close(name)
	}
	return nil
}

func objectID(i int) string { return fmt.Sprintf("AO_%04x", firstOwn+i) }

func (w *writer) programme() {
	s := w.scene
	attributes := []string{"audioProgrammeID", "APR_1001", "audioProgrammeName", s.Programme, "start", "00:00:00.00000"}
	if s.Frames > 0 {
		attributes = append(attributes, "end", clock(s.Frames, s.Rate))
	}
	w.open("audioProgramme", attributes...)
	for i := range s.Elements {
		w.text("audioContentIDRef", fmt.Sprintf("ACO_%04x", firstOwn+i))
	}
	w.loudness(s.Loudness)
	w.close("audioProgramme")
}

// loudness says what of it is known.
func (w *writer) loudness(l *Loudness) {
	if l == nil {
		return
	}
	w.open("loudnessMetadata", "loudnessMethod", "ITU-R BS.1770")
	for _, v := range []struct {
		name  string
		value float64
	}{{"integratedLoudness", l.Integrated}, {"loudnessRange", l.Range}, {"maxTruePeak", l.TruePeak}, {"maxMomentary", l.Momentary}, {"maxShortTerm", l.ShortTerm}} {
		if !math.IsNaN(v.value) && !math.IsInf(v.value, 0) {
			w.text(v.name, strconv.FormatFloat(v.value, 'f', 2, 64))
		}
	}
	w.close("loudnessMetadata")
}

// clock is a time as BS.2076-2 writes one that is a number of samples: hh:mm:ss.nnnnnSrrrrr, n samples at a rate of r.
func clock(frames int64, rate int) string {
	r := int64(rate)
	sec := frames / r
	digits := len(strconv.Itoa(rate))
	return fmt.Sprintf("%02d:%02d:%02d.%0*dS%d", sec/3600, sec/60%60, sec%60, digits, frames%r, rate)
}

// kinds are how BS.2076-2 says what is heard: the value of the element dialogue, and its attribute.
var kinds = map[Content][3]string{
	Dialogue:  {"1", "dialogueContentKind", "1"},
	VoiceOver: {"1", "dialogueContentKind", "2"},
	Music:     {"0", "nonDialogueContentKind", "1"},
	Effects:   {"0", "nonDialogueContentKind", "2"},
	Mix:       {"2", "mixedContentKind", "1"},
	Mixed:     {"2", "mixedContentKind", "2"},
}

func (w *writer) content(c Content) {
	if k, ok := kinds[c]; ok {
		w.text("dialogue", k[0], k[1], k[2])
	}
}

// packOf gives a layout its definitions, once.
func (w *writer) packOf(e Element) (pack, error) {
	if p, ok := w.packs[e.Layout.Name]; ok {
		return p, nil
	}
	if len(e.Tracks) != e.Layout.Count {
		return pack{}, fmt.Errorf("adm: %s has %d tracks and %s %d channels", e.Name, len(e.Tracks), e.Layout.Name, e.Layout.Count)
	}
	if _, err := channels(e.Layout); err != nil {
		return pack{}, err
	}
	k := kindOf(e.Layout)
	p := pack{kind: k, id: fmt.Sprintf("AP_%04x%04x", k, firstOwn+w.count(k, "pack"))}
	for range e.Layout.Count {
		p.channels = append(p.channels, fmt.Sprintf("%04x%04x", k, firstOwn+w.count(k, "channel")))
	}
	w.packs[e.Layout.Name] = p
	return p, nil
}

// count numbers the definitions of a type.
func (w *writer) count(kind int, what string) int {
	key := kind * 2
	if what == "pack" {
		key++
	}
	n := w.next[key]
	w.next[key]++
	return n
}

// definitions writes packs, channels, streams and tracks of all layouts, in the order of the elements that have them.
func (w *writer) definitions() {
	done := map[string]bool{}
	for _, e := range w.scene.Elements {
		l := e.Layout
		if done[l.Name] {
			continue
		}
		done[l.Name] = true
		p := w.packs[l.Name]
		all, _ := channels(l) // that it can be was found out before
		kind := []string{"typeLabel", fmt.Sprintf("%04x", p.kind), "typeDefinition", typeNames[p.kind]}
		w.open("audioPackFormat", append([]string{"audioPackFormatID", p.id, "audioPackFormatName", l.Name}, kind...)...)
		for _, n := range p.channels {
			w.text("audioChannelFormatIDRef", "AC_"+n)
		}
		if l.Kind == audio.Ambisonic {
			w.text("normalization", string(l.Norm))
		}
		w.close("audioPackFormat")
		for i, c := range all {
			n := p.channels[i]
			w.open("audioChannelFormat", append([]string{"audioChannelFormatID", "AC_" + n, "audioChannelFormatName", c.name}, kind...)...)
			if c.speaker != nil && c.speaker.lfe {
				w.text("frequency", "120", "typeDefinition", "lowPass")
			}
			w.open("audioBlockFormat", "audioBlockFormatID", "AB_"+n+"_00000001")
			if c.speaker != nil {
				w.text("speakerLabel", c.speaker.label)
				w.text("position", decimal(c.speaker.at.Azimuth), "coordinate", "azimuth")
				w.text("position", decimal(c.speaker.at.Elevation), "coordinate", "elevation")
				w.text("position", "1.0", "coordinate", "distance")
			} else {
				order := int(math.Sqrt(float64(c.acn)))
				w.text("order", strconv.Itoa(order))
				w.text("degree", strconv.Itoa(c.acn-order*order-order))
				w.text("normalization", string(l.Norm))
			}
			w.close("audioBlockFormat")
			w.close("audioChannelFormat")
			w.open("audioStreamFormat", "audioStreamFormatID", "AS_"+n, "audioStreamFormatName", "PCM "+c.name, "formatLabel", "0001", "formatDefinition", "PCM")
			w.text("audioChannelFormatIDRef", "AC_"+n)
			w.text("audioTrackFormatIDRef", "AT_"+n+"_01")
			w.close("audioStreamFormat")
			w.open("audioTrackFormat", "audioTrackFormatID", "AT_"+n+"_01", "audioTrackFormatName", "PCM "+c.name, "formatLabel", "0001", "formatDefinition", "PCM")
			w.text("audioStreamFormatIDRef", "AS_"+n)
			w.close("audioTrackFormat")
		}
	}
}

// decimal is a figure with a point, as short as it is exact.
func decimal(v float64) string {
	s := strconv.FormatFloat(v+0, 'f', -1, 64)
	if !strings.Contains(s, ".") {
		s += ".0"
	}
	return s
}
