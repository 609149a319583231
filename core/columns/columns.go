// Package columns reads tables that others wrote: values with commas, semicolons, tabs or bars between them, with headings in
// whatever words and language, somewhere below what a program or a person wrote above them. Which column holds what is recognised
// by its heading, or said by somebody.
package columns

import (
	"bytes"
	"encoding/csv"
	"errors"
	"slices"
	"strings"
	"unicode"
	"unicode/utf8"

	"golang.org/x/text/encoding/charmap"
	xunicode "golang.org/x/text/encoding/unicode"
	"golang.org/x/text/unicode/norm"
)

// Field is something that a column of a table can hold.
type Field struct {
	Name  string   `json:"field"`
	Says  string   `json:"says"` // what it is, for people
	Words []string `json:"-"`    // headings that it is recognised by, as Plain has them
}

// Kind is a kind of table.
type Kind struct {
	Fields []Field
	// Field recognises headings beside Words, such as those with a number; nil for none.
	Field func(heading string) string
	// Enough reports whether columns of these fields make a line one of headings.
	Enough func(fields []string) bool
}

// Line is a line of a table that is not empty.
type Line struct {
	Number int // in the file, from 1
	Cells  []string
}

// Column is a column, and what it was read as.
type Column struct {
	Heading string
	Field   string // empty when it is not used
}

// Mapping says how a table is read: in which line its headings stand, from 1, and what each column holds.
type Mapping struct {
	Head   int      `json:"head"`
	Fields []string `json:"fields"`
}

// Table is a table that was read.
type Table struct {
	Head    int // the line of its headings, from 1
	Columns []Column
	Lines   []Line // below the headings
	// Recognised says that the headings were, or somebody has said what they mean: else no column has a field.
	Recognised bool
	// Broken is the line of a quotation mark that is never closed, or stands within a cell (RFC 4180): what follows may have been
	// taken for one cell. 0 where there is none.
	Broken int
}

// Bounds of a table that is read.
const (
	maxColumns = 1000
	separators = ",;\t|"
	maxHeading = 60 // lines above the headings
)

// Decode gives text as UTF-8 that spreadsheets and recorders wrote: UTF-8, UTF-16 with a byte order mark, or Windows-1252, in
// which every byte is a character.
func Decode(b []byte) string {
	switch {
	case bytes.HasPrefix(b, []byte{0xFF, 0xFE}), bytes.HasPrefix(b, []byte{0xFE, 0xFF}):
		if out, err := xunicode.UTF16(xunicode.LittleEndian, xunicode.UseBOM).NewDecoder().Bytes(b); err == nil {
			return string(out)
		}
	case utf8.Valid(b):
		return strings.TrimPrefix(string(b), "\uFEFF")
	}
	out, err := charmap.Windows1252.NewDecoder().Bytes(b)
	if err != nil {
		return string(bytes.ToValidUTF8(b, []byte("\uFFFD")))
	}
	return string(out)
}

// Plain is a heading in small letters without accents and signs, its words with a space between them.
func Plain(heading string) string {
	var b strings.Builder
	for _, r := range norm.NFKD.String(strings.ToLower(heading)) {
		switch {
		case unicode.Is(unicode.Mn, r):
		case unicode.IsLetter(r) || unicode.IsDigit(r):
			b.WriteRune(r)
		default:
			b.WriteRune(' ')
		}
	}
	return strings.Join(strings.Fields(b.String()), " ")
}

// FieldOf recognises a heading.
func (k Kind) FieldOf(heading string) string {
	h := Plain(heading)
	for _, f := range k.Fields {
		if slices.Contains(f.Words, h) {
			return f.Name
		}
	}
	if k.Field != nil {
		return k.Field(h)
	}
	return ""
}

// fields are those of a line of headings: the first of two alike.
func (k Kind) fields(cells []string) []string {
	out := make([]string, len(cells))
	for i, h := range cells {
		if f := k.FieldOf(h); f != "" && !slices.Contains(out[:i], f) {
			out[i] = f
		}
	}
	return out
}

