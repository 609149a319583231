package report

import (
	"fmt"
	"time"

	"github.com/go-pdf/fpdf"
	"golang.org/x/image/font/gofont/gobold"
	"golang.org/x/image/font/gofont/goregular"
	"golang.org/x/image/font/sfnt"
)

// newDocument begins a PDF on A4, on its side, with our letters and a foot on every page. The same calls give the same
// bytes.
func newDocument(title string, printed time.Time, foot string) (*document, error) {
	known, err := sfnt.Parse(goregular.TTF)
	if err != nil {
		return nil, err
	}
	d := &document{Fpdf: fpdf.New("L", "mm", "A4", ""), known: known}
	d.AddUTF8FontFromBytes("go", "", goregular.TTF)
	d.AddUTF8FontFromBytes("go", "B", gobold.TTF)
	d.SetCatalogSort(true)
	d.SetCreationDate(printed)
	d.SetModificationDate(printed)
	d.SetTitle(d.text(title), true)
	d.SetCreator("Zesty Loom", true)
	d.SetMargins(margin, margin, margin)
	d.SetAutoPageBreak(false, margin)
	d.AliasNbPages("")
	d.SetFooterFunc(func() {
		d.SetY(pageHeight - margin)
		d.SetFont("go", "", 8)
		d.CellFormat(0, lineHeight, fmt.Sprintf("Printed %s. %sPage %d of {nb}", printed.Format("2006-01-02 15:04"), foot, d.PageNo()), "", 0, "R", false, 0, "")
	})
	return d, nil
}

// column is one of a table.
type column struct {
	title string
	width float64
}

// heads prints the heads of a table's columns.
func (d *document) heads(columns []column) {
	d.SetFont("go", "B", 8)
	for _, c := range columns {
		d.CellFormat(c.width, 6, c.title, "TB", 0, "L", false, 0, "")
	}
	d.Ln(6)
	d.SetFont("go", "", 8)
}

// room begins a new page where a height does not fit on this one, and reports whether it did.
func (d *document) room(height float64) bool {
	if d.GetY()+height <= pageHeight-margin-6 {
		return false
	}
	d.AddPage()
	return true
}

// line prints a row of a table, as high as its longest cell has lines; on a new page the heads stand above it again.
func (d *document) line(columns []column, cells ...string) {
	lines, most := make([][]string, len(cells)), 1
	for i, c := range cells {
		lines[i] = d.SplitText(d.text(c), columns[i].width-pad)
		most = max(most, len(lines[i]))
	}
	height := float64(most)*lineHeight + 0.6
	if d.room(height) {
		d.heads(columns)
	}
	x, y := margin, d.GetY()
	for i := range cells {
		for k, l := range lines[i] {
			d.SetXY(x, y+0.3+float64(k)*lineHeight)
			d.CellFormat(columns[i].width, lineHeight, l, "", 0, "L", false, 0, "")
		}
		x += columns[i].width
	}
	d.SetDrawColor(210, 210, 210)
	d.Line(margin, y+height, pageWidth-margin, y+height)
	d.SetDrawColor(0, 0, 0)
	d.SetXY(margin, y+height)
}

// heading prints a line in bold above a table, on the page of what follows it.
func (d *document) heading(text string) {
	d.room(22)
	d.Ln(3)
	d.SetFont("go", "B", 10)
	d.CellFormat(0, 6, d.text(text), "", 1, "L", false, 0, "")
	d.SetFont("go", "", 8)
}
