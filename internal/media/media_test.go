package media_test

import (
	"context"
	"encoding/binary"
	"errors"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/google/uuid"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/mhl"
	"zestyloom/core/order"
	"zestyloom/core/picture"
	"zestyloom/core/safely"
	"zestyloom/core/snag"
	"zestyloom/core/source"
	"zestyloom/internal/media"
	"zestyloom/internal/testmedia"
)

func TestMain(m *testing.M) { testmedia.Main(m) }

func folder(t *testing.T) (*media.Folder, string) {
	t.Helper()
	dir := t.TempDir()
	f, err := media.Open(dir)
	require.NoError(t, err)
	return f, dir
}

func code(err error) string {
	if err == nil {
		return ""
	}
	return snag.Of(err).Code
}

// Whatever a file is called, it is kept below the folder, in one of its own.
func TestOriginalsStayInTheFolder(t *testing.T) {
	f, dir := folder(t)
	id := uuid.New()
	for _, name := range []string{"21A-3.wav", "../../etc/passwd", "a/b\\c.wav", "CON.wav", strings.Repeat("ø", 300) + ".WAV", "nul\x00.wav", "🙂.mov", ".hidden", "x.a long ending that is none", "", ".wav"} {
		rel := f.OriginalPath(id, name)
		at := f.Path(rel)
		assert.Equal(t, filepath.Join(dir, "originals", id.String()), filepath.Dir(at), "%q", name)
		assert.LessOrEqual(t, len(filepath.Base(at)), 255, "%q", name)
		assert.NotContains(t, at, "\x00")
	}
	for _, rel := range []string{"../x", "/../../x", "originals/../../../x", "/etc/passwd"} {
		assert.True(t, strings.HasPrefix(f.Path(rel), dir+"/"), "%q became %q", rel, f.Path(rel))
	}
}

// An upload gets its place however often that is tried, and nothing of it is left when it is removed.
func TestUploadsComeAndGo(t *testing.T) {
	f, dir := folder(t)
	require.NoError(t, f.Usable())
	id := uuid.New()
	upload, rel := filepath.Join(f.Uploads(), "u"), f.OriginalPath(id, "x.wav")
	require.NoError(t, os.WriteFile(upload, []byte("RIFF"), 0o600))
	require.NoError(t, f.Adopt(upload, rel))
	assert.FileExists(t, upload, "it is let go of once its row stands")
	assert.FileExists(t, f.Path(rel))
	require.NoError(t, f.Adopt(upload, rel), "a second time, as after a kill in between")
	require.NoError(t, media.Forget(upload))
	require.NoError(t, media.Forget(upload), "a second time nothing is there")
	require.NoError(t, f.Adopt(upload, rel), "and a third, when only its place is left of it")
	require.NoError(t, os.WriteFile(f.Summary(id), nil, 0o600))
	require.NoError(t, f.RemoveOriginal(id))
	assert.NoFileExists(t, f.Path(rel))
	assert.NoFileExists(t, f.Summary(id))
	require.NoError(t, f.RemoveOriginal(id), "a second time nothing is there to remove")
	require.NoError(t, os.RemoveAll(dir))
	assert.Error(t, f.Usable())
}

func TestRoom(t *testing.T) {
	f, _ := folder(t)
	assert.NoError(t, f.Room(1))
	err := f.Room(1 << 60)
	assert.Equal(t, "disk_full", code(err))
	assert.ErrorContains(t, err, "nothing was lost")
}

// Attempts write apart, one of them is kept, and sealed read-only.
func TestAttempts(t *testing.T) {
	f, _ := folder(t)
	dir := f.Order(order.Delivery, uuid.New())
	one, two := uuid.New(), uuid.New()
	for _, id := range []uuid.UUID{one, two} {
		own, err := f.Attempt(dir, id)
		require.NoError(t, err)
		require.NoError(t, os.WriteFile(filepath.Join(own, "master.wav"), []byte(id.String()), 0o600))
	}
	require.NoError(t, f.KeepAttempt(dir, two))
	assert.NoDirExists(t, f.Attempted(dir, &one))
	own := f.Attempted(dir, &two)
	require.NoError(t, media.Seal(own))
	st, err := os.Stat(filepath.Join(own, "master.wav"))
	require.NoError(t, err)
	assert.Zero(t, st.Mode().Perm()&0o222)

	path, size, _, err := f.Delivered(own, "../../master.wav")
	require.NoError(t, err)
	assert.EqualValues(t, 36, size)
	assert.Equal(t, filepath.Join(own, "master.wav"), path, "no name leads out of the folder")
	_, _, _, err = f.Delivered(own, "none.wav")
	assert.ErrorIs(t, err, os.ErrNotExist)
	require.NoError(t, f.DropAttempt(dir, one), "one that is gone")
	require.NoError(t, f.DropAttempt(dir, two))
	assert.NoDirExists(t, dir)
}

