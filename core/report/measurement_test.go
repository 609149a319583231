package report_test

import (
	"bytes"
	"encoding/csv"
	"math"
	"os"
	"os/exec"
	"path/filepath"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/report"
)

// A measurement as a table and as pages: what was asked, found and said, of buses with and without a loudness.
func TestMeasurement(t *testing.T) {
	m := report.Measurement{Production: "Lantern Ferry, Low Water", Reel: "Reel 1", Limits: "EBU R 128", From: "22:10:00:00", To: "22:20:00:00",
		Printed: time.Date(2026, 3, 14, 22, 10, 0, 0, time.UTC)}
	nan := math.NaN()
	b := report.MeasuredBus{Name: "Full mix", Role: "mix", Integrated: -20.25, Range: 7.5, ShortTerm: -14, Momentary: -12, TruePeak: -0.4, PPM: 7.1, ShortTermAt: "22:11:00:00", Threads: []report.Thread{{LUFS: -23, Says: "asked -23.0"}},
		Verdicts: []report.Verdict{{What: "integrated loudness", Asked: "-23.0 LUFS ± 0.5 LU", Found: -20.25, Margin: -2.25, Words: "2.25 LU too loud"}, {What: "true peak", Asked: "at most -1.0 dBTP", Found: -0.4, Margin: -0.6, Words: "0.60 dB too high"}}}
	for i := range 6000 {
		b.Line = append(b.Line, -20+5*math.Sin(float64(i)/200))
	}
	b.Line[0] = math.Inf(-1)
	m.Buses = []report.MeasuredBus{b, {Name: "=VO", Role: "stem", Integrated: nan, Range: nan, ShortTerm: nan, Momentary: nan, TruePeak: nan, PPM: nan, Says: "the loudness of ambisonic 1 SN3D is that of its speakers"}}
	var table bytes.Buffer
	require.NoError(t, report.WriteMeasurement(&table, m))
	rows, err := csv.NewReader(&table).ReadAll()
	require.NoError(t, err)
	require.Len(t, rows, 4)
	assert.Equal(t, []string{"Full mix", "-20.25", "2.25 LU too loud"}, []string{rows[1][1], rows[1][3], rows[1][17]})
	assert.Equal(t, "'=VO", rows[3][1], "no formula for a spreadsheet")
	for range 12 { // more than a page
		m.Buses = append(m.Buses, b)
	}
	var pdf, again bytes.Buffer
	require.NoError(t, report.PrintMeasurement(&pdf, m))
	require.NoError(t, report.PrintMeasurement(&again, m))
	assert.Equal(t, pdf.Bytes(), again.Bytes())
	path := filepath.Join(t.TempDir(), "loudness.pdf")
	require.NoError(t, os.WriteFile(path, pdf.Bytes(), 0o600))
	text, err := exec.Command("pdftotext", "-layout", path, "-").Output()
	require.NoError(t, err)
	for _, want := range []string{"Lantern Ferry, Low Water", "Reel 1, 22:10:00:00 to 22:20:00:00, against EBU R 128", "2 of 2 not kept", "no loudness", "2.25 LU too loud", "asked -23.0", "Page 2 of"} {
		assert.Contains(t, string(text), want)
	}
}
