package app_test

import (
	"io"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/google/uuid"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/order"
	"zestyloom/internal/app"
	"zestyloom/internal/media"
	"zestyloom/internal/store"
	"zestyloom/internal/testmedia"
)

// onShelf gives the fixture a shelf and puts reference files on it, by their new paths.
func (f *fixture) onShelf(files map[string]string) (dir string) {
	f.t.Helper()
	dir = f.t.TempDir()
	for to, from := range files {
		b, err := os.ReadFile(testmedia.Path(f.t, from))
		require.NoError(f.t, err)
		require.NoError(f.t, os.MkdirAll(filepath.Dir(filepath.Join(dir, to)), 0o755))
		require.NoError(f.t, os.WriteFile(filepath.Join(dir, to), b, 0o600))
	}
	var err error
	f.Shelf, err = media.OpenShelf(dir)
	require.NoError(f.t, err)
	return dir
}

// link takes a file of the shelf in where it lies.
func (f *fixture) link(path string) store.File {
	f.t.Helper()
	fs, err := f.TakeFromShelf(f.ctx, f.p.ID, []string{path}, true)
	require.NoError(f.t, err)
	require.NoError(f.t, f.Analyse(f.ctx, fs[0].ID))
	file, err := f.Store.File(f.ctx, fs[0].ID)
	require.NoError(f.t, err)
	return file
}

func TestInPlaceIsReadWhereItLies(t *testing.T) {
	f := setup(t)
	dir := f.onShelf(map[string]string{"day/a.wav": "poly8_s24.wav", "day/camera.mov": "camera.mov"})
	file := f.link("day/a.wav")
	require.Equal(t, []any{"ready", "linked", ""}, []any{file.State, file.Origin, file.Path}, file.ErrorMessage)
	assert.NoFileExists(t, filepath.Join(f.dir, "originals", file.ID.String(), "a.wav"), "nothing was copied")
	st := f.strands(f.takes()[0])[2]
	hear := func() ([]byte, error) {
		s, _, err := f.OpenSound(f.ctx, st.ID.String(), 0, 480)
		if err != nil {
			return nil, err
		}
		defer s.Close()
		return io.ReadAll(s)
	}
	sound, err := hear()
	require.NoError(t, err)
	assert.Len(t, sound, 480*4)

	lost := func() string {
		require.NoError(t, f.LookForLost(f.ctx))
		file, err := f.Store.File(f.ctx, file.ID)
		require.NoError(t, err)
		if file.Lost == nil {
			return ""
		}
		return file.Lost.Code
	}
	original, aside := filepath.Join(dir, "day/a.wav"), filepath.Join(dir, "aside.wav")
	assert.Empty(t, lost())
	require.NoError(t, os.Rename(original, aside))
	assert.Equal(t, "original_moved", lost())
	_, err = hear()
	assert.Equal(t, "original_moved", code(err), "never silence in its stead")
	asked := app.WritingOrder{Takes: []uuid.UUID{f.takes()[0].ID}, Packing: "poly"}
	ws, err := f.OrderWritings(f.ctx, f.p.ID, asked)
	require.NoError(t, err, "a lost original fails its own job, not the order")
	require.NoError(t, f.Make(f.ctx, ws[0].ID))
	w, err := f.Store.Writing(f.ctx, ws[0].ID)
	require.NoError(t, err)
	assert.Equal(t, []string{"failed", "original_moved"}, []string{string(w.State), w.ErrorCode})

	require.NoError(t, os.Rename(aside, original))
	assert.Empty(t, lost(), "put back, it is as before")
	require.NoError(t, f.step(ws[0].ID, order.Retry))
	require.NoError(t, f.Make(f.ctx, ws[0].ID))
	w, err = f.Store.Writing(f.ctx, ws[0].ID)
	require.NoError(t, err)
	assert.Equal(t, order.Proven, w.State, w.ErrorMessage)

	later := time.Now().Add(time.Hour)
	require.NoError(t, os.Chtimes(original, later, later))
	assert.Equal(t, "original_changed", lost())
	_, err = hear()
	assert.Equal(t, "original_changed", code(err))

	cam := f.link("day/camera.mov")
	require.Equal(t, "ready", cam.State, cam.ErrorMessage)
	require.NoError(t, f.RemoveFile(f.ctx, cam.ID))
	assert.FileExists(t, filepath.Join(dir, "day/camera.mov"), "the shelf is only read")
	assert.NoDirExists(t, filepath.Join(f.dir, "originals", cam.ID.String()))
}

