package report

import (
	"encoding/base64"
	"encoding/csv"
	"encoding/json"
	"fmt"
	"io"
	"path"
	"slices"
	"strconv"
	"strings"
	"time"

	"zestyloom/core/attest"
	"zestyloom/core/audio"
	"zestyloom/core/delivery"
	"zestyloom/core/mhl"
	"zestyloom/core/snag"
)

// Dispatch is the note that goes with a delivery.
type Dispatch struct {
	delivery.Made
	Number  int // the version
	Printed time.Time
	// Differs says what is other than in the version before; nothing for a first one.
	Differs []string
	Signed  *attest.Signed // nil where the installation has no key, or had none then
}

// SignedProof is the kind of paper that is the signed statement of what was proven.
const SignedProof = "proof"

// dispatched is a dispatch note as JSON.
type dispatched struct {
	Production string            `json:"production"`
	Episode    string            `json:"episode"`
	Reel       string            `json:"reel"`
	Recipient  string            `json:"recipient"`
	Spec       string            `json:"spec"`
	SpecNumber int               `json:"spec_version"`
	Version    int               `json:"version"`
	Test       bool              `json:"test"`
	CutDown    bool              `json:"cut_down"`
	Date       string            `json:"date"`
	Start      string            `json:"start_timecode"`
	StartAt    int64             `json:"start_samples"`
	Rate       string            `json:"timecode_rate"`
	SampleRate int               `json:"sample_rate"`
	Frames     int64             `json:"frames"`
	Programme  [2]int64          `json:"programme"` // its first frame in the files, and the one after its last
	Files      []delivery.File   `json:"files"`
	Proof      delivery.Proof    `json:"proof"`
	Differs    []string          `json:"differs"`
	Sources    []delivery.Used   `json:"sources"`
	Tones      []delivery.Tone   `json:"tones"`
	Limits     []delivery.Asked  `json:"limits"`
	Picture    *delivery.Picture `json:"picture,omitempty"`
	Signed     *attest.Signed    `json:"signed,omitempty"`
}

// WriteDispatchJSON writes a dispatch note as JSON: everything that is in the others.
func WriteDispatchJSON(w io.Writer, d Dispatch) error {
	p := d.Plan
	v := dispatched{
		Production: p.Order.Titles.Production, Episode: p.Order.Titles.Episode, Reel: p.Order.Titles.Reel, Recipient: p.Order.Recipient, Spec: p.Order.Spec.Name, SpecNumber: p.Order.Spec.Version,
		Version: d.Number, Test: p.Test(), CutDown: p.CutDown(), Date: p.Order.Date, Start: d.start(), StartAt: p.Start, Rate: p.Rate.String(), SampleRate: p.Rates.Files, Frames: p.Frames,
		Programme: [2]int64{p.Lead, p.Frames - p.Tail}, Files: p.Files, Proof: d.Proof, Differs: append([]string{}, d.Differs...), Sources: p.Uses(),
		Tones: append([]delivery.Tone{}, p.Tones...), Limits: append([]delivery.Asked{}, p.Order.Spec.Limits...), Picture: p.Order.Picture, Signed: d.Signed,
	}
	e := json.NewEncoder(w)
	e.SetEscapeHTML(false)
	e.SetIndent("", "  ")
	return e.Encode(v)
}

func (d Dispatch) start() string {
	return d.Plan.Rate.FormatSamples(d.Plan.Start, int64(d.Plan.Rates.Files))
}

