package httpapi_test

import (
	"archive/zip"
	"bytes"
	"encoding/csv"
	"encoding/json"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/google/uuid"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/audio"
	"zestyloom/core/mhl"
	"zestyloom/core/order"
	"zestyloom/core/wave"
	"zestyloom/internal/httpapi/contract"
	"zestyloom/internal/testmedia"
)

// edit changes cells of the sheet and returns the status.
func (s *server) edit(production string, out any, cells ...contract.SheetCell) int {
	s.t.Helper()
	return s.call("POST", "/api/productions/"+production+"/sheet", contract.SheetEdit{What: "a test", Cells: cells}, out)
}

// The sheet over HTTP: cells are changed all or none, a stale one is refused with what it holds now, and
// everything is undone.
func TestTheSheet(t *testing.T) {
	s := start(t, "")
	p := s.production()
	s.uploadFile(p, testmedia.Path(t, "poly8_s24.wav"))
	s.settled(p, 1)
	tk := s.takes(p)[0]
	st := tk.Strands
	var changed []contract.Take
	require.Equal(t, 200, s.edit(p, &changed,
		contract.SheetCell{Row: tk.Id, Field: "scene", Value: "21A"}, contract.SheetCell{Row: tk.Id, Field: "take", Value: "3"},
		contract.SheetCell{Row: tk.Id, Field: "circled", Value: true}, contract.SheetCell{Row: st[2].Id, Field: "label", Value: "  Boom\n", Was: ""},
		contract.SheetCell{Row: st[2].Id, Field: "trim_db", Value: -3.5}, contract.SheetCell{Row: st[3].Id, Field: "off", Value: true}))
	require.Len(t, changed, 1)
	got := changed[0]
	assert.Equal(t, []any{"21A-3", true, "Boom", contract.StrandLabelSource("typed"), -3.5, true}, []any{got.Name, got.Circled, got.Strands[2].Label, got.Strands[2].LabelSource, got.Strands[2].TrimDb, got.Strands[3].Off})

	var conflict contract.SheetConflict
	require.Equal(t, 409, s.edit(p, &conflict,
		contract.SheetCell{Row: st[1].Id, Field: "label", Value: "Lav", Was: ""}, contract.SheetCell{Row: st[2].Id, Field: "label", Value: "Other", Was: ""}))
	require.Len(t, conflict.Current, 1)
	assert.Equal(t, []any{"stale", st[2].Id, any("Boom")}, []any{conflict.Code, conflict.Current[0].Row, conflict.Current[0].Value})
	assert.Empty(t, s.takes(p)[0].Strands[1].Label, "all or none")

	for name, c := range map[string]struct {
		cell contract.SheetCell
		want int
	}{
		"no such field":    {contract.SheetCell{Row: tk.Id, Field: "start_set", Value: 5}, 400},
		"no such row":      {contract.SheetCell{Row: uuid.New(), Field: "scene", Value: "1"}, 404},
		"a number":         {contract.SheetCell{Row: tk.Id, Field: "scene", Value: 5}, 422},
		"too loud":         {contract.SheetCell{Row: st[0].Id, Field: "trim_db", Value: 99}, 422},
		"too long":         {contract.SheetCell{Row: tk.Id, Field: "note", Value: strings.Repeat("x", 2000)}, 422},
		"a bad high-pass":  {contract.SheetCell{Row: st[0].Id, Field: "high_pass", Value: 5}, 422},
		"a reading beyond": {contract.SheetCell{Row: tk.Id, Field: "readings", Value: []map[string]any{{"kind": "stereo", "positions": []int{8, 9}, "order": []string{}}}}, 422},
	} {
		assert.Equal(t, c.want, s.edit(p, nil, c.cell), name)
	}
	other := s.production()
	assert.Equal(t, 404, s.edit(other, nil, contract.SheetCell{Row: tk.Id, Field: "scene", Value: "1"}), "another production's take")

	var undone contract.Undone
	require.Equal(t, 200, s.call("POST", "/api/productions/"+p+"/undo", nil, &undone))
	assert.Equal(t, "a test", undone.What)
	assert.Empty(t, s.takes(p)[0].Strands[2].Label)
	require.Equal(t, 200, s.call("POST", "/api/productions/"+p+"/redo", nil, &undone))
	assert.Equal(t, "Boom", s.takes(p)[0].Strands[2].Label)

	var ways []contract.Reading
	require.Equal(t, 200, s.call("GET", "/api/readings?strands=6", nil, &ways))
	kinds := map[contract.ReadingKind]bool{}
	for _, w := range ways {
		kinds[w.Kind] = true
		assert.NotEmpty(t, *w.Name)
	}
	assert.True(t, kinds["surround"])
	assert.Equal(t, 400, s.call("GET", "/api/readings?strands=0", nil, nil))
}