// lines takes a text apart by a separator.
func lines(text string, comma rune) (out []Line) {
	c := csv.NewReader(strings.NewReader(text))
	c.Comma, c.FieldsPerRecord, c.LazyQuotes, c.TrimLeadingSpace = comma, -1, true, true
	if comma == '\t' {
		c.TrimLeadingSpace = false // tabs are space
	}
	for {
		cells, err := c.Read()
		if err != nil { // with lazy quotes nothing else than its end
			return out
		}
		n, _ := c.FieldPos(0)
		for i := range cells {
			cells[i] = strings.TrimSpace(cells[i])
		}
		if slices.ContainsFunc(cells, func(s string) bool { return s != "" }) {
			out = append(out, Line{n, cells[:min(len(cells), maxColumns)]})
		}
	}
}

// broken is where quotation marks are not as they should be.
func broken(text string, comma rune) int {
	c := csv.NewReader(strings.NewReader(text))
	c.Comma, c.FieldsPerRecord, c.ReuseRecord = comma, -1, true
	for {
		_, err := c.Read()
		var wrong *csv.ParseError
		switch {
		case errors.As(err, &wrong):
			return wrong.StartLine
		case err != nil:
			return 0
		}
	}
}

// Heads are the lines of a text that may be headings, by their numbers, each as one text by which a mapping can be kept.
func Heads(text string) map[string]int {
	out := map[string]int{}
	for _, comma := range separators {
		all := lines(text, comma)
		for _, l := range all[:min(len(all), maxHeading)] {
			if len(l.Cells) > 1 {
				if h := headOf(l.Cells); out[h] == 0 {
					out[h] = l.Number
				}
			}
		}
	}
	return out
}

func headOf(cells []string) string {
	plain := make([]string, len(cells))
	for i, c := range cells {
		plain[i] = Plain(c)
	}
	return strings.Join(plain, "|")
}

// Heading is the line of its headings as one text, as Heads has it.
func (t Table) Heading() string {
	cells := make([]string, len(t.Columns))
	for i, c := range t.Columns {
		cells[i] = c.Heading
	}
	return headOf(cells)
}

// Read reads a table of a kind, as it is said, or by what its headings say where nobody has. What is no table has no columns.
func Read(text string, k Kind, as *Mapping) Table {
	var best Table
	var between rune // the cells of the best
	for _, comma := range separators {
		all := lines(text, comma)
		at, fields := -1, []string(nil)
		if as != nil {
			at = slices.IndexFunc(all, func(l Line) bool { return l.Number == as.Head })
			fields = as.Fields
		} else {
			for i, l := range all[:min(len(all), maxHeading)] {
				if f := k.fields(l.Cells); k.Enough(f) {
					at, fields = i, f
					break
				}
			}
		}
		found := at >= 0
		if !found { // the first of the widest lines is likely the headings
			for i, l := range all[:min(len(all), maxHeading)] {
				if at < 0 || len(l.Cells) > len(all[at].Cells) {
					at = i
				}
			}
		}
		if at < 0 || len(all[at].Cells) < 2 {
			continue
		}
		t := Table{Head: all[at].Number, Recognised: found, Lines: all[at+1:]}
		for i, h := range all[at].Cells {
			c := Column{Heading: h}
			if i < len(fields) {
				c.Field = fields[i]
			}
			t.Columns = append(t.Columns, c)
		}
		if found && !best.Recognised || found == best.Recognised && len(t.Columns) > len(best.Columns) {
			best, between = t, comma
		}
	}
	if len(best.Columns) > 0 {
		best.Broken = broken(text, between)
	}
	return best
}

// Cell is what stands in a line under a field; empty where the table has no such column.
func (t Table) Cell(l Line, field string) string {
	for i, c := range t.Columns {
		if c.Field == field && i < len(l.Cells) {
			return l.Cells[i]
		}
	}
	return ""
}

// Has reports whether a column holds a field.
func (t Table) Has(field string) bool {
	return slices.ContainsFunc(t.Columns, func(c Column) bool { return c.Field == field })
}

// Check refuses fields that a kind doesn't have, and one that two columns hold; the answer is the first, empty for none.
func (k Kind) Check(fields []string) (wrong string) {
	for i, f := range fields {
		known := f == "" || slices.ContainsFunc(k.Fields, func(o Field) bool { return o.Name == f }) || k.Field != nil && k.Field(f) == f
		if !known || f != "" && slices.Contains(fields[:i], f) {
			return f
		}
	}
	return ""
}
