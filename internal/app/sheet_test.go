package app_test

import (
	"encoding/json"
	"errors"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/google/uuid"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"golang.org/x/sys/unix"

	"zestyloom/core/order"
	"zestyloom/core/source"
	"zestyloom/core/take"
	"zestyloom/internal/app"
	"zestyloom/internal/media"
	"zestyloom/internal/store"
	"zestyloom/internal/testmedia"
)

func cell(row uuid.UUID, field string, value any, was ...any) app.Cell {
	raw := func(v any) json.RawMessage {
		b, err := json.Marshal(v)
		if err != nil {
			panic(err)
		}
		return b
	}
	c := app.Cell{Row: row, Field: field, Value: raw(value)}
	if was != nil {
		c.Was = raw(was[0])
	}
	return c
}

func (f *fixture) edit(cells ...app.Cell) error {
	return f.EditSheet(f.ctx, f.p.ID, "typed", cells)
}

func (f *fixture) strands(t store.Take) []store.Strand {
	f.t.Helper()
	s, err := f.Store.Strands(f.ctx, []uuid.UUID{t.ID})
	require.NoError(f.t, err)
	return s
}

func (f *fixture) undo() {
	f.t.Helper()
	_, err := f.Undo(f.ctx, f.p.ID, "")
	require.NoError(f.t, err)
}

func TestTheSheetIsTypedIntoAndUndone(t *testing.T) {
	f := setup(t)
	f.take("poly8_s24.wav", "a.wav")
	before := f.takes()[0]
	st := f.strands(before)
	rs := []take.Reading{{Kind: take.Stereo, Positions: []int{1, 2}}}
	require.NoError(t, f.edit(
		cell(before.ID, "scene", " 21A ", ""), cell(before.ID, "take", "3", ""), cell(before.ID, "circled", true, false), cell(before.ID, "readings", rs),
		cell(st[0].ID, "label", "Boom", ""), cell(st[0].ID, "stem", "DX"), cell(st[0].ID, "part", "DX / Ines"),
		cell(st[1].ID, "off", true), cell(st[2].ID, "trim_db", -6.5), cell(st[2].ID, "delay", 118), cell(st[2].ID, "high_pass", 80), cell(st[2].ID, "invert", true)))
	now := f.takes()[0]
	assert.Equal(t, []any{"21A", "3", "21A-3", true, "", ""}, []any{now.Scene, now.Take, now.Name, now.Circled, now.SceneWas, now.TakeWas}, "the original is kept")
	got := f.strands(now)
	assert.Equal(t, []string{"Boom", "typed", "DX", "DX / Ines"}, []string{got[0].Label, got[0].LabelSource, got[0].Stem, got[0].Part})
	assert.True(t, got[1].Treat.Off && got[2].Treat.Invert)
	assert.Equal(t, []any{-6.5, int64(118), 80.0}, []any{got[2].Treat.TrimDB, got[2].Treat.Delay, got[2].Treat.HighPass})
	f.undo()
	assert.Equal(t, before, f.takes()[0])
	assert.Equal(t, st[2].Treat, f.strands(before)[2].Treat)
	_, err := f.Redo(f.ctx, f.p.ID, "")
	require.NoError(t, err)
	assert.Equal(t, now, f.takes()[0])

	// All or nothing, and never over what somebody else has typed.
	var stale *app.StaleCells
	err = f.edit(cell(now.ID, "note", "mine", ""), cell(st[0].ID, "label", "Lav", "Plant"))
	require.True(t, errors.As(err, &stale), "%v", err)
	assert.Equal(t, []app.Cell{{Row: st[0].ID, Field: "label", Value: json.RawMessage(`"Boom"`)}}, stale.Cells)
	assert.Empty(t, f.takes()[0].Note)
	for want, c := range map[string]app.Cell{
		"bad_field": cell(now.ID, "colour", "red"), "bad_value": cell(now.ID, "circled", "yes"), "too_long": cell(now.ID, "note", strings.Repeat("x", 2000)),
		"bad_trim": cell(st[0].ID, "trim_db", 90), "bad_high_pass": cell(st[0].ID, "high_pass", 5),
		"bad_reading": cell(now.ID, "readings", []take.Reading{{Kind: take.Stereo, Positions: []int{8, 9}}}),
	} {
		assert.Equal(t, want, code(f.edit(c)))
	}
	assert.ErrorIs(t, f.edit(cell(uuid.New(), "note", "x")), app.ErrNotFound)
	other, err := f.CreateProduction(f.ctx, app.NewProduction{Name: "Other", SampleRate: 48000, Rate: "25", Start: "00:00:00:00"})
	require.NoError(t, err)
	assert.ErrorIs(t, f.EditSheet(f.ctx, other.ID, "x", []app.Cell{cell(now.ID, "note", "x")}), app.ErrNotFound)
}