// The sound report goes out as CSV and PDF, and comes back as what it would change.
func TestSoundReports(t *testing.T) {
	s := start(t, "")
	p := s.production()
	s.uploadFile(p, testmedia.Path(t, "poly8_s24.wav"))
	s.settled(p, 1)
	tk := s.takes(p)[0]
	require.Equal(t, 200, s.edit(p, nil, contract.SheetCell{Row: tk.Id, Field: "scene", Value: "21A"}, contract.SheetCell{Row: tk.Id, Field: "take", Value: "3"},
		contract.SheetCell{Row: tk.Strands[0].Id, Field: "label", Value: "Boom, wide"}))
	path := "/api/productions/" + p + "/sound-report"
	status, head, b := s.get(path)
	require.Equal(t, 200, status)
	assert.Equal(t, "text/csv; charset=utf-8", head.Get("Content-Type"))
	rows, err := csv.NewReader(strings.NewReader(strings.TrimPrefix(string(b), "\ufeff"))).ReadAll()
	require.NoError(t, err)
	require.Len(t, rows, 2)
	assert.Contains(t, rows[1], "Boom, wide")
	status, head, b = s.get(path + ".pdf")
	require.Equal(t, 200, status)
	assert.Equal(t, "application/pdf", head.Get("Content-Type"))
	assert.True(t, strings.HasPrefix(string(b), "%PDF-"))

	var match contract.ReportMatch
	require.Equal(t, 200, s.call("POST", path, contract.SoundReport{Csv: "Scene;Take;Comment;Track 2;Colour\n21A;3;wind;Lav Ines;red\n99;1;x;y;z\n"}, &match))
	assert.Equal(t, 1, match.Takes)
	assert.Len(t, match.Unmatched, 1)
	fields := map[string]string{}
	for _, c := range match.Table.Columns {
		fields[c.Heading] = c.Field
	}
	assert.Equal(t, "scene", fields["Scene"])
	assert.Empty(t, fields["Colour"], "what is not known is left out and said")
	require.NotEmpty(t, match.Cells)
	assert.Empty(t, s.takes(p)[0].Note, "nothing is changed by reading")

	// A report whose headings say nothing is shown, read as somebody says, and read so again without being told, in any production.
	var mute contract.ReportMatch
	text := "by hand\nA;B;C\n21A;3;wind\n"
	require.Equal(t, 200, s.call("POST", path, contract.SoundReport{Csv: text}, &mute))
	assert.False(t, mute.Table.Recognised)
	assert.Equal(t, [][]string{{"21A", "3", "wind"}}, mute.Table.Lines)
	assert.Zero(t, mute.Takes)
	as, keep := &contract.ColumnMapping{Head: mute.Table.Head, Fields: []string{"scene", "take", "note"}}, true
	require.Equal(t, 200, s.call("POST", path, contract.SoundReport{Csv: text, Columns: as}, &mute))
	assert.Equal(t, 1, mute.Takes)
	require.Equal(t, 200, s.call("POST", path, contract.SoundReport{Csv: text}, &mute))
	assert.Zero(t, mute.Takes, "it was not to be kept")
	require.Equal(t, 200, s.call("POST", path, contract.SoundReport{Csv: text, Columns: as, Keep: &keep}, &mute))
	require.Equal(t, 200, s.call("POST", path, contract.SoundReport{Csv: "another day\n\nA;B;C\n21A;3;rain\n"}, &mute))
	assert.Equal(t, 1, mute.Takes)
	assert.True(t, mute.Table.Kept)
	as.Fields[0] = "take"
	assert.Equal(t, 422, s.call("POST", path, contract.SoundReport{Csv: text, Columns: as}, nil))
	require.Equal(t, 200, s.edit(p, nil, match.Cells...))
	assert.Equal(t, "wind", s.takes(p)[0].Note)
	assert.Equal(t, "Lav Ines", s.takes(p)[0].Strands[1].Label)
	assert.Equal(t, 422, s.call("POST", path, contract.SoundReport{Csv: ""}, nil))
}

