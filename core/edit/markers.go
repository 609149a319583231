package edit

import (
	"encoding/csv"
	"fmt"
	"io"
	"slices"
	"strings"

	"zestyloom/core/columns"
	"zestyloom/core/reel"
	"zestyloom/core/snag"
	"zestyloom/core/timecode"
)

// markerColumns are the columns of a table of markers. A table that is read may have them in any order, and others too.
var markerColumns = []string{"timecode", "length", "name", "colour", "note"}

// markerTable is how tables of markers are recognised.
var markerTable = columns.Kind{
	Fields: []columns.Field{
		{Name: "timecode", Words: []string{"timecode", "tc", "start", "start tc", "tc in", "in", "time code", "position", "zeit", "anfang", "debut", "inicio", "inizio"}},
		{Name: "length", Words: []string{"length", "frames", "length in frames", "lange", "longueur", "longitud", "lunghezza"}},
		{Name: "name", Words: []string{"name", "marker", "marker name", "label", "title", "nom", "nombre", "nome"}},
		{Name: "colour", Words: []string{"colour", "color", "farbe", "couleur", "colore", "cor"}},
		{Name: "note", Words: []string{"note", "notes", "comment", "comments", "description", "remark", "remarks", "bemerkung", "kommentar", "remarque", "commentaire", "nota", "notas"}},
	},
	Enough: func(fields []string) bool {
		return slices.Contains(fields, "timecode") && slices.Contains(fields, "name")
	},
}

// WriteMarkers writes markers as comma-separated values (RFC 4180): a line each, with the timecode that it lies at, to the
// frame, and its length as frames.
func WriteMarkers(w io.Writer, markers []reel.Marker, rate timecode.Rate, sampleRate int64) error {
	c := csv.NewWriter(w)
	if err := c.Write(markerColumns); err != nil {
		return err
	}
	for _, m := range markers {
		frames := rate.FrameAt(m.Length, sampleRate)
		if err := c.Write([]string{rate.FormatSamples(m.At, sampleRate), fmt.Sprint(frames), m.Name, m.Colour, m.Note}); err != nil {
			return err
		}
	}
	c.Flush()
	return c.Error()
}

// maxMarkerTable bounds a table of markers that is read, in bytes.
const maxMarkerTable = 4 << 20

// ReadMarkers reads a table of markers. What is wrong is refused with its line, and then nothing is read.
func ReadMarkers(b []byte, rate timecode.Rate, sampleRate int64, newID func() string) ([]reel.Marker, error) {
	if len(b) > maxMarkerTable {
		return nil, snag.Refuse("too_large", "a table of markers of %d bytes: at most %d", len(b), maxMarkerTable)
	}
	t := columns.Read(columns.Decode(b), markerTable, nil)
	if !t.Recognised {
		return nil, badTable(max(1, t.Head), "it names no columns timecode and name: expected %s", strings.Join(markerColumns, ","))
	}
	if t.Broken > 0 {
		return nil, badTable(t.Broken, "a quotation mark is never closed, or stands within a cell")
	}
	if len(t.Lines) > reel.MaxMarkers {
		return nil, snag.Refuse("too_many", "the table has %d markers: a reel has at most %d", len(t.Lines), reel.MaxMarkers)
	}
	out := make([]reel.Marker, 0, len(t.Lines))
	for _, row := range t.Lines {
		line := row.Number
		field := func(name string) string { return t.Cell(row, name) }
		frame, err := rate.Parse(field("timecode"))
		if err != nil {
			return nil, badTable(line, "%v", err)
		}
		m := reel.Marker{ID: newID(), At: rate.SampleAt(frame, sampleRate), Name: field("name"), Colour: strings.ToLower(field("colour")), Note: field("note")}
		if n := field("length"); n != "" {
			var frames int64
			if _, err := fmt.Sscanf(n, "%d", &frames); err != nil || frames < 0 || fmt.Sprint(frames) != n {
				return nil, badTable(line, "the length %q: expected frames", n)
			}
			m.Length = rate.SampleAt(frame+frames, sampleRate) - m.At
		}
		if m.Colour != "" && !slices.Contains(reel.MarkerColours, m.Colour) {
			return nil, badTable(line, "the colour %q: expected one of %s", m.Colour, strings.Join(reel.MarkerColours, ", "))
		}
		if m.Name == "" {
			return nil, badTable(line, "a marker needs a name")
		}
		out = append(out, m)
	}
	return out, nil
}

func badTable(line int, format string, args ...any) error {
	return snag.Refuse("bad_markers", "line %d of the table of markers: %s", line, fmt.Sprintf(format, args...))
}