// One pass finds facts, hash, levels and survey, and leaves a summary that can be read.
func TestAnalysis(t *testing.T) {
	f, _ := folder(t)
	id := uuid.New()
	var done, total int64
	a, err := f.Analyse(context.Background(), id, testmedia.Path(t, "poly8_s24.wav"), "poly8.wav", func(d, n int64) { done, total = d, n })
	require.NoError(t, err)
	assert.Equal(t, []any{8, int64(48000), int64(48000), int64(48000)}, []any{a.Info.Format.Channels, a.Info.Frames, done, total})
	assert.Len(t, a.Sums.Hash(), 16)
	require.Len(t, a.Survey.Channels, 8)
	assert.InDelta(t, 0.5, a.Survey.Channels[3].Peak, 0.001)
	sum, file, err := f.OpenSummary(id)
	require.NoError(t, err)
	defer file.Close()
	assert.EqualValues(t, 48000, sum.Frames)

	film := uuid.New()
	a, err = f.Analyse(context.Background(), film, testmedia.Path(t, "camera.mov"), "CAM_A_0031.mov", func(int64, int64) {})
	require.NoError(t, err)
	assert.Equal(t, "CAM_A", a.Facts.Recorder, "a camera is known by its clips' names")
	require.NotNil(t, a.Strip)
	sound, proxy, strip := f.Working(film)
	for _, rel := range []string{sound, proxy, strip} {
		assert.FileExists(t, f.Path(rel))
	}
	ctx, cancel := context.WithCancel(context.Background())
	cancel()
	_, err = f.Analyse(ctx, uuid.New(), testmedia.Path(t, "poly8_s24.wav"), "x.wav", func(int64, int64) {})
	assert.ErrorIs(t, err, context.Canceled)
	_, err = f.Analyse(context.Background(), uuid.New(), testmedia.Path(t, "not_a_wave.wav"), "x.wav", func(int64, int64) {})
	assert.Error(t, err)
}

func shelf(t *testing.T, files ...string) (*media.Shelf, string) {
	t.Helper()
	dir := t.TempDir()
	for _, name := range files {
		require.NoError(t, os.MkdirAll(filepath.Join(dir, filepath.Dir(name)), 0o755))
		require.NoError(t, os.WriteFile(filepath.Join(dir, name), []byte(name), 0o600))
	}
	s, err := media.OpenShelf(dir)
	require.NoError(t, err)
	return s, dir
}

// The shelf shows what is on it and leads nowhere else, by no path and by no link.
func TestTheShelfIsConfined(t *testing.T) {
	s, dir := shelf(t, "b.wav", "A.wav", "day/x.wav", ".hidden.wav")
	secret := filepath.Join(t.TempDir(), "secret.wav")
	require.NoError(t, os.WriteFile(secret, []byte("secret"), 0o600))
	require.NoError(t, os.Symlink(secret, filepath.Join(dir, "link.wav")))
	require.NoError(t, os.Symlink(filepath.Dir(secret), filepath.Join(dir, "out")))
	es, err := s.List("")
	require.NoError(t, err)
	var names []string
	for _, e := range es {
		names = append(names, e.Path)
	}
	assert.Equal(t, []string{"day", "A.wav", "b.wav"}, names)
	es, err = s.List("/day/")
	require.NoError(t, err)
	assert.Equal(t, []media.Entry{{Name: "x.wav", Path: "day/x.wav", Size: 9}}, es)
	for _, path := range []string{"..", "../x", "day/../../x", "out", "/etc/.."} {
		_, err := s.List(path)
		assert.Error(t, err, path)
	}
	for _, path := range []string{"link.wav", "out/secret.wav", "../secret.wav", "none.wav", "day"} {
		_, _, err := s.Stat(path)
		assert.Error(t, err, path)
		_, err = s.CopyTo(context.Background(), path, filepath.Join(t.TempDir(), "x"), func(int64, int64) {})
		assert.Error(t, err, path)
	}
	found, err := s.Walk("")
	require.NoError(t, err)
	names = nil
	for _, f := range found {
		names = append(names, f.Path)
	}
	assert.ElementsMatch(t, []string{"A.wav", "b.wav", "day/x.wav"}, names)
	_, err = s.Walk("none")
	assert.Equal(t, "no_folder", code(err))
}