// WriteDispatch writes the channel assignment sheet as CSV: a row a channel, with what was found of it.
func WriteDispatch(w io.Writer, d Dispatch) error {
	c := csv.NewWriter(w)
	_ = c.Write([]string{"file", "container", "coding", "sample_rate", "start_samples", "start_timecode", "frames", "channel", "name", "speaker", "group", "output", "peak_dbfs", "rms_dbfs", "samples", "file_xxh64"}) // an error stays with the writer
	for i, f := range d.Plan.Files {
		groups := []string{}
		for _, g := range f.Groups {
			for range g.Count {
				groups = append(groups, g.Name+" ("+g.Layout+")")
			}
		}
		for k, ch := range f.Channels {
			row := []string{Cell(f.Name), f.Container, f.Coding, strconv.Itoa(d.Plan.Rates.Files), strconv.FormatInt(d.Plan.Start, 10), d.start(), strconv.FormatInt(d.Plan.Frames, 10), strconv.Itoa(k + 1), Cell(ch.Name), ch.Speaker, "", "", "", "", "", ""}
			if k < len(groups) {
				row[10] = Cell(groups[k])
			}
			if ch.Output >= 0 {
				row[11] = strconv.Itoa(ch.Output + 1)
			}
			if i < len(d.Proof.Files) && k < len(d.Proof.Files[i].Channels) {
				p := d.Proof.Files[i].Channels[k]
				row[12], row[13], row[14], row[15] = level(p.PeakDBFS), level(p.RMSDBFS), found(p), d.Proof.Files[i].Hash
			}
			_ = c.Write(row)
		}
	}
	c.Flush()
	return c.Error()
}

func level(v *float64) string {
	if v == nil {
		return ""
	}
	return strconv.FormatFloat(*v, 'f', 2, 64)
}

// found says in words what was found of a channel's samples.
func found(c delivery.ChannelProof) string {
	switch {
	case c.Alike != nil && c.OK:
		return fmt.Sprintf("compressed, %.2f %% alike", 100**c.Alike)
	case c.OK:
		return "as ordered"
	}
	return fmt.Sprintf("%d differ", c.Differs)
}

// HashList lists the files of a delivery with their hashes.
func (d Dispatch) HashList() mhl.List {
	l := mhl.List{Created: d.Printed, Tool: "Zesty Loom"}
	for _, f := range d.Proof.Files {
		l.Entries = append(l.Entries, mhl.Entry{Path: f.Name, Size: f.Bytes, Hashes: []mhl.Hash{{Kind: "xxh64", Value: f.Hash}}})
	}
	return l
}

// PaperName is the name of a paper of a delivery, after its first file: that of the folder where it has several.
func (d Dispatch) PaperName(kind string) string {
	p := d.Plan.Order
	var parts []string
	for _, s := range []string{p.Titles.Production, p.Titles.Episode, p.Titles.Reel, p.Spec.Name, fmt.Sprintf("v%d", max(1, d.Number))} {
		if s = strings.TrimSpace(s); s != "" {
			parts = append(parts, s)
		}
	}
	name := strings.Join(parts, " - ")
	if d.Plan.Test() {
		name += " - TEST"
	}
	return strings.Map(func(r rune) rune {
		if strings.ContainsRune(`/\:*?"<>|`, r) || r < ' ' {
			return '_'
		}
		return r
	}, name) + "." + kind
}

// WritePaper writes one of the papers that a spec can ask for (pdf, csv, json or mhl), or the signed proof.
func (d Dispatch) WritePaper(w io.Writer, kind string) error {
	switch kind {
	case "pdf":
		return PrintDispatch(w, d)
	case "csv":
		return WriteDispatch(w, d)
	case "json":
		return WriteDispatchJSON(w, d)
	case "mhl":
		return mhl.Write(w, d.HashList())
	case SignedProof:
		if d.Signed == nil {
			return snag.Refuse("not_signed", "the proof was not signed: it is of before this installation had a key")
		}
		return d.Signed.Write(w)
	}
	return fmt.Errorf("report: there is no paper %q", kind)
}

// PrintDispatch prints a dispatch note: what is delivered by which spec, which channel is where, what was measured and
// proven, what is other than before, and what it was made of.
func PrintDispatch(w io.Writer, n Dispatch) error {
	p := n.Plan
	title := strings.TrimSuffix(strings.TrimSpace(p.Order.Titles.Production+", "+p.Order.Titles.Episode), ",")
	d, err := newDocument("Delivery, "+title+", "+p.Order.Titles.Reel, n.Printed, "")
	if err != nil {
		return err
	}
	d.SetHeaderFunc(func() {
		d.SetFont("go", "B", 13)
		head := title
		if p.Test() {
			head = "TEST. " + head
		}
		d.CellFormat(0, 6, d.text(head), "", 1, "L", false, 0, "")
		d.SetFont("go", "", 9)
		what := ""
		if p.Order.Titles.Reel != "" {
			what = " of " + p.Order.Titles.Reel
		}
		d.CellFormat(0, 6, d.text(fmt.Sprintf("Delivery%s to the specification %s (version %d). Version %d, %s.", what, p.Order.Spec.Name, p.Order.Spec.Version, max(1, n.Number), p.Order.Date)), "", 1, "L", false, 0, "")
		d.Ln(1)
	})
	d.AddPage()
	n.summary(d)
	n.files(d)
	n.channels(d)
	n.measures(d)
	n.proof(d)
	n.made(d)
	return d.Output(w)
}

