// Package delivery has what a recipient demands (specs), what will be written to meet it (plans), its writing, and the
// proof that what was written is what was ordered.
//
// A spec is data: documented JSON (see Schema) that is mailed, kept and edited. A plan is a spec applied to a reel: every
// file with every channel of it, all of one start and one length. One run of the signal graph feeds all files of a plan,
// and one more all that is compared with them.
package delivery

import (
	"cmp"
	"encoding/json"
	"fmt"
	"slices"
	"strings"

	"zestyloom/core/audio"
	"zestyloom/core/loudness"
	"zestyloom/core/naming"
	"zestyloom/core/picture"
	"zestyloom/core/snag"
	"zestyloom/core/timecode"
)

// SpecFormat is the version of the JSON that specs are written in. Format 0 was a list of outputs with packings.
const SpecFormat = 2

// Spec is a delivery specification: everything that a recipient demands.
type Spec struct {
	Format      int    `json:"format"`
	Name        string `json:"name"`
	Version     int    `json:"version"` // of what is demanded, from 1
	Description string `json:"description"`
	Source      string `json:"source"` // where it is written down what is demanded
	// Template names a template of a weave whose outputs and buses are those that are demanded.
	Template string `json:"template,omitempty"`

	// Outputs are the names that the weave's outputs must have, in order; none where any will do.
	Outputs    []string `json:"outputs,omitempty"`
	SampleRate int      `json:"sample_rate"` // Hz
	Coding     string   `json:"coding"`      // s16, s24, s32 or f32
	Dither     bool     `json:"dither"`      // TPDF where a sample is off the grid of the coding
	// Packings are the ways in which the sound may become files: an order chooses one.
	Packings  []Packing `json:"packings"`
	Programme Programme `json:"programme"`
	Names     Names     `json:"names"`
	Metadata  Metadata  `json:"metadata"`
	// Recode is what becomes of a picture that is cut where no key frame is.
	Recode Recode `json:"recode,omitzero"`
	// Headset is how the picture has to be marked to be seen with a headset; none for as it is.
	Headset Headset  `json:"headset,omitzero"`
	Limits  []Asked  `json:"limits,omitempty"`
	Papers  []string `json:"papers"` // of Papers
	Folder  string   `json:"folder,omitempty"`
}

// Recode says how a picture is coded anew that is cut where its packets can't be copied.
type Recode struct {
	Codec string `json:"codec,omitempty"` // of picture.Coders; none to refuse such a cut
	// Megabits a second, at most; 0 for a quality that is hard to tell from the original. Not of VC-3 and FFV1, which have their own.
	Megabits float64 `json:"megabits,omitempty"`
}

// Headset says how a picture has to be marked to be seen with a headset (st3d and sv3d, in MOV and MP4): where it is not, it is.
type Headset struct {
	Degrees int    `json:"degrees,omitempty"` // 360 or 180, equirectangular; 0 for a flat picture
	Stereo  string `json:"stereo,omitempty"`  // of picture.Stereos; empty for one picture
}

// mark is what has to stand in the file.
func (h Headset) mark() picture.Headset {
	return picture.Seen(h.Degrees, cmp.Or(h.Stereo, picture.Stereos[0]))
}

// Packing is one way in which the sound becomes files.
type Packing struct {
	ID    string     `json:"id"` // what an order names
	Says  string     `json:"says"`
	Files []FileRule `json:"files"`
}

// Each says for what a rule makes a file.
type Each string

// What a rule makes a file for.
const (
	EachNone   Each = ""       // one file, of what Groups say
	EachOutput Each = "output" // of the weave
	EachGroup  Each = "group"  // of the weave's outputs; those that stand alone are one of one
	EachTrack  Each = "track"
	EachStem   Each = "stem"
	EachPart   Each = "part"
	EachMix    Each = "mix"
)

// What a rule does with the picture of an order, where the container can hold one.
const (
	PictureAlong = ""      // it goes along with the sound
	PictureAlone = "alone" // the file has the picture, and no sound
	PictureNone  = "none"  // the file has the sound alone
)

