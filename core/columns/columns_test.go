package columns_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"

	"zestyloom/core/columns"
)

var kind = columns.Kind{
	Fields: []columns.Field{{Name: "scene", Words: []string{"scene", "szene"}}, {Name: "take", Words: []string{"take", "prise"}}, {Name: "note", Words: []string{"remarques"}}},
	Field:  func(h string) string { return map[string]string{"track 1": "track 1"}[h] },
	Enough: func(fs []string) bool {
		return strings.Join(fs, "") != "" && strings.Count(strings.Join(fs, " "), "e") > 1
	},
}

func TestRead(t *testing.T) {
	for name, c := range map[string]struct {
		text, columns string
		head          int
		first         string
		recognised    bool
	}{
		"commas":                     {"Scene,Take,X\n21A,3,y\n", "Scene=scene Take=take X=", 1, "21A 3 y", true},
		"below what a program wrote": {"Recorder;Mk 2;;\n\nDay;1;;\nSzene;Take;Bemerkung;Remarques\n21A;3;a, b;c\n", "Szene=scene Take=take Bemerkung= Remarques=note", 4, "21A 3 a, b c", true},
		"tabs with an empty first":   {"Scene\tTake\n\t3\n", "Scene=scene Take=take", 1, "3", true},
		"bars":                       {"scene | take\n1 | 2\n", "scene=scene take=take", 1, "1 2", true},
		"two alike":                  {"Scene,scene,Take\n1,2,3\n", "Scene=scene scene= Take=take", 1, "1 2 3", true},
		"nothing recognised":         {"made by hand\nA;B;C\n1;2;3\n", "A= B= C=", 2, "1 2 3", false},
		"one column":                 {"just\ntext\n", "", 0, "", false},
		"quotes left open":           {"Scene,Take\n\"21A,3\n", "Scene=scene Take=take", 1, "21A,3", true},
	} {
		got := columns.Read(c.text, kind, nil)
		var heads []string
		for _, col := range got.Columns {
			heads = append(heads, col.Heading+"="+col.Field)
		}
		assert.Equal(t, c.columns, strings.Join(heads, " "), name)
		assert.Equal(t, c.head, got.Head, name)
		assert.Equal(t, c.recognised, got.Recognised, name)
		if c.first != "" {
			assert.Equal(t, c.first, strings.TrimSpace(strings.Join(got.Lines[0].Cells, " ")), name)
		}
	}
	said := columns.Read("made by hand\nA;B;C\n1;2;3\n", kind, &columns.Mapping{Head: 2, Fields: []string{"take", "", "scene"}})
	assert.True(t, said.Recognised)
	assert.Equal(t, "3", said.Cell(said.Lines[0], "scene"))
	assert.Equal(t, "1", said.Cell(said.Lines[0], "take"))
	assert.Empty(t, said.Cell(said.Lines[0], "note"))
	assert.Equal(t, 2, columns.Heads("made by hand\nA;B;C\n1;2;3\n")[said.Heading()], "a table like it is known again")
	assert.Empty(t, kind.Check([]string{"scene", "", "", "track 1"}))
	assert.Equal(t, "scene", kind.Check([]string{"scene", "scene"}))
	assert.Equal(t, "nose", kind.Check([]string{"nose"}))
}

func TestDecode(t *testing.T) {
	for _, b := range []string{"Länge", "\xEF\xBB\xBFLänge", "L\xE4nge", "\xFF\xFEL\x00\xE4\x00n\x00g\x00e\x00", "\xFE\xFF\x00L\x00\xE4\x00n\x00g\x00e"} {
		assert.Equal(t, "Länge", columns.Decode([]byte(b)), "%q", b)
	}
	assert.Equal(t, "lange der prise no 2", columns.Plain("  Länge_der PRISE, (No.2)"))
}

func FuzzRead(f *testing.F) {
	f.Add("Scene;Take\n1;2\n")
	f.Add("\"a,b\n|\tc")
	f.Fuzz(func(t *testing.T, text string) {
		got := columns.Read(text, kind, nil)
		for _, l := range got.Lines {
			if l.Number <= got.Head {
				t.Fatalf("line %d of a table below line %d", l.Number, got.Head)
			}
		}
		if len(got.Columns) > 0 {
			if again := columns.Read(text, kind, &columns.Mapping{Head: got.Head}); !again.Recognised {
				t.Fatal("a line that was found is not found again")
			}
		}
	})
}