// summary prints where it lies and how long it is.
func (n Dispatch) summary(d *document) {
	p := n.Plan
	rate := int64(p.Rates.Files)
	tc := func(at int64) string { return p.Rate.FormatSamples(p.Start+at, rate) }
	columns := []column{{"", 44}, {"", 220}}
	what := "Programme"
	if p.CutDown() {
		what = "Cut-down"
	}
	rows := [][2]string{
		{"Files", fmt.Sprintf("%d, each from %s, %d samples at %d Hz (%s)", len(p.Files), tc(0), p.Frames, p.Rates.Files, lasting(p.Frames, rate))},
		{what, fmt.Sprintf("%s to %s, timecode of %s frames a second", tc(p.Lead), tc(p.Frames-p.Tail), p.Rate)},
	}
	if p.Order.Recipient != "" {
		rows = slices.Insert(rows, 0, [2]string{"To", p.Order.Recipient})
	}
	for _, t := range p.Tones {
		rows = append(rows, [2]string{strings.ToUpper(t.Says[:1]) + t.Says[1:], fmt.Sprintf("%s, %g Hz at %.1f dBFS, all channels", tc(t.From), t.Hz, t.LevelDBFS)})
	}
	switch {
	case p.CutSays != "":
		rows = append(rows, [2]string{"Picture", p.CutSays})
	case p.Order.Picture != nil && !p.Test():
		rows = append(rows, [2]string{"Picture", p.Order.Picture.Name + ", its packets untouched"})
	}
	for _, f := range p.Files {
		for _, g := range f.Groups {
			l, err := audio.ParseLayout(g.Layout)
			if err != nil || !l.IsCustom() {
				continue
			}
			var speakers []string
			for _, s := range l.Placed() {
				speakers = append(speakers, s.String())
			}
			row := [2]string{"Layout of its own", fmt.Sprintf("%d channels: %s", l.Count, strings.Join(speakers, "; "))}
			if !slices.Contains(rows, row) {
				rows = append(rows, row)
			}
		}
	}
	seal := "Proven: all files were read back, and every sample is as ordered"
	if !n.Proof.Passed {
		seal = "Not proven: " + strings.Join(n.Proof.Failures(), "; ")
	}
	rows = append(rows, [2]string{"Proof", seal})
	d.SetFont("go", "", 8)
	for _, r := range rows {
		d.line(columns, r[0], r[1])
	}
	if len(n.Differs) > 0 {
		d.heading("What is other than in the version before")
		for _, s := range n.Differs {
			d.line([]column{{"", 264}}, s)
		}
	}
}

func lasting(frames, rate int64) string {
	s := frames / rate
	return fmt.Sprintf("%d:%02d:%02d.%03d", s/3600, s/60%60, s%60, frames%rate*1000/rate)
}

func (n Dispatch) files(d *document) {
	columns := []column{{"File", 140}, {"Container", 22}, {"Coding", 16}, {"Channels", 18}, {"Bytes", 28}, {"xxh64", 38}}
	d.heading("Files")
	d.heads(columns)
	for i, f := range n.Plan.Files {
		bytes, hash := "", ""
		if i < len(n.Proof.Files) {
			bytes, hash = strconv.FormatInt(n.Proof.Files[i].Bytes, 10), n.Proof.Files[i].Hash
		}
		d.line(columns, f.Name, strings.ToUpper(f.Container), f.Coding, strconv.Itoa(len(f.Channels)), bytes, hash)
	}
}