// FileRule is a file, or several that are made alike.
type FileRule struct {
	Each Each `json:"each,omitempty"`
	// Kinds are those of the stems or parts that have a file; all where there are none.
	Kinds []string `json:"kinds,omitempty"`
	// Layout is the one that each must have; none where any will do.
	Layout string `json:"layout,omitempty"`
	// Groups are what a single file holds, in order; none for all outputs as the weave groups them.
	Groups []Group `json:"groups,omitempty"`
	// Split makes a mono file of every channel.
	Split bool `json:"split,omitempty"`
	// Order is the order of a surround group's speakers in the file: broadcast, film, mask, fronts, lrc, or speakers by name.
	Order     string `json:"order,omitempty"`
	Container string `json:"container"`        // of Containers
	Coding    string `json:"coding,omitempty"` // the spec's when empty
	Name      string `json:"name"`             // a pattern: see Fields
	Picture   string `json:"picture,omitempty"`
}

// Group is a run of channels of a file that belong together, or a run for each of what no other group of the file holds.
type Group struct {
	// Each stands for all of its kind that no other group of the file is: a group for each, as wide as it is.
	Each    Each     `json:"each,omitempty"`
	Layout  string   `json:"layout,omitempty"`  // see audio.ParseLayout; none with Each
	Outputs []string `json:"outputs,omitempty"` // of the weave, by name; "" for silence
	Bus     string   `json:"bus,omitempty"`     // or a bus as a whole, by name
	Name    string   `json:"name,omitempty"`
	// HeadLocked is a stereo pair that does not turn with the sound field before it, and goes in the same stream (MOV, MP4).
	HeadLocked bool `json:"head_locked,omitempty"`
}

// Programme says where the programme lies in every file, and what stands before and after it.
type Programme struct {
	// Start is the timecode at which the programme must begin; nothing where it may begin anywhere.
	Start string `json:"start,omitempty"`
	// Length is "reel" (to the reel's end) or "programme" (to the end of its last clip).
	Length string `json:"length"`
	// WholeFrames rounds the length up to a frame of the timecode.
	WholeFrames bool      `json:"whole_frames,omitempty"`
	Before      []Segment `json:"before,omitempty"`
	After       []Segment `json:"after,omitempty"`
	// Pop is a frame of tone two seconds before the first frame of programme.
	Pop *Pop `json:"pop,omitempty"`
}

// Segment is a stretch before or after the programme: silence, which may be that under a slate or under black, or a tone. What a
// picture that goes along shows there is its own: it is not touched.
type Segment struct {
	What      string  `json:"what"`    // silence, slate, black or tone
	Seconds   float64 `json:"seconds"` // rounded to whole frames of the timecode
	LevelDBFS float64 `json:"level_dbfs,omitempty"`
	Hz        float64 `json:"hz,omitempty"` // 1000 where it is 0
}

func (s Segment) silent() bool { return s.What == "silence" || s.What == "slate" || s.What == "black" }

// Pop is a frame of tone that sound and picture are lined up by.
type Pop struct {
	LevelDBFS float64 `json:"level_dbfs"`
	Hz        float64 `json:"hz,omitempty"`   // 1000 where it is 0
	Tail      bool    `json:"tail,omitempty"` // another two seconds after the last frame
}

// Names says what names of files may be made of.
type Names struct {
	Letters string `json:"letters,omitempty"` // "plain": A to Z, a to z, 0 to 9, - and _ alone; anything else becomes a _
	Most    int    `json:"most,omitempty"`    // letters of a name, with its extension
}

// Metadata says what files say of themselves.
type Metadata struct {
	NoBext   bool `json:"no_bext,omitempty"`
	NoIXML   bool `json:"no_ixml,omitempty"`
	Loudness bool `json:"loudness,omitempty"` // in the bext chunk, version 2
	Mask     bool `json:"mask,omitempty"`     // speakers of the only group of a file in the format's channel mask
	// ADM describes the sound of BW64 files by the audio definition model (ITU-R BS.2076).
	ADM bool `json:"adm,omitempty"`
}

// Asked are limits of loudness and peaks, of some of what is delivered.
type Asked struct {
	Of string `json:"of"` // a bus or group by name; "mixes", "stems" or "all"
	loudness.Limits
}

// Paperwork that can go along.
var Paperwork = []string{"pdf", "csv", "json", "mhl"}

// Fields are those that a name pattern may have; what a file has none of is left out with the separator before it.
var Fields = []string{"production", "episode", "reel", "version", "language", "date", "spec", "stem", "part", "bus", "track", "output", "number", "speaker", "rate", "layout", "from", "to"}

// FolderFields are those of the pattern of a folder.
var FolderFields = []string{"production", "episode", "reel", "version", "date", "spec"}

