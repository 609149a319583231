// Package report reads and writes sound reports as CSV (RFC 4180): a row a take, in the manner of
// the sheets that recordists keep. There is no standard for the headings, so columns are recognised
// by the words that are used for them.
package report

import (
	"bytes"
	"encoding/csv"
	"errors"
	"fmt"
	"io"
	"regexp"
	"strconv"
	"strings"
	"unicode"
	"unicode/utf8"

	"zestyloom/core/snag"
)

// Row is a take in a report. Text that is not given is empty; Flags are nil where the report has no
// column for them.
type Row struct {
	Line    int // in the file, from 1
	File    string
	Day     string
	Scene   string
	Take    string
	Roll    string
	Start   string // timecode
	Length  string
	Note    string
	Circled *bool
	Wild    *bool
	NoGood  *bool
	// FalseStart is printed, and not among the columns of a CSV.
	FalseStart *bool
	Tracks     []string // labels, in order
}

// Column is what a column of a report was read as.
type Column struct {
	Heading string
	Field   string // such as scene or track 3; empty when it is not used
}

// Report is a report that was read.
type Report struct {
	Columns []Column
	Rows    []Row
}

const maxTracks = 256

var words = map[string]string{
	"scene": "scene", "sc": "scene", "scene no": "scene", "scene number": "scene", "slate": "scene",
	"take": "take", "tk": "take", "take no": "take", "take number": "take",
	"roll": "roll", "tape": "roll", "reel": "roll", "sound roll": "roll", "card": "roll",
	"file": "file", "file name": "file", "filename": "file", "name": "file", "clip": "file",
	"start": "start", "start tc": "start", "timecode": "start", "tc": "start", "start timecode": "start", "tc in": "start",
	"length": "length", "duration": "length", "dur": "length",
	"note": "note", "notes": "note", "comment": "note", "comments": "note", "remarks": "note", "remark": "note",
	"circled": "circled", "circle": "circled", "print": "circled", "selected": "circled",
	"wild": "wild", "wild track": "wild", "no good": "no good", "ng": "no good",
	"date": "day", "day": "day", "shoot date": "day",
}

var trackHeading = regexp.MustCompile(`^(?:track|trk|tr|channel|chan|ch|strand|iso) ?0*([0-9]{1,3})(?: name| label)?$`)

// field recognises a heading.
func field(heading string) string {
	h := strings.ToLower(strings.TrimSpace(heading))
	h = strings.Join(strings.FieldsFunc(h, func(r rune) bool { return strings.ContainsRune(" _-.:#/()", r) }), " ")
	if f, ok := words[h]; ok {
		return f
	}
	if m := trackHeading.FindStringSubmatch(h); m != nil {
		if n, err := strconv.Atoi(m[1]); err == nil && n >= 1 && n <= maxTracks {
			return "track " + strconv.Itoa(n)
		}
	}
	return ""
}

// Read reads a report. Lines before the headings, as some programs write them, are passed over: the
// headings are the first line in which a scene, a take or a file name is named, with something else.
// Commas, semicolons and tabs are told apart by that line.
func Read(text []byte) (*Report, error) {
	text = bytes.TrimPrefix(text, []byte("\xEF\xBB\xBF"))
	if !utf8.Valid(text) {
		// Latin-1, which spreadsheets still write: every byte is a character.
		r := make([]rune, len(text))
		for i, b := range text {
			r[i] = rune(b)
		}
		text = []byte(string(r))
	}
	comma, err := separator(text)
	if err != nil {
		return nil, err
	}
	c := csv.NewReader(bytes.NewReader(text))
	c.Comma, c.FieldsPerRecord, c.LazyQuotes, c.TrimLeadingSpace = comma, -1, true, true
	out := &Report{}
	seen := map[string]bool{}
	for {
		cells, err := c.Read()
		if errors.Is(err, io.EOF) {
			return out, nil
		}
		if err != nil {
			return nil, snag.Refuse("bad_report", "the report can't be read: %w", err)
		}
		line, _ := c.FieldPos(0)
		if out.Columns == nil {
			if !headings(cells) {
				continue
			}
			for _, h := range cells {
				f := field(h)
				if seen[f] {
					f = "" // the first of two alike
				}
				seen[f] = f != ""
				out.Columns = append(out.Columns, Column{strings.TrimSpace(h), f})
			}
			continue
		}
		if row, ok := out.row(cells, line); ok {
			out.Rows = append(out.Rows, row)
		}
	}
}