func (n Dispatch) channels(d *document) {
	columns := []column{{"File", 106}, {"Ch", 10}, {"Name", 46}, {"Group", 46}, {"Peak dBFS", 20}, {"RMS dB", 18}, {"Samples", 24}}
	d.heading("Channel assignment")
	d.heads(columns)
	for i, f := range n.Plan.Files {
		k := 0
		for _, g := range f.Groups {
			for c := range g.Count {
				ch := f.Channels[k]
				row := []string{"", strconv.Itoa(k + 1), ch.Name, "", "", "", ""}
				if k == 0 {
					row[0] = path.Base(f.Name)
				}
				if c == 0 && g.Count > 1 {
					row[3] = g.Name + ", " + g.Layout
				}
				if i < len(n.Proof.Files) && k < len(n.Proof.Files[i].Channels) {
					p := n.Proof.Files[i].Channels[k]
					row[4], row[5], row[6] = level(p.PeakDBFS), level(p.RMSDBFS), found(p)
				}
				d.line(columns, row...)
				k++
			}
		}
	}
}

func (n Dispatch) measures(d *document) {
	if len(n.Proof.Measures) == 0 {
		return
	}
	columns := []column{{"Programme of", 70}, {"Layout", 22}, {"Integrated LUFS", 30}, {"Range LU", 22}, {"Short-term LUFS", 30}, {"Momentary LUFS", 30}, {"True peak dBTP", 30}, {"Limits", 30}}
	d.heading("Loudness and peaks of the files (ITU-R BS.1770-5, EBU Tech 3341 and 3342)")
	d.heads(columns)
	for _, m := range n.Proof.Measures {
		d.line(columns, m.Name, m.Layout, level(m.Integrated), level(m.Range), level(m.ShortTerm), level(m.Momentary), level(m.TruePeak), m.Limits)
	}
	for _, m := range n.Proof.Measures {
		if len(m.Verdicts) == 0 || len(m.Line) == 0 {
			continue
		}
		d.room(bandHeight + 5*float64(len(m.Verdicts)) + graphHeight + 8)
		d.Ln(2)
		d.band(m.Name + ", against " + m.Limits)
		d.SetFont("go", "", 8)
		var threads []Thread
		for _, v := range m.Verdicts {
			for i, cell := range []string{v.What, "asked " + v.Asked, "found " + level(v.Found), "margin " + level(v.Margin), v.Words} {
				d.CellFormat([]float64{60, 62, 40, 40, 70}[i], 5, d.text(cell), "", 0, "L", false, 0, "")
			}
			d.Ln(5)
		}
		for _, a := range n.Plan.Order.Spec.Limits {
			if a.Name == m.Limits && a.Integrated != nil {
				threads = append(threads, Thread{*a.Integrated, fmt.Sprintf("%.1f LUFS", *a.Integrated)})
			}
		}
		d.graph(MeasuredBus{Line: m.Line, Threads: threads})
	}
}

func (n Dispatch) proof(d *document) {
	columns := []column{{"File", 96}, {"Fact", 62}, {"Ordered", 54}, {"Found", 54}}
	d.heading("Proof: the files as they were read back")
	for _, s := range n.Proof.Sums {
		d.line([]column{{"", 264}}, s.Says)
	}
	for _, s := range n.Proof.Notes {
		d.line([]column{{"", 264}}, s)
	}
	if n.Signed != nil {
		d.line([]column{{"", 264}}, "Signed with the key "+attest.Fingerprint(n.Signed.Key)+" of the installation that made it (Ed25519); the signature: "+base64.StdEncoding.EncodeToString(n.Signed.Signature))
	}
	d.heads(columns)
	for _, f := range n.Proof.Files {
		for i, c := range f.Checks {
			name := ""
			if i == 0 {
				name = path.Base(f.Name)
			}
			found := c.Found
			if c.OK {
				found = "the same"
			}
			d.line(columns, name, c.What, c.Ordered, found)
		}
	}
}

func (n Dispatch) made(d *document) {
	used := n.Plan.Uses()
	if len(used) == 0 {
		return
	}
	columns := []column{{"Recording", 92}, {"Channels", 30}, {"Clips", 14}, {"On tracks", 86}, {"xxh64", 38}}
	d.heading("What it was made of")
	d.heads(columns)
	for _, u := range used {
		var chs []string
		for _, c := range u.Channels {
			chs = append(chs, strconv.Itoa(c))
		}
		d.line(columns, u.File, strings.Join(chs, ", "), strconv.Itoa(u.Clips), strings.Join(u.Tracks, ", "), u.Hash)
	}
}
