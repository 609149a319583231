package adm

import (
	"bytes"
	"encoding/xml"
	"errors"
	"fmt"
	"io"
	"math"
	"slices"
	"strconv"
	"strings"

	"zestyloom/core/audio"
	"zestyloom/core/snag"
)

// Elements of the model, with what of them is taken over.
type (
	xmlFormat struct {
		Programmes []xmlProgramme   `xml:"audioProgramme"`
		Contents   []xmlContent     `xml:"audioContent"`
		Objects    []xmlObject      `xml:"audioObject"`
		Packs      []xmlPack        `xml:"audioPackFormat"`
		Channels   []xmlChannel     `xml:"audioChannelFormat"`
		Streams    []xmlStream      `xml:"audioStreamFormat"`
		Tracks     []xmlTrackFormat `xml:"audioTrackFormat"`
		UIDs       []xmlTrackUID    `xml:"audioTrackUID"`
	}
	xmlProgramme struct {
		Name     string        `xml:"audioProgrammeName,attr"`
		Start    string        `xml:"start,attr"`
		End      string        `xml:"end,attr"`
		Loudness []xmlLoudness `xml:"loudnessMetadata"`
	}
	xmlLoudness struct {
		Integrated *float64 `xml:"integratedLoudness"`
		Range      *float64 `xml:"loudnessRange"`
		TruePeak   *float64 `xml:"maxTruePeak"`
		Momentary  *float64 `xml:"maxMomentary"`
		ShortTerm  *float64 `xml:"maxShortTerm"`
	}
	xmlContent struct {
		Name     string        `xml:"audioContentName,attr"`
		Objects  []string      `xml:"audioObjectIDRef"`
		Loudness []xmlLoudness `xml:"loudnessMetadata"`
		Dialogue *struct {
			Value string `xml:",chardata"`
			None  string `xml:"nonDialogueContentKind,attr"`
			Kind  string `xml:"dialogueContentKind,attr"`
			Mixed string `xml:"mixedContentKind,attr"`
		} `xml:"dialogue"`
	}
	xmlGain struct {
		Value string `xml:",chardata"`
		Unit  string `xml:"gainUnit,attr"`
	}
	xmlObject struct {
		ID     string   `xml:"audioObjectID,attr"`
		Name   string   `xml:"audioObjectName,attr"`
		Packs  []string `xml:"audioPackFormatIDRef"`
		Inside []string `xml:"audioObjectIDRef"`
		UIDs   []string `xml:"audioTrackUIDRef"`
		Gain   *xmlGain `xml:"gain"`
		Mute   string   `xml:"mute"`
	}
	xmlPack struct {
		ID       string   `xml:"audioPackFormatID,attr"`
		Name     string   `xml:"audioPackFormatName,attr"`
		Type     string   `xml:"typeDefinition,attr"`
		Label    string   `xml:"typeLabel,attr"`
		Channels []string `xml:"audioChannelFormatIDRef"`
		Inside   []string `xml:"audioPackFormatIDRef"`
		Norm     string   `xml:"normalization"`
	}
	xmlChannel struct {
		ID     string `xml:"audioChannelFormatID,attr"`
		Name   string `xml:"audioChannelFormatName,attr"`
		Type   string `xml:"typeDefinition,attr"`
		Label  string `xml:"typeLabel,attr"`
		Lowest []struct {
			Type  string `xml:"typeDefinition,attr"`
			Value string `xml:",chardata"`
		} `xml:"frequency"`
		Blocks []xmlBlock `xml:"audioBlockFormat"`
	}
	xmlBlock struct {
		Labels    []string `xml:"speakerLabel"`
		Positions []struct {
			Of    string `xml:"coordinate,attr"`
			Bound string `xml:"bound,attr"`
			Value string `xml:",chardata"`
		} `xml:"position"`
		Gain   *xmlGain `xml:"gain"`
		Order  *int     `xml:"order"`
		Degree *int     `xml:"degree"`
		Norm   string   `xml:"normalization"`
	}
	xmlStream struct {
		ID      string   `xml:"audioStreamFormatID,attr"`
		Channel string   `xml:"audioChannelFormatIDRef"`
		Pack    string   `xml:"audioPackFormatIDRef"`
		Tracks  []string `xml:"audioTrackFormatIDRef"`
	}
	xmlTrackFormat struct {
		ID     string `xml:"audioTrackFormatID,attr"`
		Stream string `xml:"audioStreamFormatIDRef"`
	}
	xmlTrackUID struct {
		ID      string `xml:"UID,attr"`
		Track   string `xml:"audioTrackFormatIDRef"`
		Channel string `xml:"audioChannelFormatIDRef"`
		Pack    string `xml:"audioPackFormatIDRef"`
	}
)