func TestSuggestionsAreDecidedOnce(t *testing.T) {
	f := setup(t)
	f.takeBytes(twice(t), "same.wav")
	tk := f.takes()[0]
	open := func() (ids []uuid.UUID) {
		ss, err := f.Store.Suggestions(f.ctx, []uuid.UUID{tk.ID})
		require.NoError(t, err)
		for _, s := range ss {
			if s.State == "open" {
				ids = append(ids, s.ID)
			}
		}
		return ids
	}
	ids := open()
	require.Len(t, ids, 1)
	require.NoError(t, second(f.DecideSuggestions(f.ctx, f.p.ID, ids, true, false)))
	assert.True(t, f.strands(tk)[1].Treat.Off, "the second of two that hold the same is switched off")
	assert.Empty(t, open())
	assert.Equal(t, "stale", code(second(f.DecideSuggestions(f.ctx, f.p.ID, ids, false, false))))
	f.undo()
	assert.False(t, f.strands(tk)[1].Treat.Off)
	require.Equal(t, ids, open())
	require.NoError(t, second(f.DecideSuggestions(f.ctx, f.p.ID, ids, false, false)))
	assert.Empty(t, open())
	assert.ErrorIs(t, second(f.DecideSuggestions(f.ctx, f.p.ID, []uuid.UUID{uuid.New()}, true, false)), app.ErrNotFound)
}

// twice is a stereo file whose channels are the same.
func twice(t *testing.T) []byte {
	t.Helper()
	b := []byte("RIFF\x24\x77\x01\x00WAVEfmt \x10\x00\x00\x00\x01\x00\x02\x00\x80\xbb\x00\x00\x00\xee\x02\x00\x04\x00\x10\x00data\x00\x77\x01\x00")
	for i := range 24000 {
		v := byte(i * i / 7)
		b = append(b, byte(i), v, byte(i), v)
	}
	return b
}

func TestMembersAreMovedAndSplitOff(t *testing.T) {
	f := setup(t)
	one, two, three := f.take("1.48000.wav", "m_1.wav"), f.take("2.48000.wav", "m_2.wav"), f.take("3.48000.wav", "other.wav")
	require.Len(t, f.takes(), 2)
	set := f.takes()[0]
	require.Len(t, f.strands(set), 2)
	first := f.strands(set)[0].ID
	require.NoError(t, f.MoveFile(f.ctx, three.ID, &set.ID))
	require.Len(t, f.takes(), 1)
	assert.Len(t, f.strands(set), 3)
	assert.Equal(t, first, f.strands(set)[0].ID, "strands keep their identity")
	require.NoError(t, f.MoveFile(f.ctx, one.ID, nil))
	require.Len(t, f.takes(), 2)
	assert.Equal(t, "alone_already", code(f.MoveFile(f.ctx, one.ID, nil)))
	// A newcomer of the same name joins those that a person put together, not the one split off.
	four := f.take("4.48000.wav", "m_3.wav")
	var names []string
	for _, s := range f.strands(set) {
		names = append(names, s.FileName)
	}
	assert.ElementsMatch(t, []string{"m_2.wav", "m_3.wav", "other.wav"}, names)
	require.NoError(t, f.RemoveFile(f.ctx, four.ID))
	f.undo()
	f.undo()
	require.Len(t, f.takes(), 2)
	set, err := f.Store.Take(f.ctx, set.ID)
	require.NoError(t, err)
	assert.Len(t, f.strands(set), 2, "%v", two.Name)
	f.take("poly8_s24.wav", "poly.wav")
	for _, tk := range f.takes() {
		if tk.Name == "poly" {
			assert.Equal(t, "not_mono", code(f.MoveFile(f.ctx, one.ID, &tk.ID)))
		}
	}
}

