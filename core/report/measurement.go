package report

import (
	"encoding/csv"
	"fmt"
	"io"
	"math"
	"strconv"
	"time"
)

// Measurement is what was measured of a reel, as it is handed over.
type Measurement struct {
	Production string // with its episode
	Reel       string
	Limits     string // by their name
	From, To   string // timecode
	Printed    time.Time
	Buses      []MeasuredBus
}

// Thread is a limit in a graph.
type Thread struct {
	LUFS float64
	Says string
}

// MeasuredBus is one line of a measurement. A level that is not known is NaN.
type MeasuredBus struct {
	Name, Role                           string
	Says                                 string // why there is nothing, else empty
	Integrated, Range, ShortTerm         float64
	Momentary, TruePeak, PPM             float64
	ShortTermAt, MomentaryAt, TruePeakAt string // timecode
	Verdicts                             []Verdict
	Line                                 []float64 // short-term loudness, of tenths of a second
	// Threads are the limits that are drawn into its graph, in LUFS.
	Threads []Thread
}

// Verdict is one thing that was asked, and what was found.
type Verdict struct {
	What, Asked, Words string
	Found, Margin      float64
	Pass               bool
}

func figure(v float64, places int) string {
	if math.IsNaN(v) || math.IsInf(v, 0) {
		return ""
	}
	return strconv.FormatFloat(v, 'f', places, 64)
}

// WriteMeasurement writes a measurement as CSV: a line for each bus, and one for each thing that was asked of it.
func WriteMeasurement(w io.Writer, m Measurement) error {
	c := csv.NewWriter(w)
	_ = c.Write([]string{"reel", "bus", "role", "integrated_lufs", "range_lu", "max_short_term_lufs", "max_short_term_at", "max_momentary_lufs", "max_momentary_at", "true_peak_dbtp", "true_peak_at", "ppm_mark", "limits", "what", "asked", "found", "margin", "verdict"}) // an error stays with the writer
	for _, b := range m.Buses {
		row := []string{Cell(m.Reel), Cell(b.Name), b.Role, figure(b.Integrated, 2), figure(b.Range, 2), figure(b.ShortTerm, 2), b.ShortTermAt, figure(b.Momentary, 2), b.MomentaryAt, figure(b.TruePeak, 2), b.TruePeakAt, figure(b.PPM, 1), m.Limits}
		if len(b.Verdicts) == 0 {
			_ = c.Write(append(row, "", "", "", "", Cell(b.Says)))
		}
		for _, v := range b.Verdicts {
			_ = c.Write(append(row[:len(row):len(row)], v.What, v.Asked, figure(v.Found, 2), figure(v.Margin, 2), v.Words))
		}
	}
	c.Flush()
	return c.Error()
}

// graphHeight is that of a bus's loudness over time, in millimetres.
const graphHeight = 34.0

// PrintMeasurement prints a measurement: the readings of all buses, and for each what was asked and found, and its
// short-term loudness over time with the limits drawn in. The same measurement gives the same bytes.
func PrintMeasurement(w io.Writer, m Measurement) error {
	d, err := newDocument("Loudness, "+m.Production+", "+m.Reel, m.Printed, "")
	if err != nil {
		return err
	}
	d.SetHeaderFunc(func() {
		d.SetFont("go", "B", 13)
		d.CellFormat(0, 6, d.text(m.Production), "", 1, "L", false, 0, "")
		d.SetFont("go", "", 9)
		d.CellFormat(0, 6, d.text(fmt.Sprintf("Loudness of %s, %s to %s, against %s. ITU-R BS.1770-5, EBU Tech 3341 and 3342.", m.Reel, m.From, m.To, m.Limits)), "", 1, "L", false, 0, "")
		d.Ln(1)
	})
	d.AddPage()
	d.readings(m)
	for _, b := range m.Buses {
		if b.Says == "" && len(b.Line) > 0 {
			d.bus(b)
		}
	}
	return d.Output(w)
}