func TestTemplates(t *testing.T) {
	s := start(t, "")
	p := s.production()
	path := "/api/productions/" + p + "/templates"
	draft := contract.TemplateDraft{Name: "Eight tracks", Recorder: "R", Labels: []contract.TemplateLabel{{Label: "MixL"}, {Label: "Boom", Stem: "DX", Part: "Ines"}}}
	require.Equal(t, 204, s.call("PUT", path, draft, nil))
	draft.Recorder = ""
	require.Equal(t, 204, s.call("PUT", path, draft, nil))
	var list []contract.Template
	require.Equal(t, 200, s.call("GET", path, nil, &list))
	require.Len(t, list, 1, "one of that name is replaced")
	assert.Equal(t, draft.Labels, list[0].Labels)
	assert.Empty(t, list[0].Recorder)
	require.Equal(t, 204, s.call("DELETE", "/api/templates/"+list[0].Id.String(), nil, nil))
	assert.Equal(t, 404, s.call("DELETE", "/api/templates/"+list[0].Id.String(), nil, nil))
	assert.Equal(t, 400, s.call("PUT", path, contract.TemplateDraft{Name: "", Labels: draft.Labels}, nil))
	assert.Equal(t, 404, s.call("GET", "/api/productions/"+uuid.NewString()+"/templates", nil, nil))
}

// Takes are written out with a preview, a job each, and a proof.
func TestWritingsOverHTTP(t *testing.T) {
	s := start(t, "")
	p := s.production()
	s.uploadFile(p, testmedia.Path(t, "poly8_s24.wav"))
	s.settled(p, 1)
	tk := s.takes(p)[0]
	path := "/api/productions/" + p + "/writings"
	preview, pattern := true, "{name}_{channel}"
	var ws []contract.Writing
	require.Equal(t, 200, s.call("POST", path, contract.WritingOrder{Takes: []uuid.UUID{tk.Id}, Packing: "mono", Pattern: &pattern, Preview: &preview}, &ws))
	require.Len(t, ws[0].Files, 8)
	assert.Equal(t, "poly8_s24_1.wav", ws[0].Files[0].Name)
	var page contract.WritingPage
	require.Equal(t, 200, s.call("GET", path, nil, &page))
	assert.Empty(t, page.Items, "a preview orders nothing")
	require.Equal(t, 202, s.call("POST", path, contract.WritingOrder{Takes: []uuid.UUID{tk.Id}, Packing: "poly"}, &ws))
	done := until(t, "the proof", func() contract.Writing {
		require.Equal(t, 200, s.call("GET", path, nil, &page))
		return page.Items[0]
	}, func(w contract.Writing) bool { return w.State == order.Proven || w.State == order.Failed })
	require.Equal(t, order.Proven, done.State, done.Error.Message)
	require.Len(t, done.Files, 1)
	status, head, b := s.get("/api/writings/" + done.Id.String() + "/files/0")
	require.Equal(t, 200, status)
	assert.Contains(t, head.Get("Content-Disposition"), done.Files[0].Name)
	assert.EqualValues(t, done.Files[0].Bytes, len(b))
	status, _, _ = s.get("/api/writings/" + done.Id.String() + "/files/1")
	assert.Equal(t, 404, status)
	assert.Equal(t, 422, s.call("POST", path, contract.WritingOrder{Takes: []uuid.UUID{tk.Id}, Packing: "mono", Pattern: ptr("same")}, nil), "eight files of one name")
	assert.Equal(t, 409, s.call("POST", "/api/orders/"+done.Id.String()+"/retry", nil, nil), "it did not fail")
}

