package cutlist

import (
	"slices"
	"strconv"
	"strings"

	"zestyloom/core/columns"
	"zestyloom/core/timecode"
)

// Fields are what a column of a plain table of cuts can hold, with the words that are used for it.
var Fields = []columns.Field{
	{Name: "source_in", Says: "where it begins in the recording, as timecode", Words: []string{"source in", "src in", "source start", "source tc in", "in source", "quelle in", "quelle ein", "source debut", "entrada fuente", "origen entrada"}},
	{Name: "source_out", Says: "where it ends there", Words: []string{"source out", "src out", "source end", "source tc out", "out source", "quelle out", "quelle aus", "source fin", "salida fuente", "origen salida"}},
	{Name: "record_in", Says: "where it lies in the programme, as timecode", Words: []string{"record in", "rec in", "record start", "record tc in", "programme in", "program in", "timeline in", "destination in", "dest in", "ziel in", "ziel ein", "montage debut"}},
	{Name: "name", Says: "name of the clip", Words: []string{"name", "clip", "clip name", "clipname", "title", "nom", "nombre", "nome"}},
	{Name: "reel", Says: "roll", Words: []string{"reel", "roll", "tape", "reel name", "rolle", "band", "bobine", "rollo", "rullo"}},
	{Name: "scene", Says: "scene", Words: []string{"scene", "szene", "escena", "scena", "cena"}},
	{Name: "take", Says: "take", Words: []string{"take", "klappe", "prise", "toma", "ciak"}},
	{Name: "fade", Says: "over how many frames it fades in", Words: []string{"fade", "dissolve", "blende", "fondu", "fundido", "dissolvenza"}},
}

// Table is how tables of cuts are recognised: by a line that names both ends of the source, and the programme's.
var Table = columns.Kind{Fields: Fields, Enough: func(fields []string) bool {
	for _, f := range []string{"source_in", "source_out", "record_in"} {
		if !slices.Contains(fields, f) {
			return false
		}
	}
	return true
}}

// parseTable reads a plain table. Its columns may stand in any order.
func parseTable(t columns.Table, rate timecode.Rate, sampleRate int64) (List, error) {
	l := List{Kind: "table", Table: t}
	for _, name := range []string{"source_in", "source_out", "record_in"} {
		if !t.Has(name) {
			return l, bad("no column is said to hold %s", name)
		}
	}
	if t.Broken > 0 {
		return l, bad("line %d: a quotation mark is never closed, or stands within a cell", t.Broken)
	}
	for n, row := range t.Lines {
		field := func(name string) string { return t.Cell(row, name) }
		var f [3]int64
		var err error
		for i, name := range []string{"source_in", "source_out", "record_in"} {
			if f[i], err = rate.Parse(field(name)); err != nil {
				return l, bad("line %d: %v", row.Number, err)
			}
		}
		if f[1] < f[0] {
			f[1] += rate.DayFrames()
		}
		e := Event{Number: strconv.Itoa(n + 1), Name: field("name"), Reel: field("reel"), Scene: field("scene"), Take: field("take")}
		e.In, e.At = rate.SampleAt(f[0], sampleRate), rate.SampleAt(f[2], sampleRate)
		e.Length = rate.SampleAt(f[2]+f[1]-f[0], sampleRate) - e.At
		if e.Length <= 0 {
			return l, bad("line %d: the source ends where it begins", row.Number)
		}
		if v := field("fade"); v != "" {
			frames, err := strconv.ParseInt(strings.TrimSpace(v), 10, 64)
			if err != nil || frames < 0 {
				return l, bad("line %d: the fade %q: expected frames", row.Number, v)
			}
			e.Fade = min(e.Length, rate.SampleAt(f[2]+min(frames, 1<<32), sampleRate)-e.At)
		}
		l.Events = append(l.Events, e)
		if len(l.Events) > maxEvents {
			return l, nil
		}
	}
	return l, nil
}