// ParseSpec reads a spec from JSON, and refuses what can't be delivered to, or has members that no spec has.
func ParseSpec(b []byte) (Spec, error) {
	var s Spec
	if err := json.Unmarshal(b, &s); err != nil {
		return s, snag.Refuse("bad_spec", "this is no delivery specification: %w", err)
	}
	return s, s.Check()
}

// Hertz is how many there are in a tone.
func hertz(hz float64) float64 {
	if hz == 0 {
		return 1000
	}
	return hz
}

// Packing finds one by its ID; the first where it is empty.
func (s Spec) Packing(id string) (Packing, bool) {
	if id == "" && len(s.Packings) > 0 {
		return s.Packings[0], true
	}
	i := slices.IndexFunc(s.Packings, func(p Packing) bool { return p.ID == id })
	if i < 0 {
		return Packing{}, false
	}
	return s.Packings[i], true
}

// codingOf is the coding of a rule's files.
func (s Spec) codingOf(r FileRule) string {
	if r.Coding != "" {
		return r.Coding
	}
	return s.Coding
}

// Check refuses a spec that can't be delivered to.
func (s Spec) Check() error {
	bad := func(format string, args ...any) error {
		return snag.Refuse("bad_spec", "spec %s: "+format, append([]any{s.Name}, args...)...)
	}
	switch {
	case s.Format != SpecFormat:
		return bad("it is of format %d, and this program reads format %d", s.Format, SpecFormat)
	case strings.TrimSpace(s.Name) == "" || len(s.Name) > 200 || len(s.Description) > 4000 || len(s.Source) > 1000:
		return bad("it needs a name of at most 200 letters; a description has at most 4000, a source 1000")
	case s.Version < 1:
		return bad("its version is %d: versions are counted from 1", s.Version)
	case s.SampleRate < 8000 || s.SampleRate > 384000:
		return bad("a sample rate of %d Hz: 8000 to 384000 can be", s.SampleRate)
	case len(s.Packings) == 0 || len(s.Packings) > 20:
		return bad("it says with 1 to 20 packings how the sound becomes files, not %d", len(s.Packings))
	}
	seen := map[string]bool{}
	for _, p := range s.Packings {
		if p.ID == "" || len(p.ID) > 40 || seen[p.ID] {
			return bad("packing %q: it needs an ID of its own", p.ID)
		}
		seen[p.ID] = true
		if len(p.Files) == 0 || len(p.Files) > 200 {
			return bad("packing %s: it has 1 to 200 rules for files, not %d", p.ID, len(p.Files))
		}
		for i, f := range p.Files {
			if err := s.checkRule(f); err != nil {
				return bad("packing %s, file %d: %w", p.ID, i+1, err)
			}
			if err := naming.Check(f.Name, Fields); err != nil {
				return snag.Refuse("bad_pattern", "spec %s, packing %s, file %d: %w", s.Name, p.ID, i+1, err)
			}
		}
	}
	if err := s.checkPictures(); err != nil {
		return bad("%w", err)
	}
	if s.Metadata.ADM && !slices.ContainsFunc(s.Packings, func(p Packing) bool {
		return slices.ContainsFunc(p.Files, func(f FileRule) bool { return Containers[f.Container].Described })
	}) {
		return bad("its files are to be described by the audio definition model, which is done in BW64, and none is one")
	}
	if err := s.Programme.check(); err != nil {
		return bad("%w", err)
	}
	for _, l := range s.Limits {
		if err := l.Check(); err != nil {
			return bad("limits of %s: %w", l.Of, err)
		}
		if l.Of == "" {
			return bad("limits say what they are of: mixes, stems, all, or a bus by its name")
		}
	}
	for _, p := range s.Papers {
		if !slices.Contains(Paperwork, p) {
			return bad("papers are %v, not %q", Paperwork, p)
		}
	}
	if s.Names.Letters != "" && s.Names.Letters != "plain" || s.Names.Most < 0 || s.Names.Most > 0 && s.Names.Most < 12 {
		return bad("letters of names are \"plain\" or any, and a name has at least 12, not %q and %d", s.Names.Letters, s.Names.Most)
	}
	if s.Folder != "" {
		for _, part := range strings.Split(s.Folder, "/") {
			if err := naming.Check(part, FolderFields); err != nil {
				return snag.Refuse("bad_pattern", "spec %s, its folder: %w", s.Name, err)
			}
		}
	}
	return nil
}