// What is empty or off is left out, and said, unless it is asked for; names are those of now; all comes in one archive.
func TestWritingsLeaveOutWhatIsEmpty(t *testing.T) {
	s := start(t, "")
	p := s.production()
	path := filepath.Join(t.TempDir(), "three.wav")
	loud := make([]float64, 4800)
	for i := range loud {
		loud[i] = 0.25
	}
	testmedia.WriteAs(t, path, wave.Options{Format: wave.Format{Coding: audio.S24, SampleRate: 48000, Channels: 3}}, loud, make([]float64, 4800), loud)
	s.uploadFile(p, path)
	s.settled(p, 1)
	tk := s.takes(p)[0]
	sheet := func(row uuid.UUID, field string, value any) {
		require.Equal(t, 200, s.call("POST", "/api/productions/"+p+"/sheet", map[string]any{"what": field, "cells": []any{map[string]any{"row": row, "field": field, "value": value}}}, nil))
	}
	sheet(tk.Strands[2].Id, "off", true)
	writings := "/api/productions/" + p + "/writings"
	asked := func(preview, all bool) (ws []contract.Writing) {
		want := map[bool]int{true: 200, false: 202}[preview]
		require.Equal(t, want, s.call("POST", writings, map[string]any{"takes": []any{tk.Id}, "packing": "mono", "pattern": "{name}_{channel}_{label}", "preview": preview, "all": all}, &ws))
		return ws
	}
	plan := asked(true, false)
	assert.Equal(t, []string{"2: empty", "3: off"}, plan[0].Left)
	require.Len(t, plan[0].Files, 1)
	assert.Equal(t, "three_1.wav", plan[0].Files[0].Name)
	sheet(tk.Strands[0].Id, "label", "Boom")
	assert.Equal(t, "three_1_Boom.wav", asked(true, false)[0].Files[0].Name)
	all := asked(true, true)
	assert.Empty(t, all[0].Left)
	assert.Len(t, all[0].Files, 3)

	asked(false, false)
	asked(false, true)
	var page contract.WritingPage
	until(t, "both proofs", func() int {
		require.Equal(t, 200, s.call("GET", writings, nil, &page))
		n := 0
		for _, w := range page.Items {
			if w.State == order.Proven {
				n++
			}
		}
		return n
	}, func(n int) bool { return n == 2 })
	status, head, b := s.get(writings + "/all.zip?writing=" + page.Items[0].Id.String() + "&writing=" + page.Items[1].Id.String())
	require.Equal(t, 200, status)
	assert.Contains(t, head.Get("Content-Disposition"), "Test takes.zip")
	z, err := zip.NewReader(bytes.NewReader(b), int64(len(b)))
	require.NoError(t, err)
	var names []string
	for _, f := range z.File {
		names = append(names, f.Name)
	}
	assert.ElementsMatch(t, []string{"three_1_Boom.wav", "three_2.wav", "three_3.wav", "three_1_Boom (2).wav"}, names)
	status, _, _ = s.get(writings + "/all.zip?writing=" + uuid.NewString())
	assert.Equal(t, 404, status)

	// Nothing at all is a question, and no empty order.
	sheet(tk.Strands[0].Id, "off", true)
	var pr contract.Problem
	assert.Equal(t, 422, s.call("POST", writings, map[string]any{"takes": []any{tk.Id}, "packing": "mono", "preview": true}, &pr))
	assert.Equal(t, "nothing_left", pr.Code)
}

func ptr[T any](v T) *T { return &v }

// A hash list that is given is compared with what is here; one of what is here can be had; a watched
// folder offers what is new.
func TestHashListsAndWatching(t *testing.T) {
	dir := t.TempDir()
	b, err := os.ReadFile(testmedia.Path(t, "stereo_44k1.wav"))
	require.NoError(t, err)
	require.NoError(t, os.MkdirAll(filepath.Join(dir, "day"), 0o755))
	require.NoError(t, os.WriteFile(filepath.Join(dir, "day", "x.wav"), b, 0o600))
	s := start(t, dir)
	p := s.production()
	s.uploadFile(p, testmedia.Path(t, "mono_bext.wav"))
	s.settled(p, 1)
	status, _, list := s.get("/api/productions/" + p + "/hash-list")
	require.Equal(t, 200, status)
	l, err := mhl.Read(strings.NewReader(string(list)))
	require.NoError(t, err)
	require.Len(t, l.Entries, 1)
	path := "/api/productions/" + p + "/hash-lists"
	require.Equal(t, 202, s.call("POST", path, contract.NewHashList{Name: "card.mhl", Xml: string(list)}, nil))
	var given []contract.HashList
	until(t, "the comparison", func() int {
		require.Equal(t, 200, s.call("GET", path, nil, &given))
		return given[0].Matches
	}, func(n int) bool { return n == 1 })
	assert.Equal(t, 422, s.call("POST", path, contract.NewHashList{Name: "bad.mhl", Xml: "<no"}, nil))
	require.Equal(t, 204, s.call("DELETE", "/api/hash-lists/"+given[0].Id.String(), nil, nil))

	var w contract.Watch
	require.Equal(t, 200, s.call("PUT", "/api/productions/"+p+"/watch", contract.WatchOrder{Folders: []string{"day"}}, &w))
	assert.Equal(t, []string{"day"}, w.Folders)
	assert.Equal(t, 422, s.call("PUT", "/api/productions/"+p+"/watch", contract.WatchOrder{Folders: []string{"../.."}}, nil))
	var problem contract.Problem
	status, _, body := s.get("/api/productions/" + uuid.NewString() + "/watch")
	assert.Equal(t, 404, status)
	require.NoError(t, json.Unmarshal(body, &problem))
	assert.Equal(t, "not_found", problem.Code)
}
