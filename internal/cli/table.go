package cli

import (
	"encoding/csv"
	"io"
	"strconv"
	"strings"

	"zestyloom/core/report"
)

// inspectionTable is what inspect found as CSV, a row a channel.
type inspectionTable struct{ *csv.Writer }

var inspectionColumns = []string{"path", "container", "encoding", "sample_rate", "channels", "frames", "start_samples", "start_timecode",
	"timecode_rate", "project", "scene", "take", "roll", "note", "circled", "channel", "label", "label_source", "recorder_track", "peak_dbfs", "rms_dbfs", "silent", "snags"}

func newInspectionTable(out io.Writer) *inspectionTable {
	t := &inspectionTable{csv.NewWriter(out)}
	_ = t.Write(inspectionColumns) // an error stays with the writer
	return t
}

func (t *inspectionTable) add(i *inspection) error {
	var codes []string
	for _, s := range i.Snags {
		codes = append(codes, s.Code)
	}
	number := func(n *float64) string {
		if n == nil {
			return ""
		}
		return strconv.FormatFloat(*n, 'f', -1, 64)
	}
	text := func(s *string) string {
		if s == nil {
			return ""
		}
		return *s
	}
	start := ""
	if i.StartSamples != nil {
		start = strconv.FormatInt(*i.StartSamples, 10)
	}
	for _, v := range i.Tracks {
		line, level := trackLine{}, []string{"", "", ""}
		switch v := v.(type) {
		case trackLine:
			line = v
		case levelLine:
			line, level = v.trackLine, []string{number(v.Peak), number(v.RMS), strconv.FormatBool(v.Silent)}
		}
		rec := ""
		if line.RecorderTrack != nil {
			rec = strconv.Itoa(*line.RecorderTrack)
		}
		row := []string{report.Cell(i.Path), i.Container, i.Encoding, strconv.Itoa(i.SampleRate), strconv.Itoa(i.Channels), strconv.FormatInt(i.Frames, 10), start, text(i.StartTimecode),
			text(i.TimecodeRate), report.Cell(i.Project), report.Cell(i.Scene), report.Cell(i.Take), report.Cell(i.Roll), report.Cell(i.Note), strconv.FormatBool(i.Circled),
			strconv.Itoa(line.Channel), report.Cell(line.Label), line.LabelSource, rec}
		if err := t.Write(append(append(row, level...), strings.Join(codes, " "))); err != nil {
			return err
		}
	}
	t.Flush()
	return t.Error()
}