func (s Spec) checkRule(f FileRule) error {
	if !slices.Contains([]Each{EachNone, EachOutput, EachGroup, EachTrack, EachStem, EachPart, EachMix}, f.Each) {
		return fmt.Errorf("a file is made for each output, group, track, stem, part or mix, not for each %q", f.Each)
	}
	c, ok := Containers[f.Container]
	if !ok {
		return fmt.Errorf("the container %q is not written: %s are", f.Container, containersSay())
	}
	if coding := s.codingOf(f); !slices.Contains(c.Codings, coding) {
		return fmt.Errorf("samples in %s are %s, not %q", f.Container, strings.Join(c.Codings, ", "), coding)
	}
	if f.Layout != "" {
		if _, err := audio.ParseLayout(f.Layout); err != nil || f.Each == EachNone {
			return fmt.Errorf("a layout %q is of what there is a file for each: expected one such as stereo, with each", f.Layout)
		}
	}
	if f.Each != EachNone && len(f.Groups) > 0 {
		return fmt.Errorf("a rule for each %s takes no groups", f.Each)
	}
	switch f.Picture {
	case PictureAlong:
	case PictureAlone, PictureNone:
		if !c.Picture || f.Picture == PictureNone && c.Needs {
			return fmt.Errorf("a picture %q is said of files that can be without: MOV and MP4, not %s", f.Picture, f.Container)
		}
	default:
		return fmt.Errorf("the picture goes along, or is \"alone\" or \"none\", not %q", f.Picture)
	}
	if f.Picture == PictureAlone && (f.Each != EachNone || len(f.Groups) > 0 || f.Split) {
		return fmt.Errorf("a picture that stands alone is one file, and has no groups")
	}
	var before audio.Layout // of the group before
	rest := map[Each]bool{}
	for i, g := range f.Groups {
		if g.Each != EachNone {
			switch {
			case !slices.Contains([]Each{EachGroup, EachTrack, EachStem, EachPart, EachMix}, g.Each) || rest[g.Each]:
				return fmt.Errorf("group %d: it is for each group of outputs, track, stem, part or mix, of which a file has one, not for each %q", i+1, g.Each)
			case g.Layout != "" || g.Bus != "" || len(g.Outputs) > 0 || g.Name != "" || g.HeadLocked || f.Split:
				return fmt.Errorf("group %d: it is for each %s, which has its own layout and name, in one file", i+1, g.Each)
			}
			rest[g.Each], before = true, audio.Layout{}
			continue
		}
		l, err := audio.ParseLayout(g.Layout)
		switch {
		case err != nil:
			return fmt.Errorf("group %d: %w", i+1, err)
		case (g.Bus == "") == (len(g.Outputs) == 0):
			return fmt.Errorf("group %d: it takes outputs by their names, or a bus", i+1)
		case g.Bus == "" && len(g.Outputs) != l.Count:
			return fmt.Errorf("group %d: %s has %d channels, and %d outputs are named", i+1, l.Name, l.Count, len(g.Outputs))
		}
		if g.HeadLocked {
			if !inACN(before) || l.Name != "stereo" || !c.Fields || f.Split {
				return fmt.Errorf("group %d: a head-locked pair is stereo, and goes in the stream of the sound field (ambisonic, SN3D) right before it, in MOV or MP4", i+1)
			}
		}
		if _, err := f.order(l); err != nil {
			return fmt.Errorf("group %d: %w", i+1, err)
		}
		before = l
	}
	return nil
}

func (s Spec) checkHeadset() error {
	h := s.Headset
	switch {
	case h == Headset{}:
		return nil
	case h.Degrees != 0 && h.Degrees != 180 && h.Degrees != 360 || h.Stereo != "" && !slices.Contains(picture.Stereos, h.Stereo):
		return fmt.Errorf("a picture for headsets has 360 or 180 degrees, or 0 where it is flat, and %s, not %d and %q", strings.Join(picture.Stereos, ", "), h.Degrees, h.Stereo)
	}
	for _, p := range s.Packings {
		for _, f := range p.Files {
			if Containers[f.Container].Picture && f.Picture != PictureNone && !Containers[f.Container].Fields {
				return fmt.Errorf("pictures are marked for headsets in MOV and MP4, and packing %s has pictures in %s", p.ID, f.Container)
			}
		}
	}
	return nil
}