func TestPicturesAreDecodedBesideTheOriginal(t *testing.T) {
	f := setup(t)
	file := f.take("groups.mov", "CAM_A.mov")
	require.Equal(t, "ready", file.State, file.ErrorMessage)
	require.NotEmpty(t, file.WorkingPath)
	want, err := os.ReadFile(testmedia.Path(t, "groups.mov"))
	require.NoError(t, err)
	got, err := os.ReadFile(f.Media.Path(file.Path))
	require.NoError(t, err)
	assert.Equal(t, want, got, "the original is untouched")
	tk := f.takes()[0]
	require.Len(t, f.strands(tk), 6)
	require.Len(t, tk.Readings, 2, "two streams are stereo")
	assert.Equal(t, [][]int{{1, 2}, {5, 6}}, [][]int{tk.Readings[0].Positions, tk.Readings[1].Positions})
	require.NotNil(t, file.Facts.Strip)
	lossy := f.take("lossy.mp4", "CAM_B.mp4")
	assert.True(t, lossy.Facts.Streams[0].Lossy)
}

func TestTakesAreWrittenAndProven(t *testing.T) {
	f := setup(t)
	f.take("poly8_s24.wav", "a.wav")
	tk := f.takes()[0]
	st := f.strands(tk)
	require.NoError(t, f.edit(cell(tk.ID, "scene", "21A"), cell(tk.ID, "take", "3"), cell(st[2].ID, "label", "../Boom\n"), cell(tk.ID, "readings", []take.Reading{{Kind: take.Stereo, Positions: []int{1, 2}}})))
	rows, err := f.OrderWritings(f.ctx, f.p.ID, app.WritingOrder{Takes: []uuid.UUID{tk.ID}, Packing: "pairs"})
	require.NoError(t, err)
	require.NoError(t, f.Make(f.ctx, rows[0].ID))
	w, err := f.Store.Writing(f.ctx, rows[0].ID)
	require.NoError(t, err)
	require.Equal(t, order.Proven, w.State, w.ErrorMessage)
	require.Len(t, w.Proof, 7, "a pair and six")
	path, err := f.WrittenFile(f.ctx, w.ID, 1)
	require.NoError(t, err)
	src, err := source.Open(path.Path)
	require.NoError(t, err)
	defer src.Close()
	assert.Equal(t, "21A", src.Gather("x").Scene)
	assert.Equal(t, f.Media.Order(order.Writing, w.ID), filepath.Dir(filepath.Dir(path.Path)), "a label leads nowhere else")
	assert.Equal(t, "bad_pattern", orderCode(f, tk, "{nothing}"))
	assert.Equal(t, "names_clash", orderCode(f, tk, "same"))

	// A source that is gone fails its own job, with a reason, and can be tried again.
	rows, err = f.OrderWritings(f.ctx, f.p.ID, app.WritingOrder{Takes: []uuid.UUID{tk.ID}, Packing: "poly"})
	require.NoError(t, err)
	original := f.Media.Path(st[0].FilePath)
	require.NoError(t, os.Rename(original, original+".away"))
	require.NoError(t, f.Make(f.ctx, rows[0].ID))
	w, err = f.Store.Writing(f.ctx, rows[0].ID)
	require.NoError(t, err)
	assert.Equal(t, []string{"failed", "not_found"}, []string{string(w.State), w.ErrorCode})
	require.NoError(t, os.Rename(original+".away", original))
	require.NoError(t, f.step(w.ID, order.Retry))
	require.NoError(t, f.Make(f.ctx, w.ID))
	w, err = f.Store.Writing(f.ctx, w.ID)
	require.NoError(t, err)
	assert.Equal(t, order.Proven, w.State)

	// One that waits is held, and its job, if it runs all the same, does nothing; cancelled it can be tried again.
	rows, err = f.OrderWritings(f.ctx, f.p.ID, app.WritingOrder{Takes: []uuid.UUID{tk.ID}, Packing: "mono"})
	require.NoError(t, err)
	id := rows[0].ID
	step := func(step order.Move) string { return code(f.step(id, step)) }
	state := func() order.State {
		require.NoError(t, f.Make(f.ctx, id))
		w, err := f.Store.Writing(f.ctx, id)
		require.NoError(t, err)
		return w.State
	}
	require.Empty(t, step(order.Hold))
	assert.Equal(t, order.Held, state())
	list, err := f.Store.Unfinished(f.ctx, f.p.ID)
	require.NoError(t, err)
	require.Len(t, list, 1)
	assert.Equal(t, []any{order.Writing, order.Held, "21A-3", "mono", tk.Length()}, []any{list[0].Kind, list[0].State, list[0].Name, list[0].Says, list[0].Frames})
	assert.Equal(t, "under_way", step(order.Hold))
	require.Empty(t, step(order.Cancel))
	assert.Equal(t, order.Cancelled, state())
	assert.Equal(t, "ended", step(order.Cancel))
	require.Empty(t, step(order.Retry))
	assert.Equal(t, order.Proven, state())
	for _, s := range []order.Move{order.Cancel, order.Hold, order.Next, order.Retry} {
		assert.NotEmpty(t, step(s), s)
	}
	assert.ErrorIs(t, f.step(uuid.New(), order.Hold), app.ErrNotFound)
}

