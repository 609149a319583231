package report_test

import (
	"bytes"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/report"
)

// pages prints a sheet and reads its text back with a general tool, a page each.
func pages(t *testing.T, s report.Sheet) []string {
	t.Helper()
	var out bytes.Buffer
	require.NoError(t, report.WritePDF(&out, s))
	path := filepath.Join(t.TempDir(), "report.pdf")
	require.NoError(t, os.WriteFile(path, out.Bytes(), 0o600))
	text, err := exec.Command("pdftotext", "-layout", path, "-").Output()
	require.NoError(t, err)
	return strings.Split(strings.TrimSuffix(string(text), "\f"), "\f")
}

func TestPrinted(t *testing.T) {
	yes := true
	s := report.Sheet{Production: "Lantern Ferry, Low Water", Rate: "25 fps", Printed: time.Date(2026, 3, 14, 22, 10, 0, 0, time.UTC)}
	assert.Contains(t, pages(t, s)[0], "No takes.")
	s.Rows = []report.Row{
		{Day: "2026-03-14", Roll: "LF07", Scene: "21A", Take: "3", Start: "22:10:32:00", Length: "00:00:18:00", File: "LF07_21A-3.wav", Circled: &yes, Tracks: []string{"MixL", "MixR", "Boom", ""}, Note: "rain on the rail, Fähre"},
		{Day: "2026-03-14", Roll: "LF07", Scene: "22", Take: "1", FalseStart: &yes, Wild: &yes, Tracks: []string{"Lav 😀"}},
		{Roll: "B02", Scene: "22", Take: "2", Tracks: []string{strings.Repeat("a long label ", 400)}},
	}
	got := pages(t, s)
	require.Len(t, got, 2, "a row is not divided")
	for _, want := range []string{"Lantern Ferry, Low Water", "Day 2026-03-14, roll LF07", "25 fps", "21A", "22:10:32:00", "LF07_21A-3.wav", "4 –", "Boom", "rain on the rail, Fähre", "wild. false start", "Lav ?", "Page 1 of 2"} {
		assert.Contains(t, got[0], want)
	}
	assert.Contains(t, got[1], "Day not given, roll B02")
	assert.Contains(t, got[1], "(more in the CSV report)")

	for i := range 400 {
		s.Rows = append(s.Rows, report.Row{Roll: "B02", Scene: "23", Take: fmt.Sprint(1000 + i), Tracks: []string{"Boom", "Lav Ines", "Lav Odell", "Plant"}})
	}
	got = pages(t, s)
	text := strings.Join(got, "\n")
	for i := range 400 {
		require.Equal(t, 1, strings.Count(text, fmt.Sprintf(" %d ", 1000+i)), "take %d is printed once", 1000+i)
	}
	for _, p := range got {
		assert.Contains(t, p, "Scene", "every page has its head")
	}
	var a, b bytes.Buffer
	require.NoError(t, report.WritePDF(&a, s))
	require.NoError(t, report.WritePDF(&b, s))
	assert.True(t, bytes.Equal(a.Bytes(), b.Bytes()), "the same sheet, the same bytes")
}
