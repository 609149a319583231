// Package cutlist reads what picture editing says was cut, and finds the takes that each event of it is of: OpenTimelineIO
// documents (JSON), edit decision lists in the CMX style (text), and plain tables. All positions are samples at one sample
// rate.
//
// An OpenTimelineIO document is read by its schemas (Timeline, Stack, Track, Clip, Gap, Transition): of its tracks, the first
// of pictures that has clips, or else the first of sound. An edit decision list is read line by line: an event has a number,
// the reel name of its source, its track, its transition (C cuts, D dissolves over so many frames), and four timecodes: the
// source's in and out, the record's in and out; comments name the clip. A plain table (CSV) has the columns source_in,
// source_out and record_in, and reel, name, scene, take or fade where there are any.
package cutlist

import (
	"strings"

	"zestyloom/core/columns"
	"zestyloom/core/snag"
	"zestyloom/core/timecode"
)

// Event is one edit of picture: a stretch of a source at a place of the record.
type Event struct {
	Number string `json:"number"`         // as the list has it, or its place
	Name   string `json:"name"`           // of the clip, such as "21A-3"
	Reel   string `json:"reel"`           // the source's reel or roll
	File   string `json:"file,omitempty"` // of the source, where the list names it
	Scene  string `json:"scene"`
	Take   string `json:"take"`
	In     int64  `json:"in"`     // of the source, samples since midnight by its timecode
	At     int64  `json:"at"`     // of the record, samples since midnight
	Length int64  `json:"length"` // samples
	// Fade is over how many samples it comes in while the event before goes on; 0 for a cut.
	Fade int64 `json:"fade"`
}

// List is a cut list.
type List struct {
	Title  string  `json:"title"`
	Kind   string  `json:"kind"` // otio, edl or table
	Events []Event `json:"events"`
	// Left is what was not taken over, in words: speed changes, keys, other tracks.
	Left []string `json:"left"`
	// Table is how a plain table was read, and what could be one where it was not recognised.
	Table columns.Table `json:"-"`
}

// Bounds of a list that is read.
const (
	MaxBytes  = 15 << 20
	maxEvents = 20_000
)

// Parse reads a cut list of any of the formats, told apart by what they hold. Timecodes are of rate, where the list does not
// say its own. as says how a plain table is read; nil for by what its headings say. What is refused says what table it could be.
func Parse(b []byte, rate timecode.Rate, sampleRate int64, as *columns.Mapping) (List, error) {
	if len(b) > MaxBytes {
		return List{}, snag.Refuse("too_large", "a cut list of %d bytes: at most %d MiB", len(b), MaxBytes>>20)
	}
	decoded := columns.Decode(b)
	text := strings.TrimSpace(decoded)
	var l List
	var err error
	if as != nil {
		if wrong := Table.Check(as.Fields); wrong != "" {
			return List{}, snag.Refuse("bad_columns", "a column of a cut list can't hold %q, or two hold it", wrong)
		}
	}
	switch {
	case strings.HasPrefix(text, "{"):
		l, err = parseOTIO([]byte(text), rate, sampleRate)
	default:
		t := columns.Read(decoded, Table, as)
		if t.Recognised {
			l, err = parseTable(t, rate, sampleRate)
			break
		}
		if l, err = parseEDL(text, rate, sampleRate); (err != nil || len(l.Events) == 0) && len(t.Columns) >= 3 {
			return List{Kind: "table", Table: t}, bad("it is no edit decision list, and no line of it names columns source_in, source_out and record_in: say what its columns hold")
		}
	}
	if err != nil {
		return List{Table: l.Table}, err
	}
	if len(l.Events) == 0 {
		return List{Table: l.Table}, bad("it has no event: expected an OpenTimelineIO document, an edit decision list in the CMX style, or a table with source_in, source_out and record_in")
	}
	if len(l.Events) > maxEvents {
		return List{}, bad("it has %d events: at most %d", len(l.Events), maxEvents)
	}
	if l.Left == nil {
		l.Left = []string{}
	}
	return l, nil
}

func bad(format string, args ...any) error {
	return snag.Refuse("bad_cut_list", "the cut list is not understood: "+format, args...)
}
