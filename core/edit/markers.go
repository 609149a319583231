package edit

import (
	"bytes"
	"encoding/csv"
	"errors"
	"fmt"
	"io"
	"slices"
	"strings"

	"zestyloom/core/reel"
	"zestyloom/core/snag"
	"zestyloom/core/timecode"
)

// markerColumns are the columns of a table of markers. A table that is read may have them in any order, and others too.
var markerColumns = []string{"timecode", "length", "name", "colour", "note"}

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
	c := csv.NewReader(bytes.NewReader(bytes.TrimPrefix(b, []byte("\ufeff"))))
	c.FieldsPerRecord = -1
	head, err := c.Read()
	if err != nil {
		return nil, badTable(1, "it has no line of column names: expected %s", strings.Join(markerColumns, ","))
	}
	at := map[string]int{}
	for i, name := range head {
		at[strings.ToLower(strings.TrimSpace(name))] = i
	}
	for _, needed := range []string{"timecode", "name"} {
		if _, ok := at[needed]; !ok {
			return nil, badTable(1, "there is no column %q: expected %s", needed, strings.Join(markerColumns, ","))
		}
	}
	var out []reel.Marker
	for {
		row, err := c.Read()
		if errors.Is(err, io.EOF) {
			return out, nil
		}
		if err != nil {
			return nil, badTable(len(out)+2, "%v", err)
		}
		line, _ := c.FieldPos(0)
		field := func(name string) string {
			if i, ok := at[name]; ok && i < len(row) {
				return strings.TrimSpace(row[i])
			}
			return ""
		}
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
}

func badTable(line int, format string, args ...any) error {
	return snag.Refuse("bad_markers", "line %d of the table of markers: %s", line, fmt.Sprintf(format, args...))
}
