package report

import (
	"fmt"
	"io"
	"strings"
	"time"

	"github.com/go-pdf/fpdf"
	"golang.org/x/image/font/sfnt"
)

// Sheet is a sound report as it is printed.
type Sheet struct {
	Production string // with its episode
	Rate       string // of the timecode, in words
	Printed    time.Time
	Rows       []Row
}

// Measures of the page in millimetres: A4 on its side.
const (
	pageWidth, pageHeight = 297.0, 210.0
	margin                = 12.0
	lineHeight            = 4.2
	pad                   = 1.2
	bandHeight            = 6.0
)

var printed = []struct {
	title string
	width float64
}{{"Scene", 18}, {"Take", 16}, {"Start", 25}, {"Length", 23}, {"File", 46}, {"Tracks", 99}, {"Note", 46}}

// WritePDF prints a report: the production at the head of each page, a band for each day and roll, a row a take with the
// labels of its tracks. A circled take has a ring round its number. The same sheet gives the same
// bytes.
func WritePDF(w io.Writer, s Sheet) error {
	d, err := newDocument("Sound report, "+s.Production, s.Printed, "A ring marks a circled take. ")
	if err != nil {
		return err
	}
	var last string
	d.SetHeaderFunc(func() { d.head(s) })
	if len(s.Rows) == 0 {
		d.AddPage()
		d.SetFont("go", "", 9)
		d.CellFormat(0, 8, "No takes.", "", 1, "L", false, 0, "")
	}
	for _, r := range s.Rows {
		if d.PageNo() == 0 {
			d.AddPage()
		}
		h := section(r)
		d.row(r, h, h != last)
		last = h
	}
	return d.Output(w)
}

func section(r Row) string {
	say := func(what, v string) string {
		if v == "" {
			return what + " not given"
		}
		return what + " " + v
	}
	return say("Day", r.Day) + ", " + say("roll", r.Roll)
}

type document struct {
	*fpdf.Fpdf
	known *sfnt.Font
	buf   sfnt.Buffer
}

// text replaces letters that the font has no shape for, so that a missing one is seen to be missing.
func (d *document) text(s string) string {
	return strings.Map(func(r rune) rune {
		if i, err := d.known.GlyphIndex(&d.buf, r); r > 0xFFFF || err != nil || i == 0 {
			return '?'
		}
		return r
	}, strings.ToValidUTF8(s, "?"))
}

func (d *document) head(s Sheet) {
	d.SetFont("go", "B", 13)
	d.CellFormat(0, 6, d.text(s.Production), "", 1, "L", false, 0, "")
	d.SetFont("go", "", 9)
	d.CellFormat(0, 6, d.text("Sound report. Timecode at "+s.Rate+"."), "", 1, "L", false, 0, "")
	d.Ln(1)
	d.SetFont("go", "B", 8)
	for _, c := range printed {
		d.CellFormat(c.width, 6, c.title, "TB", 0, "L", false, 0, "")
	}
	d.Ln(6)
}

// band prints the day and the roll that the takes below it are of.
func (d *document) band(section string) {
	d.SetFont("go", "B", 8)
	d.SetFillColor(232, 232, 232)
	d.CellFormat(0, bandHeight, d.text(section), "", 1, "L", true, 0, "")
}

// row prints a take; it is never divided between pages. The first of a section has a band above it,
// and so has the first on a page.
func (d *document) row(r Row, section string, first bool) {
	d.SetFont("go", "", 8)
	var flags []string
	for _, f := range []struct {
		on   *bool
		word string
	}{{r.Wild, "wild"}, {r.NoGood, "no good"}, {r.FalseStart, "false start"}} {
		if f.on != nil && *f.on {
			flags = append(flags, f.word)
		}
	}
	var tracks []string
	for i, label := range r.Tracks {
		if label == "" {
			label = "–"
		}
		tracks = append(tracks, fmt.Sprintf("%d\u00a0%s", i+1, label))
	}
	note := strings.Join(append(flags, r.Note), ". ")
	cells := []string{r.Scene, r.Take, r.Start, r.Length, r.File, strings.Join(tracks, ",  "), strings.TrimSuffix(note, ". ")}
	lines := make([][]string, len(cells))
	most := 1
	for i, c := range cells {
		lines[i] = d.SplitText(d.text(c), printed[i].width-2*pad)
		most = max(most, len(lines[i]))
	}
	const fit = 38  // lines between the head and the foot of a page
	if most > fit { // a label list that fills more than a page ends there, and says so
		for i := range lines {
			if len(lines[i]) > fit {
				lines[i] = append(lines[i][:fit-1], "(more in the CSV report)")
			}
		}
		most = fit
	}
	height := float64(most)*lineHeight + 2*pad
	above := 0.0
	if first {
		above = bandHeight
	}
	if d.GetY()+above+height > pageHeight-margin-6 {
		d.AddPage()
		first = true
	}
	if first {
		d.band(section)
	}
	d.SetFont("go", "", 8)
	x, y := margin, d.GetY()
	for i := range cells {
		for k, l := range lines[i] {
			d.SetXY(x, y+pad+float64(k)*lineHeight)
			d.CellFormat(printed[i].width, lineHeight, l, "", 0, "L", false, 0, "")
		}
		if i == 1 && r.Circled != nil && *r.Circled && len(lines[i]) > 0 {
			half := d.GetStringWidth(lines[i][0])/2 + 1.4
			d.Ellipse(x+half-0.4, y+pad+lineHeight/2, half, 2.6, 0, "D")
		}
		x += printed[i].width
	}
	d.SetDrawColor(190, 190, 190)
	d.Line(margin, y+height, pageWidth-margin, y+height)
	d.SetDrawColor(0, 0, 0)
	d.SetXY(margin, y+height)
}