// A file in place is used only as long as it is the one that was read.
func TestLinkedFiles(t *testing.T) {
	s, dir := shelf(t, "a.wav")
	size, at, err := s.Stat("a.wav")
	require.NoError(t, err)
	path, err := s.Linked("a.wav", size, at)
	require.NoError(t, err)
	assert.Equal(t, filepath.Join(dir, "a.wav"), path)
	require.NoError(t, os.WriteFile(path, []byte("other"), 0o600))
	_, err = s.Linked("a.wav", size, at)
	assert.Equal(t, "original_changed", code(err))
	require.NoError(t, os.WriteFile(path, []byte("a.wav"), 0o600))
	_, err = s.Linked("a.wav", size, at)
	assert.Equal(t, "original_changed", code(err), "of the same size, and written since")
	require.NoError(t, os.Remove(path))
	_, err = s.Linked("a.wav", size, at)
	assert.Equal(t, "original_moved", code(err))
}

// A copy appears whole or not at all.
func TestCopying(t *testing.T) {
	s, _ := shelf(t, "a.wav")
	to := filepath.Join(t.TempDir(), "deep", "down", "a.wav")
	var done int64
	n, err := s.CopyTo(context.Background(), "a.wav", to, func(d, _ int64) { done = d })
	require.NoError(t, err)
	assert.EqualValues(t, 5, n)
	assert.EqualValues(t, 5, done)
	b, err := os.ReadFile(to)
	require.NoError(t, err)
	assert.Equal(t, "a.wav", string(b))
	ctx, cancel := context.WithCancel(context.Background())
	cancel()
	other := filepath.Join(t.TempDir(), "b.wav")
	_, err = s.CopyTo(ctx, "a.wav", other, func(int64, int64) {})
	assert.ErrorIs(t, err, context.Canceled)
	left, err := os.ReadDir(filepath.Dir(other))
	require.NoError(t, err)
	assert.Empty(t, left)
}

// Hash lists beside a file and above it are found, the newest generation first.
func TestListedBesideFiles(t *testing.T) {
	s, dir := shelf(t, "card/A.wav", "card/B.wav")
	list := func(folder, name, path, hash string) {
		at := filepath.Join(dir, folder, "ascmhl")
		require.NoError(t, os.MkdirAll(at, 0o755))
		xml := `<?xml version="1.0" encoding="UTF-8"?><hashlist version="2.0" xmlns="urn:ASC:MHL:v2.0"><hashes><hash><path size="10">` + path + `</path><xxh64 action="original">` + hash + `</xxh64></hash></hashes></hashlist>`
		require.NoError(t, os.WriteFile(filepath.Join(at, name), []byte(xml), 0o600))
	}
	list(".", "0001_day.mhl", "card/A.wav", "0000000000000001")
	list("card", "0001_card.mhl", "A.wav", "0000000000000002")
	list("card", "0002_card.mhl", "A.wav", "0000000000000003")
	e, ok, err := s.Listed("card/A.wav")
	require.NoError(t, err)
	require.True(t, ok)
	assert.Equal(t, []mhl.Hash{{Kind: "xxh64", Value: "0000000000000003"}}, e.Hashes)
	_, ok, err = s.Listed("card/B.wav")
	require.NoError(t, err)
	assert.False(t, ok)
	require.NoError(t, os.WriteFile(filepath.Join(dir, "card", "ascmhl", "0003_card.mhl"), []byte("<no"), 0o600))
	_, _, err = s.Listed("card/A.wav")
	assert.Equal(t, "bad_hash_list", code(err))
}