func orderCode(f *fixture, t store.Take, pattern string) string {
	_, err := f.OrderWritings(f.ctx, f.p.ID, app.WritingOrder{Takes: []uuid.UUID{t.ID}, Packing: "mono", Pattern: pattern})
	return code(err)
}

// A full disk refuses what needs room, says so, and loses nothing: with room, the same order works.
func TestAFullDisk(t *testing.T) {
	if os.Geteuid() != 0 {
		t.Skip("mounting a small file system needs root; CI runs as root")
	}
	f := setup(t)
	f.take("poly8_s24.wav", "a.wav")
	tk := f.takes()[0]
	small := t.TempDir()
	if err := unix.Mount("tmpfs", small, "tmpfs", 0, "size=18m"); err != nil {
		t.Skipf("no small file system can be mounted here: %v", err)
	}
	t.Cleanup(func() { assert.NoError(t, unix.Unmount(small, 0)) })
	folder, err := media.Open(small)
	require.NoError(t, err)
	rel := f.strands(tk)[0].FilePath
	require.NoError(t, os.MkdirAll(filepath.Dir(folder.Path(rel)), 0o755))
	require.NoError(t, os.Symlink(f.Media.Path(rel), folder.Path(rel)))
	roomy := f.Media
	f.Media = folder
	rows, err := f.OrderWritings(f.ctx, f.p.ID, app.WritingOrder{Takes: []uuid.UUID{tk.ID}, Packing: "poly"})
	require.NoError(t, err)
	require.NoError(t, os.WriteFile(filepath.Join(small, "ballast"), make([]byte, 15<<20), 0o600))
	require.NoError(t, f.Make(f.ctx, rows[0].ID))
	w, err := f.Store.Writing(f.ctx, rows[0].ID)
	require.NoError(t, err)
	assert.Equal(t, []string{"failed", "disk_full"}, []string{string(w.State), w.ErrorCode})
	left, err := filepath.Glob(filepath.Join(folder.Order(order.Writing, w.ID), "*"))
	require.NoError(t, err)
	assert.Empty(t, left)
	f.Media = roomy
	require.NoError(t, f.step(w.ID, order.Retry))
	require.NoError(t, f.Make(f.ctx, w.ID))
	w, err = f.Store.Writing(f.ctx, w.ID)
	require.NoError(t, err)
	assert.Equal(t, order.Proven, w.State, w.ErrorMessage)
}

func TestSoundReports(t *testing.T) {
	f := setup(t)
	f.take("poly8_s24.wav", "a.wav")
	f.take("1.48000.wav", "b_1.wav")
	rows, err := f.SoundReport(f.ctx, f.p.ID)
	require.NoError(t, err)
	require.Len(t, rows, 2)
	assert.Equal(t, []any{"a.wav", 8, "00:00:01:00"}, []any{rows[0].File, len(rows[0].Tracks), rows[0].Length})
	m, err := f.MatchReport(f.ctx, f.p.ID, app.Incoming{Text: []byte("File name,Scene,Take,Circled,Track 3,Track 9\nA,21A,3,yes,Boom,beyond\nb_1.wav,22,1,,Plant,\nnone.wav,,,,,\n")})
	require.NoError(t, err)
	assert.Equal(t, 2, m.Takes)
	assert.Equal(t, []string{"line 4: no take is of a file called none.wav"}, m.Unmatched)
	assert.Empty(t, f.takes()[0].Scene, "matching changes nothing")
	require.NoError(t, f.EditSheet(f.ctx, f.p.ID, "take a report over", m.Cells))
	tk := f.takes()[0]
	assert.Equal(t, []any{"21A-3", true, "Boom"}, []any{tk.Name, tk.Circled, f.strands(tk)[2].Label})
	again, err := f.MatchReport(f.ctx, f.p.ID, app.Incoming{Text: []byte("Scene,Take,Circled\n21A,3,yes\n")})
	require.NoError(t, err)
	assert.Equal(t, 1, again.Takes)
	assert.Empty(t, again.Cells, "nothing is left to change")
}