// checkPictures refuses what can't be done with pictures.
func (s Spec) checkPictures() error {
	if err := s.checkHeadset(); err != nil {
		return err
	}
	coder, known := picture.Coders[s.Recode.Codec]
	switch {
	case s.Recode == Recode{}:
		return nil
	case !known:
		return fmt.Errorf("a picture is coded anew as %s, not as %q", strings.Join(picture.CoderNames, ", "), s.Recode.Codec)
	case s.Recode.Megabits < 0 || s.Recode.Megabits > 2000 || s.Recode.Megabits > 0 && !coder.Rated():
		return fmt.Errorf("%s at %g Mbit/s: up to 2000 can be, and VC-3 and FFV1 have a rate of their own", coder.Name, s.Recode.Megabits)
	}
	for _, p := range s.Packings {
		for _, f := range p.Files {
			if Containers[f.Container].Picture && f.Picture != PictureNone && !slices.Contains(coder.Containers, f.Container) {
				return fmt.Errorf("%s is written into %s, and packing %s has pictures in %s", coder.Name, strings.Join(coder.Containers, ", "), p.ID, f.Container)
			}
		}
	}
	return nil
}

// order is the order in which the channels of a layout stand in a file.
func (f FileRule) order(l audio.Layout) ([]int, error) {
	out := make([]int, l.Count)
	for i := range out {
		out[i] = i
	}
	if f.Order == "" || l.Kind != audio.Bed || l.Count < 3 {
		return out, nil
	}
	speakers, err := audio.ParseOrder(f.Order, l.Count)
	if err != nil {
		return nil, err
	}
	for i, s := range speakers {
		if out[i] = l.Index(s); out[i] < 0 {
			return nil, fmt.Errorf("the order %s names %s, which %s has not", f.Order, s, l.Name)
		}
	}
	return out, nil
}

func (p Programme) check() error {
	if p.Length != "reel" && p.Length != "programme" {
		return fmt.Errorf("the length of what is delivered is that of the reel or the programme, not %q", p.Length)
	}
	if p.Start != "" {
		if _, err := (timecode.Rate{Num: 30, Den: 1}).Parse(p.Start); err != nil {
			return fmt.Errorf("the start of programme %q is no timecode: %w", p.Start, err)
		}
	}
	lead := func(segments []Segment) (total float64, err error) {
		for _, s := range segments {
			if !s.silent() && s.What != "tone" || !(s.Seconds > 0 && s.Seconds <= 3600) {
				return 0, fmt.Errorf("before and after programme stand silence, slate, black or tone of up to an hour, not %q of %g s", s.What, s.Seconds)
			}
			if s.What == "tone" && !(s.LevelDBFS >= -80 && s.LevelDBFS < 0 && hertz(s.Hz) >= 20 && hertz(s.Hz) <= 20000) {
				return 0, fmt.Errorf("a tone of %g Hz at %g dBFS: 20 to 20000 Hz and -80 to under 0 dBFS can be", hertz(s.Hz), s.LevelDBFS)
			}
			total += s.Seconds
		}
		return total, nil
	}
	before, err := lead(p.Before)
	if err != nil {
		return err
	}
	after, err := lead(p.After)
	if err != nil {
		return err
	}
	if p.Pop == nil {
		return nil
	}
	tone := Segment{What: "tone", Seconds: 1, LevelDBFS: p.Pop.LevelDBFS, Hz: p.Pop.Hz}
	if _, err := lead([]Segment{tone}); err != nil {
		return fmt.Errorf("pop: %w", err)
	}
	if n := len(p.Before); before < popLead || n == 0 || !p.Before[n-1].silent() || p.Before[n-1].Seconds < popLead {
		return fmt.Errorf("a pop lies two seconds before programme: at least that much silence must stand there")
	}
	if p.Pop.Tail && (after < popLead+1 || !p.After[0].silent() || p.After[0].Seconds < popLead+1) {
		return fmt.Errorf("a tail pop lies two seconds after programme: at least three seconds of silence must stand there")
	}
	return nil
}

// popLead is by how many seconds of timecode a pop stands before the first frame of programme, and after the last.
const popLead = 2

// UnmarshalJSON reads specs of this format and of those before.
func (s *Spec) UnmarshalJSON(b []byte) error {
	var head struct {
		Format int `json:"format"`
	}
	if err := json.Unmarshal(b, &head); err != nil {
		return err
	}
	if head.Format > 0 {
		type plain Spec
		d := json.NewDecoder(strings.NewReader(string(b)))
		d.DisallowUnknownFields()
		return d.Decode((*plain)(s))
	}
	return s.upgrade(b)
}