// Rates that nobody records at are read like any other, or refused: they never end the work on other files.
func TestOddRatesAreAnalysed(t *testing.T) {
	f, _ := folder(t)
	for _, hz := range []uint32{1, 2, 3, 7, 19, 20, 50, 99, 100, 199, 200, 333, 359, 360, 361, 999, 1000, 384000, 6000000} {
		for _, frames := range []int{1, 2, 100, 5000} {
			b := []byte("RIFF\x00\x00\x00\x00WAVEfmt \x10\x00\x00\x00\x01\x00\x02\x00")
			b = binary.LittleEndian.AppendUint32(b, hz)
			b = binary.LittleEndian.AppendUint32(b, hz*4)
			b = append(b, "\x04\x00\x10\x00data"...)
			b = binary.LittleEndian.AppendUint32(b, uint32(frames*4))
			for i := range frames * 2 {
				b = binary.LittleEndian.AppendUint16(b, uint16(i*7919))
			}
			binary.LittleEndian.PutUint32(b[4:], uint32(len(b)-8))
			path := filepath.Join(t.TempDir(), "x.wav")
			require.NoError(t, os.WriteFile(path, b, 0o600))
			err := safely.Do(func() error {
				_, err := f.Analyse(t.Context(), uuid.New(), path, "x.wav", func(int64, int64) {})
				return err
			})
			var p *safely.Panic
			if errors.As(err, &p) {
				t.Fatalf("%d Hz, %d frames: %v\n%s", hz, frames, p.Value, p.Stack)
			}
		}
	}
}

// Whatever a file holds, nobody waits for its analysis that has called it off: a second at most.
func TestAnalysisIsCalledOff(t *testing.T) {
	dir := t.TempDir()
	for name, command := range map[string]string{
		"hours of silence in little.flac": "sox -n -r 48000 -b 16 -c 1 OUT trim 0 3600",
		"many channels.wav":               "sox -R -n -r 48000 -b 24 -c 64 OUT synth 8 sine 440",
		"streams.mkv":                     "ffmpeg -v error -f lavfi -i sine=440:duration=600:sample_rate=48000 -map 0:a -map 0:a -c:a flac OUT",
	} {
		path := filepath.Join(dir, name)
		args := strings.Fields(command)
		args[slices.Index(args, "OUT")] = path
		out, err := exec.Command(args[0], args[1:]...).CombinedOutput()
		require.NoError(t, err, "%s", out)
		f, _ := folder(t)
		ctx, cancel := context.WithTimeout(t.Context(), 400*time.Millisecond)
		seen, of := int64(0), int64(1)
		_, err = f.Analyse(ctx, uuid.New(), path, filepath.Base(path), func(done, total int64) { seen, of = done, total })
		cancel()
		assert.ErrorIs(t, err, context.DeadlineExceeded, path)
		assert.Less(t, seen, of, "%s: not all of it was read first", path)
		left, err := filepath.Glob(f.Path("summaries/*"))
		require.NoError(t, err)
		assert.Empty(t, left, "%s: nothing half made is left", path)
	}
}

// A file that is used where it lies may be swapped for a link after it was looked at: what the link leads to is not
// opened, by any way that sound and pictures are read.
func TestALinkThatComesLateLeadsNowhere(t *testing.T) {
	s, dir := shelf(t, "day/x.wav", "day/x.mov")
	outside := t.TempDir()
	for name, from := range map[string]string{"x.wav": "poly8_s24.wav", "x.mov": "camera.mov"} {
		b, err := os.ReadFile(testmedia.Path(t, from))
		require.NoError(t, err)
		require.NoError(t, os.WriteFile(filepath.Join(outside, name), b, 0o600))
	}
	paths := map[string]string{}
	for _, name := range []string{"x.wav", "x.mov"} {
		size, modified, err := s.Stat("day/" + name)
		require.NoError(t, err)
		paths[name], err = s.Linked("day/"+name, size, modified)
		require.NoError(t, err)
	}
	_, err := source.Open(filepath.Join(outside, "x.wav"))
	require.NoError(t, err, "it can be read, but not through the shelf")
	_, err = picture.Probe(context.Background(), filepath.Join(outside, "x.mov"))
	require.NoError(t, err)

	require.NoError(t, os.RemoveAll(filepath.Join(dir, "day")))
	require.NoError(t, os.Symlink(outside, filepath.Join(dir, "day")))
	_, err = source.Open(paths["x.wav"])
	assert.Error(t, err)
	_, err = picture.Probe(context.Background(), paths["x.mov"])
	assert.Error(t, err)
}