// readings prints the table of all buses.
func (d *document) readings(m Measurement) {
	columns := []struct {
		title string
		width float64
	}{{"Bus", 45}, {"Role", 14}, {"Integrated LUFS", 28}, {"Range LU", 20}, {"Short-term LUFS", 28}, {"at", 26}, {"True peak dBTP", 28}, {"at", 26}, {"PPM", 14}, {"Verdict", 44}}
	d.SetFont("go", "B", 8)
	for _, c := range columns {
		d.CellFormat(c.width, 6, c.title, "TB", 0, "L", false, 0, "")
	}
	d.Ln(6)
	d.SetFont("go", "", 8)
	for _, b := range m.Buses {
		verdict := b.Says
		missed := 0
		for _, v := range b.Verdicts {
			if !v.Pass {
				missed++
			}
		}
		switch {
		case verdict != "":
			verdict = "no loudness"
		case math.IsNaN(b.Integrated):
			verdict = "silent"
		case missed == 0:
			verdict = "kept"
		default:
			verdict = fmt.Sprintf("%d of %d not kept", missed, len(b.Verdicts))
		}
		for i, cell := range []string{b.Name, b.Role, figure(b.Integrated, 1), figure(b.Range, 1), figure(b.ShortTerm, 1), b.ShortTermAt, figure(b.TruePeak, 1), b.TruePeakAt, figure(b.PPM, 1), verdict} {
			lines := d.SplitText(d.text(cell), columns[i].width-1)
			first := ""
			if len(lines) > 0 {
				first = lines[0]
			}
			d.CellFormat(columns[i].width, 5, first, "", 0, "L", false, 0, "")
		}
		d.Ln(5)
		if d.GetY() > pageHeight-margin-12 {
			d.AddPage()
			d.SetFont("go", "", 8)
		}
	}
	d.Ln(3)
}

// bus prints one bus: what was asked and found, and its graph.
func (d *document) bus(b MeasuredBus) {
	height := bandHeight + 5*float64(len(b.Verdicts)) + graphHeight + 8
	if d.GetY()+height > pageHeight-margin-4 {
		d.AddPage()
	}
	d.band(b.Name + ", " + b.Role)
	d.SetFont("go", "", 8)
	for _, v := range b.Verdicts {
		for i, cell := range []string{v.What, "asked " + v.Asked, "found " + figure(v.Found, 2), "margin " + figure(v.Margin, 2), v.Words} {
			d.CellFormat([]float64{60, 62, 40, 40, 70}[i], 5, d.text(cell), "", 0, "L", false, 0, "")
		}
		d.Ln(5)
	}
	d.graph(b)
}

// graph draws short-term loudness over time, from 0 to -60 LUFS.
func (d *document) graph(b MeasuredBus) {
	const lowest = -60.0
	left, top, width := margin+10, d.GetY()+2, pageWidth-2*margin-40
	y := func(v float64) float64 { return top + graphHeight*math.Min(1, math.Max(0, v/lowest)) }
	d.SetLineWidth(0.1)
	d.SetDrawColor(200, 200, 200)
	d.SetFont("go", "", 7)
	for v := 0.0; v >= lowest; v -= 20 {
		d.Line(left, y(v), left+width, y(v))
		d.SetXY(margin, y(v)-1.5)
		d.CellFormat(9, 3, fmt.Sprintf("%.0f", v), "", 0, "R", false, 0, "")
	}
	for _, t := range b.Threads {
		d.SetDrawColor(170, 60, 50)
		d.Line(left, y(t.LUFS), left+width, y(t.LUFS))
		d.SetXY(left+width+1, y(t.LUFS)-1.5)
		d.CellFormat(28, 3, d.text(t.Says), "", 0, "L", false, 0, "")
	}
	d.SetDrawColor(0, 0, 0)
	d.SetLineWidth(0.2)
	// As many points as can be told apart: the loudest of each.
	const points = 1200
	n := len(b.Line)
	step := max(1, (n+points-1)/points)
	var lastX, lastY float64
	pen := false
	for i := 0; i < n; i += step {
		v := math.Inf(-1)
		for _, w := range b.Line[i:min(n, i+step)] {
			v = math.Max(v, w)
		}
		x := left + width*float64(i)/float64(max(1, n))
		if !(v > lowest) {
			pen = false
			continue
		}
		if pen {
			d.Line(lastX, lastY, x, y(v))
		}
		lastX, lastY, pen = x, y(v), true
	}
	d.SetXY(margin, top+graphHeight+3)
}
