package report_test

import (
	"bytes"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/report"
	"zestyloom/core/snag"
)

func TestRead(t *testing.T) {
	for name, c := range map[string]struct {
		csv  string
		want report.Row
	}{
		"plain":                   {"Scene,Take,Note\r\n21A,3,rain", report.Row{Scene: "21A", Take: "3", Note: "rain"}},
		"semicolons and a mark":   {"\xEF\xBB\xBFScene;TAKE;Comments\n21A;3;\"a;b\"", report.Row{Scene: "21A", Take: "3", Note: "a;b"}},
		"tabs":                    {"Sc.\tTk.\tSound roll\n21A\t3\tLF07", report.Row{Scene: "21A", Take: "3", Roll: "LF07"}},
		"a title above":           {"Lantern Ferry,Day 3\n,,\nFile_Name,Start TC\na.wav,22:10:05:00", report.Row{File: "a.wav", Start: "22:10:05:00"}},
		"tracks":                  {"Scene,Take,Trk 2,Ch.01,Track 03 name\n1,2,Lav,Boom,", report.Row{Scene: "1", Take: "2", Tracks: []string{"Boom", "Lav", ""}}},
		"Latin-1":                 {"Scene,Note\n1,F\xe4hre", report.Row{Scene: "1", Note: "Fähre"}},
		"a column that is unused": {"Scene,Weather,Take\n1,fog,2", report.Row{Scene: "1", Take: "2"}},
	} {
		r, err := report.Read([]byte(c.csv))
		require.NoError(t, err, name)
		require.Len(t, r.Rows, 1, name)
		got := r.Rows[0]
		assert.Equal(t, []any{c.want.File, c.want.Scene, c.want.Take, c.want.Roll, c.want.Start, c.want.Note, c.want.Tracks},
			[]any{got.File, got.Scene, got.Take, got.Roll, got.Start, got.Note, got.Tracks}, name)
	}
	r, err := report.Read([]byte("Scene,Take,Circled,NG\n1,1,x,\n\n1,2,no,yes\n"))
	require.NoError(t, err)
	require.Len(t, r.Rows, 2)
	assert.Equal(t, []bool{true, false, false, true}, []bool{*r.Rows[0].Circled, *r.Rows[0].NoGood, *r.Rows[1].Circled, *r.Rows[1].NoGood})
	assert.Nil(t, r.Rows[0].Wild, "no column, no word of it")
	assert.Equal(t, 4, r.Rows[1].Line)
	for _, bad := range []string{"", "hello", "a,b\n1,2", "\x00\x01\x02"} {
		_, err := report.Read([]byte(bad))
		assert.Equal(t, "bad_report", snag.Of(err).Code, "%q", bad)
	}
}

func TestWhatIsWrittenIsReadBack(t *testing.T) {
	on := true
	rows := []report.Row{
		{File: "a, b.wav", Day: "2026-03-14", Scene: "21A", Take: "3", Roll: "LF07", Start: "22:10:05:00", Length: "0:18.0", Note: "he said \"go\"\nand went", Circled: &on, Tracks: []string{"MixL", "", "Boom"}},
		{File: "c.wav", Tracks: []string{"=1+1"}},
	}
	var b bytes.Buffer
	require.NoError(t, report.Write(&b, rows))
	got, err := report.Read(b.Bytes())
	require.NoError(t, err)
	require.Len(t, got.Rows, 2)
	a := got.Rows[0]
	assert.Equal(t, []any{"a, b.wav", "2026-03-14", "21A", "3", "LF07", "22:10:05:00", "0:18.0", "he said \"go\"\nand went", true}, []any{a.File, a.Day, a.Scene, a.Take, a.Roll, a.Start, a.Length, a.Note, *a.Circled})
	assert.Equal(t, []string{"MixL", "", "Boom"}, a.Tracks)
	assert.Contains(t, b.String(), "'=1+1", "no formula leaves here")
	assert.Equal(t, "=1+1", got.Rows[1].Tracks[0], "and comes back as it was")
}

func FuzzRead(f *testing.F) {
	f.Add([]byte("Scene,Take,Track 1\n1,2,Boom"))
	f.Fuzz(func(t *testing.T, b []byte) {
		r, err := report.Read(b)
		if err != nil {
			return
		}
		for _, row := range r.Rows {
			if len(row.Tracks) > 256 {
				t.Fatal("too many tracks")
			}
		}
	})
}

// What any spreadsheet would reckon with is text in a cell, and comes back as it was; figures stay figures.
func TestFormulasAreText(t *testing.T) {
	for _, s := range []string{"=1+1", "-2+3+cmd|' /C calc'!A0", "+1-1", "@SUM(1)", " =1", "\u00a0=1", "\t=1", "\r=1", "\n=1", "\uff1d1+1", "|x", "%x"} {
		got := report.Cell(s)
		assert.Equal(t, byte('\''), got[0], "%q", s)
		assert.Equal(t, s, got[1:])
	}
	for _, s := range []string{"", "-3", "+4.5", "-1e3", "21A", " ", "Boom =", "a-b"} {
		assert.Equal(t, s, report.Cell(s))
	}
}