// Parse reads the chunks axml and chna of a file with so many channels at a rate in Hz. What can't be taken over is among the snags of
// the scene; what is not understood at all is refused.
func Parse(axml, chna []byte, fileChannels, rate int) (Scene, error) {
	tracks, err := parseCHNA(chna)
	if err != nil {
		return Scene{}, err
	}
	f, err := parseXML(axml)
	if err != nil {
		return Scene{}, err
	}
	r := &reader{f: f, rate: rate, tracks: map[string]track{}, channels: map[string]xmlChannel{}, packs: map[string]xmlPack{}, uids: map[string]xmlTrackUID{}, objects: map[string]xmlObject{}, scene: Scene{Rate: rate}}
	for _, t := range tracks {
		if t.index > fileChannels {
			r.snag("the description names track %d, and the file has %d: it is left out", t.index, fileChannels)
			continue
		}
		r.tracks[t.uid] = t
	}
	r.read()
	return r.scene, nil
}

// parseXML finds the description wherever in the text it is.
func parseXML(axml []byte) (f xmlFormat, err error) {
	d := xml.NewDecoder(bytes.NewReader(bytes.TrimRight(axml, "\x00")))
	d.CharsetReader = func(charset string, input io.Reader) (io.Reader, error) { return input, nil } // BS.2088 has UTF-8
	for {
		t, err := d.Token()
		if errors.Is(err, io.EOF) {
			return f, snag.Refuse("bad_adm", "the chunk axml has no audioFormatExtended in it")
		}
		if err != nil {
			return f, snag.Refuse("bad_adm", "the chunk axml is no XML that is understood: %w", err)
		}
		if e, ok := t.(xml.StartElement); ok && e.Name.Local == "audioFormatExtended" {
			if err := d.DecodeElement(&f, &e); err != nil {
				return f, snag.Refuse("bad_adm", "what the chunk axml says of the sound is not understood: %w", err)
			}
			return f, nil
		}
	}
}

type reader struct {
	f        xmlFormat
	rate     int
	tracks   map[string]track // by UID
	channels map[string]xmlChannel
	packs    map[string]xmlPack
	uids     map[string]xmlTrackUID
	objects  map[string]xmlObject
	contents map[string]Content   // by object
	levels   map[string]*Loudness // of objects that a content holds alone
	scene    Scene
}

func (r *reader) snag(format string, args ...any) {
	const most = 50
	if len(r.scene.Snags) < most {
		r.scene.Snags = append(r.scene.Snags, snag.New("adm_not_taken", format, args...))
	}
}

func (r *reader) read() {
	for _, c := range r.f.Channels {
		r.channels[c.ID] = c
	}
	for _, p := range r.f.Packs {
		r.packs[p.ID] = p
	}
	for _, u := range r.f.UIDs {
		r.uids[u.ID] = u
	}
	for _, o := range r.f.Objects {
		r.objects[o.ID] = o
	}
	r.contents, r.levels = map[string]Content{}, map[string]*Loudness{}
	for _, c := range r.f.Contents {
		if len(c.Objects) == 1 {
			r.levels[c.Objects[0]] = loudnessOf(c.Loudness)
		}
		for _, o := range c.Objects {
			r.contents[o] = contentOf(c)
		}
	}
	if len(r.f.Programmes) > 0 {
		r.programme(r.f.Programmes[0])
	}
	if n := len(r.f.Programmes); n > 1 {
		r.snag("it has %d programmes: %s, the first, is taken", n, r.scene.Programme)
	}
	named := map[string]bool{}
	for _, o := range r.f.Objects {
		r.object(o, named)
	}
	// Tracks that no object has stand by themselves, in the packs that the table gives them.
	left := map[string][]string{}
	var order []string
	for _, uid := range sorted(r.tracks) {
		if named[uid] {
			continue
		}
		p := r.packOf(uid)
		if _, ok := left[p]; !ok {
			order = append(order, p)
		}
		left[p] = append(left[p], uid)
	}
	for _, p := range order {
		r.element(r.packs[p].Name, Undefined, p, left[p], 0)
	}
}