func headings(cells []string) bool {
	key, known := false, 0
	for _, h := range cells {
		f := field(h)
		key = key || f == "scene" || f == "take" || f == "file"
		if f != "" {
			known++
		}
	}
	return key && known >= 2
}

func separator(text []byte) (rune, error) {
	for line := range bytes.Lines(text) {
		for _, comma := range []rune{',', ';', '\t'} {
			c := csv.NewReader(bytes.NewReader(line))
			c.Comma, c.LazyQuotes = comma, true
			if cells, err := c.Read(); err == nil && headings(cells) {
				return comma, nil
			}
		}
	}
	return 0, snag.Refuse("bad_report", "no line of the report names columns such as scene, take, file name or track 1: is it a sound report as CSV?")
}

func (r *Report) row(cells []string, line int) (Row, bool) {
	row := Row{Line: line}
	any := false
	for i, v := range cells {
		if i >= len(r.Columns) {
			break
		}
		if v = plain(strings.TrimSpace(v)); v != "" {
			any = true
		}
		flag := func() *bool {
			b := truth(v)
			return &b
		}
		switch f := r.Columns[i].Field; f {
		case "scene":
			row.Scene = v
		case "take":
			row.Take = v
		case "roll":
			row.Roll = v
		case "file":
			row.File = v
		case "start":
			row.Start = v
		case "length":
			row.Length = v
		case "note":
			row.Note = v
		case "day":
			row.Day = v
		case "circled":
			row.Circled = flag()
		case "wild":
			row.Wild = flag()
		case "no good":
			row.NoGood = flag()
		default:
			if n, err := strconv.Atoi(strings.TrimPrefix(f, "track ")); err == nil {
				for len(row.Tracks) < n {
					row.Tracks = append(row.Tracks, "")
				}
				row.Tracks[n-1] = v
			}
		}
	}
	return row, any
}

// truth reads a flag: anything but nothing, no, false and 0 is true.
func truth(s string) bool {
	switch strings.ToLower(s) {
	case "", "no", "n", "false", "0", "-":
		return false
	}
	return true
}

// Write writes rows as a report that Read reads.
func Write(w io.Writer, rows []Row) error {
	most := 0
	for _, r := range rows {
		most = max(most, len(r.Tracks))
	}
	head := []string{"File name", "Date", "Scene", "Take", "Roll", "Start TC", "Length", "Circled", "Wild track", "No good", "Note"}
	for n := range most {
		head = append(head, fmt.Sprintf("Track %d", n+1))
	}
	c := csv.NewWriter(w)
	c.UseCRLF = true // RFC 4180
	if err := c.Write(head); err != nil {
		return err
	}
	for _, r := range rows {
		cells := []string{r.File, r.Day, r.Scene, r.Take, r.Roll, r.Start, r.Length, yes(r.Circled), yes(r.Wild), yes(r.NoGood), r.Note}
		cells = append(cells, r.Tracks...)
		for len(cells) < len(head) {
			cells = append(cells, "")
		}
		for i := range cells {
			cells[i] = Cell(cells[i])
		}
		if err := c.Write(cells); err != nil {
			return err
		}
	}
	c.Flush()
	return c.Error()
}

// Cell is a text as it stands in a cell of a CSV table: behind an apostrophe where a spreadsheet would take it
// for a formula. Numbers with a sign stay as they are.
func Cell(s string) string {
	// What a spreadsheet takes off before it looks hides nothing from it.
	bare := strings.TrimLeftFunc(s, unicode.IsSpace)
	if s == "" || !strings.ContainsRune("\t\r\n", rune(s[0])) && (bare == "" || !strings.ContainsRune("=+-@|%＝＋－＠", []rune(bare)[0])) {
		return s
	}
	if _, err := strconv.ParseFloat(s, 64); err == nil {
		return s
	}
	return "'" + s
}

// plain is the text of a cell: Cell's inverse.
func plain(s string) string {
	if rest, ok := strings.CutPrefix(s, "'"); ok && Cell(rest) != rest {
		return rest
	}
	return s
}

func yes(b *bool) string {
	if b != nil && *b {
		return "yes"
	}
	return ""
}
