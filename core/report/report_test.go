package report_test

import (
	"bytes"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/columns"
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
		"German":                  {"Tonbericht;Lantern Ferry;\nSzene;Take;Bemerkung;Spur 1;Spur 2\n21A;3;Regen;Angel;Ines", report.Row{Scene: "21A", Take: "3", Note: "Regen", Tracks: []string{"Angel", "Ines"}}},
		"French":                  {"Séquence;Prise;Remarques;Durée\n21A;3;pluie;18", report.Row{Scene: "21A", Take: "3", Note: "pluie"}},
		"UTF-16, tabs":            {"\xFF\xFES\x00c\x00\t\x00T\x00k\x00\n\x001\x00\t\x002\x00", report.Row{Scene: "1", Take: "2"}},
		"tracks in the notes":     {"Scene,Take,Notes\n21A,3,\"T1 Boom T2 Lav Ines, T3: Lav Ben; rain\"", report.Row{Scene: "21A", Take: "3", Note: "T1 Boom T2 Lav Ines, T3: Lav Ben; rain", Tracks: []string{"Boom", "Lav Ines", "Lav Ben"}}},
		"tracks in one column":    {"Scene,Take,Tracks\n21A,3,1: Boom / 3: Lav Ben", report.Row{Scene: "21A", Take: "3", Tracks: []string{"Boom", "", "Lav Ben"}}},
		"notes with figures":      {"Scene,Take,Notes\n21A,3,\"at 1:30 a plane, 2 dogs\"", report.Row{Scene: "21A", Take: "3", Note: "at 1:30 a plane, 2 dogs"}},
		"a column that is unused": {"Scene,Weather,Take\n1,fog,2", report.Row{Scene: "1", Take: "2"}},
	} {
		r, err := report.Read([]byte(c.csv), nil)
		require.NoError(t, err, name)
		require.Len(t, r.Rows, 1, name)
		got := r.Rows[0]
		assert.Equal(t, []any{c.want.File, c.want.Scene, c.want.Take, c.want.Roll, c.want.Start, c.want.Note, c.want.Tracks},
			[]any{got.File, got.Scene, got.Take, got.Roll, got.Start, got.Note, got.Tracks}, name)
	}
	r, err := report.Read([]byte("Scene,Take,Circled,NG\n1,1,x,\n\n1,2,no,yes\n"), nil)
	require.NoError(t, err)
	require.Len(t, r.Rows, 2)
	assert.Equal(t, []bool{true, false, false, true}, []bool{*r.Rows[0].Circled, *r.Rows[0].NoGood, *r.Rows[1].Circled, *r.Rows[1].NoGood})
	assert.Nil(t, r.Rows[0].Wild, "no column, no word of it")
	assert.Equal(t, 4, r.Rows[1].Line)
	for _, bad := range []string{"", "hello", "\x00\x01\x02"} {
		_, err := report.Read([]byte(bad), nil)
		assert.Equal(t, "bad_report", snag.Of(err).Code, "%q", bad)
	}
}

// A table whose headings are not recognised has no rows until somebody says what they mean.
func TestReadAsItIsSaid(t *testing.T) {
	text := []byte("from the mixer\nA;B;C;D\n21A;3;T1=Boom T2=Lav;x\n")
	r, err := report.Read(text, nil)
	require.NoError(t, err)
	assert.False(t, r.Recognised)
	assert.Empty(t, r.Rows)
	assert.Equal(t, 2, r.Head)
	r, err = report.Read(text, &columns.Mapping{Head: 2, Fields: []string{"scene", "take", "tracks", "track 3"}})
	require.NoError(t, err)
	require.Len(t, r.Rows, 1)
	assert.Equal(t, []string{"Boom", "Lav", "x"}, r.Rows[0].Tracks)
	for _, fields := range [][]string{{"scene", "scene"}, {"nose"}, {"track 0"}} {
		_, err = report.Read(text, &columns.Mapping{Head: 2, Fields: fields})
		assert.Equal(t, "bad_columns", snag.Of(err).Code)
	}
}

// Every word is said once, as it is compared.
func TestWordsForColumns(t *testing.T) {
	seen := map[string]string{}
	for _, f := range report.Fields {
		for _, w := range f.Words {
			assert.Equal(t, columns.Plain(w), w)
			assert.Empty(t, seen[w], "%s is %s as well", w, f.Name)
			assert.Equal(t, f.Name, report.Kind.FieldOf(w))
			seen[w] = f.Name
		}
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
	got, err := report.Read(b.Bytes(), nil)
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
		r, err := report.Read(b, nil)
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