// sorted are the UIDs by the tracks that they are of.
func sorted(tracks map[string]track) []string {
	var out []string
	for uid := range tracks {
		out = append(out, uid)
	}
	slices.SortFunc(out, func(a, b string) int {
		if d := tracks[a].index - tracks[b].index; d != 0 {
			return d
		}
		return strings.Compare(a, b)
	})
	return out
}

func (r *reader) programme(p xmlProgramme) {
	r.scene.Programme = p.Name
	start, okStart := samples(p.Start, r.rate)
	if end, ok := samples(p.End, r.rate); ok {
		if !okStart {
			start = 0
		}
		r.scene.Frames = max(0, end-start)
	}
	r.scene.Loudness = loudnessOf(p.Loudness)
}

// loudnessOf is the first that is said; nil for none.
func loudnessOf(list []xmlLoudness) *Loudness {
	if len(list) == 0 {
		return nil
	}
	value := func(v *float64) float64 {
		if v == nil {
			return math.NaN()
		}
		return *v
	}
	l := list[0]
	return &Loudness{value(l.Integrated), value(l.Range), value(l.TruePeak), value(l.Momentary), value(l.ShortTerm)}
}

// samples reads hh:mm:ss.fffff, and hh:mm:ss.nnnnnSrrrrr of BS.2076-2.
func samples(text string, rate int) (int64, bool) {
	parts := strings.Split(strings.TrimSpace(text), ":")
	if len(parts) != 3 {
		return 0, false
	}
	h, err1 := strconv.ParseInt(parts[0], 10, 16)
	m, err2 := strconv.ParseInt(parts[1], 10, 16)
	whole, part, _ := strings.Cut(parts[2], ".")
	s, err3 := strconv.ParseInt(whole, 10, 16)
	if err := errors.Join(err1, err2, err3); err != nil || h < 0 || m < 0 || s < 0 || m > 59 || s > 60 {
		return 0, false
	}
	at := (h*3600 + m*60 + s) * int64(rate)
	if n, of, ok := strings.Cut(part, "S"); ok {
		num, err1 := strconv.ParseInt(n, 10, 32)
		den, err2 := strconv.ParseInt(of, 10, 32)
		if err := errors.Join(err1, err2); err != nil || den <= 0 || num < 0 {
			return 0, false
		}
		return at + int64(math.Round(float64(num)*float64(rate)/float64(den))), true
	}
	if part == "" {
		return at, true
	}
	f, err := strconv.ParseFloat("0."+part, 64)
	return at + int64(math.Round(f*float64(rate))), err == nil
}

func contentOf(c xmlContent) Content {
	if c.Dialogue == nil {
		return Undefined
	}
	d := c.Dialogue
	for content, k := range kinds {
		value := map[string]string{"dialogueContentKind": d.Kind, "nonDialogueContentKind": d.None, "mixedContentKind": d.Mixed}[k[1]]
		if strings.TrimSpace(d.Value) == k[0] && value == k[2] {
			return content
		}
	}
	switch strings.TrimSpace(d.Value) {
	case "1":
		return Dialogue
	case "2":
		return Mixed
	}
	return Undefined
}