func TestWatchedFoldersOfferWhatIsFinished(t *testing.T) {
	f := setup(t)
	dir := f.onShelf(map[string]string{"day/one.wav": "1.48000.wav", "day/cards/b/two.wav": "six.wav", "day/notes.txt": "1.48000.wav", "day/.hidden.wav": "six.wav", "else/three.wav": "six.wav"})
	require.NoError(t, os.Symlink(filepath.Join(dir, "else"), filepath.Join(dir, "day", "loop")))
	now := time.Date(2026, 3, 14, 22, 10, 0, 0, time.UTC)
	f.Now = func() time.Time { return now }
	w := app.NewWatcher(f.App)
	offered := func() (paths []string, growing int) {
		now = now.Add(app.Steady)
		require.NoError(t, w.Look(f.ctx))
		o, err := w.Offered(f.ctx, f.p.ID)
		require.NoError(t, err)
		for _, e := range o.New {
			paths = append(paths, e.Path)
		}
		return paths, len(o.Growing)
	}
	paths, _ := offered()
	assert.Empty(t, paths, "nothing is watched yet")
	require.NoError(t, w.Watch(f.ctx, f.p.ID, []string{"day", "day/cards"}))
	o, err := w.Offered(f.ctx, f.p.ID)
	require.NoError(t, err)
	assert.Empty(t, o.New, "seen once: they may still be written")
	assert.Len(t, o.Growing, 2)
	paths, growing := offered()
	assert.Equal(t, []string{"day/cards/b/two.wav", "day/one.wav"}, paths)
	assert.Zero(t, growing)

	grow := func(b string) {
		g, err := os.OpenFile(filepath.Join(dir, "day/new.wav"), os.O_CREATE|os.O_APPEND|os.O_WRONLY, 0o600)
		require.NoError(t, err)
		_, err = g.WriteString(b)
		require.NoError(t, err)
		require.NoError(t, g.Close())
	}
	for range 3 {
		grow("more")
		paths, growing = offered()
		assert.Len(t, paths, 2)
		assert.Equal(t, 1, growing, "a file that grows is not offered")
	}
	paths, _ = offered()
	assert.Contains(t, paths, "day/new.wav", "until it has stopped")

	f.link("day/one.wav")
	require.NoError(t, w.Decline(f.ctx, f.p.ID, []string{"day/new.wav"}))
	paths, _ = offered()
	assert.Equal(t, []string{"day/cards/b/two.wav"}, paths)
	require.NoError(t, os.RemoveAll(filepath.Join(dir, "day")))
	paths, _ = offered()
	assert.Empty(t, paths)
	o, err = w.Offered(f.ctx, f.p.ID)
	require.NoError(t, err)
	require.Len(t, o.Snags, 2)
	assert.Equal(t, "no_folder", o.Snags[0].Code)
	assert.Equal(t, "outside_shelf", code(w.Watch(f.ctx, f.p.ID, []string{"../.."})))
	require.NoError(t, w.Watch(f.ctx, f.p.ID, nil))
	o, err = w.Offered(f.ctx, f.p.ID)
	require.NoError(t, err)
	assert.Empty(t, o.Folders)
}

func TestHashListsThatComeByThemselves(t *testing.T) {
	f := setup(t)
	good := f.take("six.wav", "good.wav")
	f.take("1.48000.wav", "bad.wav")
	list := func(kind, value string) string { return `<` + kind + `>` + value + `</` + kind + `>` }
	text := `<?xml version="1.0" encoding="UTF-8"?><hashlist version="2.0" xmlns="urn:ASC:MHL:v2.0"><hashes>` +
		`<hash><path>card/good.wav</path>` + list("xxh64", good.Hash) + `</hash>` +
		`<hash><path>card/bad.wav</path>` + list("md5", strings.Repeat("0", 32)) + `</hash>` +
		`<hash><path>card/late.wav</path>` + list("sha1", strings.Repeat("0", 40)) + `</hash></hashes></hashlist>`
	jobs := f.queue.jobs
	require.NoError(t, f.GiveHashList(f.ctx, f.p.ID, "card.mhl", strings.NewReader(text)))
	assert.EqualValues(t, 2, f.queue.jobs-jobs, "a comparison for each file that is here")
	says := func() app.ListCheck {
		all, err := f.HashLists(f.ctx, f.p.ID)
		require.NoError(t, err)
		require.Len(t, all, 1)
		return all[0]
	}
	assert.Equal(t, 2, says().Waiting)
	fs, err := f.Store.FilesAfter(f.ctx, f.p.ID, uuid.UUID{}, 10)
	require.NoError(t, err)
	for _, file := range fs {
		require.NoError(t, f.Check(f.ctx, file.ID))
		require.NoError(t, f.Check(f.ctx, file.ID), "again says the same")
	}
	c := says()
	assert.Equal(t, []any{3, 1, []string{"bad.wav"}, 0, []string{"card/late.wav"}}, []any{c.Entries, c.Matches, c.Differs, c.Waiting, c.Missing})
	late := f.take("poly8_s16.wav", "late.wav")
	n := 0
	for _, s := range late.Facts.Facts.Snags {
		if s.Code == "hash_list_differs" {
			n++
		}
	}
	assert.Equal(t, 1, n, "those that arrive later are compared when they do")
	assert.Empty(t, says().Missing)
	assert.Equal(t, "bad_hash_list", code(f.GiveHashList(f.ctx, f.p.ID, "x.mhl", strings.NewReader("no list"))))
	require.NoError(t, f.RemoveHashList(f.ctx, c.ID))
	require.NoError(t, f.Check(f.ctx, late.ID))
	late, err = f.Store.File(f.ctx, late.ID)
	require.NoError(t, err)
	assert.Empty(t, late.Facts.Listed)
}
