package cutlist

import (
	"bytes"
	"encoding/csv"
	"errors"
	"io"
	"strconv"
	"strings"

	"zestyloom/core/timecode"
)

// parseTable reads a plain table. Its columns may stand in any order.
func parseTable(b []byte, rate timecode.Rate, sampleRate int64) (List, error) {
	l := List{Kind: "table"}
	r := csv.NewReader(bytes.NewReader(b))
	r.FieldsPerRecord = -1
	head, err := r.Read()
	if err != nil {
		return l, bad("line 1: %v", err)
	}
	at := map[string]int{}
	for i, name := range head {
		at[strings.ToLower(strings.TrimSpace(name))] = i
	}
	for _, name := range []string{"source_in", "source_out", "record_in"} {
		if _, ok := at[name]; !ok {
			return l, bad("line 1: there is no column %q", name)
		}
	}
	for n := 1; ; n++ {
		row, err := r.Read()
		if errors.Is(err, io.EOF) {
			return l, nil
		}
		if err != nil {
			return l, bad("line %d: %v", n+1, err)
		}
		line, _ := r.FieldPos(0)
		field := func(name string) string {
			if i, ok := at[name]; ok && i < len(row) {
				return strings.TrimSpace(row[i])
			}
			return ""
		}
		var f [3]int64
		for i, name := range []string{"source_in", "source_out", "record_in"} {
			if f[i], err = rate.Parse(field(name)); err != nil {
				return l, bad("line %d: %v", line, err)
			}
		}
		if f[1] < f[0] {
			f[1] += rate.DayFrames()
		}
		e := Event{Number: strconv.Itoa(n), Name: field("name"), Reel: field("reel"), Scene: field("scene"), Take: field("take")}
		e.In, e.At = rate.SampleAt(f[0], sampleRate), rate.SampleAt(f[2], sampleRate)
		e.Length = rate.SampleAt(f[2]+f[1]-f[0], sampleRate) - e.At
		if e.Length <= 0 {
			return l, bad("line %d: the source ends where it begins", line)
		}
		if v := field("fade"); v != "" {
			frames, err := strconv.ParseInt(v, 10, 64)
			if err != nil || frames < 0 {
				return l, bad("line %d: the fade %q: expected frames", line, v)
			}
			e.Fade = min(e.Length, rate.SampleAt(f[2]+min(frames, 1<<32), sampleRate)-e.At)
		}
		l.Events = append(l.Events, e)
		if len(l.Events) > maxEvents {
			return l, nil
		}
	}
}