// object takes an object over: its tracks by the packs that they are of.
func (r *reader) object(o xmlObject, named map[string]bool) {
	gain, ok := o.Gain.decibels()
	if !ok {
		r.snag("object %s: its gain is not understood, and taken for 0 dB", o.Name)
	}
	if strings.TrimSpace(o.Mute) == "1" {
		r.snag("object %s is silenced there; its tracks are taken over all the same", o.Name)
	}
	of := map[string][]string{}
	var order []string
	for _, uid := range o.UIDs {
		if uid == "ATU_00000000" { // silence, which no track has
			continue
		}
		if _, ok := r.tracks[uid]; !ok {
			r.snag("object %s speaks of %s, which is no track of the file", o.Name, uid)
			continue
		}
		if named[uid] {
			r.snag("track %d is in several objects: %s has it for the second time, and is left without it", r.tracks[uid].index, o.Name)
			continue
		}
		named[uid] = true
		p := r.packOf(uid)
		if len(o.Packs) == 1 && p == "" {
			p = o.Packs[0]
		}
		if _, ok := of[p]; !ok {
			order = append(order, p)
		}
		of[p] = append(of[p], uid)
	}
	first := len(r.scene.Elements)
	for _, p := range order {
		r.element(o.Name, r.contents[o.ID], p, of[p], gain)
	}
	if len(r.scene.Elements) == first+1 { // what is said of several is of none
		r.scene.Elements[first].Loudness = r.levels[o.ID]
	}
}

func (r *reader) packOf(uid string) string {
	if p := r.tracks[uid].pack; p != "" {
		return p
	}
	return r.uids[uid].Pack
}

// channelOf is the channel format that a track is for.
func (r *reader) channelOf(uid string) string {
	ref := r.tracks[uid].ref
	if ref == "" {
		if ref = r.uids[uid].Track; ref == "" {
			ref = r.uids[uid].Channel
		}
	}
	if strings.HasPrefix(ref, "AC_") {
		return strings.TrimSuffix(ref, "_00")
	}
	for _, t := range r.f.Tracks {
		if t.ID != ref {
			continue
		}
		for _, s := range r.f.Streams {
			if s.ID == t.Stream && s.Channel != "" {
				return s.Channel
			}
		}
	}
	for _, s := range r.f.Streams {
		if slices.Contains(s.Tracks, ref) && s.Channel != "" {
			return s.Channel
		}
	}
	// Common definitions are not in the text; their numbers are alike.
	if n, ok := strings.CutPrefix(ref, "AT_"); ok && len(n) >= 8 {
		return "AC_" + n[:8]
	}
	return ""
}

func (g *xmlGain) decibels() (float64, bool) {
	if g == nil {
		return 0, true
	}
	v, err := strconv.ParseFloat(strings.TrimSpace(g.Value), 64)
	if err != nil || math.IsNaN(v) {
		return 0, false
	}
	if g.Unit == "dB" {
		return v, true
	}
	return audio.Decibels(v), v > 0
}

// element takes the tracks of a pack over, as a bed, a sound field, or sounds that each stand by themselves.
func (r *reader) element(name string, content Content, packID string, uids []string, gain float64) {
	p := r.packs[packID]
	if name == "" {
		name = p.Name
	}
	kind := p.Type
	if kind == "" {
		kind = typeNames[typeOf(packID, p.Label)]
	}
	e := Element{Name: name, Content: content, GainDB: gain}
	for _, uid := range uids {
		e.Tracks = append(e.Tracks, r.tracks[uid].index-1)
	}
	switch kind {
	case typeNames[typeSpeakers]:
		r.bed(e, p, uids)
	case typeNames[typeField]:
		r.field(e, p, uids)
	case typeNames[typeObjects]:
		for i, uid := range uids {
			one := e
			one.Tracks, one.Layout = e.Tracks[i:i+1], discrete(1)
			one.Object = r.placed(name, r.channelOf(uid))
			if len(uids) > 1 {
				one.Name = fmt.Sprintf("%s %d", name, i+1)
			}
			r.scene.Elements = append(r.scene.Elements, one)
		}
	default:
		if kind == "" {
			kind = "a kind that is not said"
		}
		r.snag("%s is of %s: its tracks are taken over as they are, without places", name, kind)
		e.Layout = discrete(len(e.Tracks))
		r.scene.Elements = append(r.scene.Elements, e)
	}
}

// typeOf is the type of a definition by its ID, or by its label.
func typeOf(id, label string) int {
	digits := label
	if _, rest, ok := strings.Cut(id, "_"); ok && len(rest) >= 4 && digits == "" {
		digits = rest[:4]
	}
	n, err := strconv.ParseInt(digits, 16, 32)
	if err != nil {
		return 0
	}
	return int(n)
}

func discrete(n int) audio.Layout {
	l, _ := audio.DiscreteLayout(max(1, min(n, audio.MaxChannels)))
	return l
}