func TestHashListsOfTheShelf(t *testing.T) {
	f := setup(t)
	shelf := t.TempDir()
	require.NoError(t, os.MkdirAll(filepath.Join(shelf, "day", "ascmhl"), 0o755))
	for to, from := range map[string]string{"good.wav": "poly8_s24.wav", "bad.wav": "six.wav", "unlisted.wav": "1.48000.wav"} {
		b, err := os.ReadFile(testmedia.Path(t, from))
		require.NoError(t, err)
		require.NoError(t, os.WriteFile(filepath.Join(shelf, "day", to), b, 0o600))
	}
	in := func() map[string]store.File {
		var err error
		f.Shelf, err = media.OpenShelf(shelf)
		require.NoError(t, err)
		fs, err := f.TakeFromShelf(f.ctx, f.p.ID, []string{"day/good.wav", "day/bad.wav", "day/unlisted.wav"}, false)
		require.NoError(t, err)
		out := map[string]store.File{}
		for _, file := range fs {
			require.NoError(t, f.Analyse(f.ctx, file.ID))
			file, err = f.Store.File(f.ctx, file.ID)
			require.NoError(t, err)
			out[file.Name] = file
		}
		return out
	}
	first := in()
	hash := func(name string) string { return first[name].Hash }
	list := `<?xml version="1.0" encoding="UTF-8"?><hashlist version="2.0" xmlns="urn:ASC:MHL:v2.0"><hashes>` +
		`<hash><path>good.wav</path><xxh64>` + hash("good.wav") + `</xxh64></hash><hash><path>bad.wav</path><xxh64>` + hash("good.wav") + `</xxh64></hash></hashes></hashlist>`
	require.NoError(t, os.WriteFile(filepath.Join(shelf, "day", "ascmhl", "0001_day.mhl"), []byte(list), 0o600))
	for _, file := range first {
		require.NoError(t, f.RemoveFile(f.ctx, file.ID))
	}
	second := in()
	codes := func(name string) (out []string) {
		for _, s := range second[name].Facts.Facts.Snags {
			out = append(out, s.Code)
		}
		return out
	}
	assert.NotContains(t, codes("good.wav"), "hash_list_differs")
	assert.Contains(t, codes("bad.wav"), "hash_list_differs")
	assert.NotContains(t, codes("unlisted.wav"), "hash_list_differs")
	l, err := f.HashList(f.ctx, f.p.ID)
	require.NoError(t, err)
	e, ok := l.Find("day/good.wav")
	require.True(t, ok)
	assert.Equal(t, hash("good.wav"), e.Hashes[0].Value)
}

// Whatever is typed, what is written lies in its folder under a name that every file system takes.
func TestHostileWordsInNames(t *testing.T) {
	f := setup(t)
	f.take("stereo_s16.aiff", "a.aiff")
	tk := f.takes()[0]
	st := f.strands(tk)
	for _, word := range []string{"../../etc/x", "a/b\\c", "nul\x00\nbell\a", "🙂🙂", strings.Repeat("ø", 300), "CON", " . ", "%2e%2e%2f", "{label}"} {
		if strings.Contains(word, "\n") {
			assert.Equal(t, "bad_label", code(f.edit(cell(tk.ID, "scene", word))))
			continue
		}
		require.NoError(t, f.edit(cell(tk.ID, "scene", word), cell(st[0].ID, "label", word)))
		ws, err := f.OrderWritings(f.ctx, f.p.ID, app.WritingOrder{Takes: []uuid.UUID{tk.ID}, Packing: "mono", Pattern: "{channel} {scene} {label}"})
		require.NoError(t, err, "%q", word)
		require.NoError(t, f.Make(f.ctx, ws[0].ID))
		w, err := f.Store.Writing(f.ctx, ws[0].ID)
		require.NoError(t, err)
		require.Equal(t, order.Proven, w.State, "%q: %s", word, w.ErrorMessage)
		for i, p := range w.Proof {
			assert.Equal(t, filepath.Base(p.Name), p.Name, "%q", word)
			assert.LessOrEqual(t, len(p.Name), 255)
			assert.NotRegexp(t, `[\x00-\x1f/\\]|^\.`, p.Name, "%q", word)
			path, err := f.WrittenFile(f.ctx, w.ID, i)
			require.NoError(t, err)
			assert.FileExists(t, path.Path)
			assert.Equal(t, f.Media.Order(order.Writing, w.ID), filepath.Dir(filepath.Dir(path.Path)))
		}
	}
}

// second is the error beside something that is not looked at.
func second[T any](_ T, err error) error { return err }
