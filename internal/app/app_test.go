package app_test

import (
	"context"
	"crypto/ed25519"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/edit"
	"zestyloom/core/order"
	"zestyloom/core/reel"
	"zestyloom/core/snag"
	"zestyloom/core/weave"
	"zestyloom/internal/app"
	"zestyloom/internal/media"
	"zestyloom/internal/pgtest"
	"zestyloom/internal/store"
	"zestyloom/internal/testmedia"
)

func TestMain(m *testing.M) { pgtest.Main(m) }

// idle is a queue that remembers what it was asked and does nothing, so that tests do the work
// themselves, step by step.
type idle struct {
	jobs      int64
	cancelled []int64
}

func (q *idle) Add(context.Context, pgx.Tx, app.Job) (int64, error) {
	q.jobs++
	return q.jobs, nil
}

func (q *idle) Cancel(_ context.Context, job int64) error {
	q.cancelled = append(q.cancelled, job)
	return nil
}

type fixture struct {
	*app.App
	t     testing.TB
	ctx   context.Context
	queue *idle
	p     store.Production
	dir   string
}

func setup(t testing.TB) *fixture { return setupIn(t, t.TempDir()) }

func setupIn(t testing.TB, dir string) *fixture {
	t.Helper()
	folder, err := media.Open(dir)
	require.NoError(t, err)
	f := &fixture{t: t, ctx: context.Background(), queue: &idle{}, dir: dir}
	f.App = &app.App{Store: pgtest.Store(t), Media: folder, Queue: f.queue, Now: func() time.Time { return time.Date(2026, 3, 14, 22, 10, 0, 0, time.UTC) },
		Key: ed25519.NewKeyFromSeed([]byte("thirty-two bytes of lantern oil."))}
	require.NoError(t, f.EnsureSpecs(f.ctx))
	require.NoError(t, f.EnsureSpecs(f.ctx), "again is fine")
	f.p, err = f.CreateProduction(f.ctx, app.NewProduction{Name: " Ferry ", SampleRate: 48000, Rate: "25", Start: "10:00:00:00"})
	require.NoError(t, err)
	assert.Equal(t, "Ferry", f.p.Name)
	assert.EqualValues(t, 36000*48000, f.p.StartSamples)
	return f
}

// take takes a reference file in and analyses it.
func (f *fixture) take(media, name string) store.File {
	f.t.Helper()
	return f.takeFile(testmedia.Path(f.t, media), name)
}

// takeFile does so with a file at a path, which stays there.
func (f *fixture) takeFile(path, name string) store.File {
	f.t.Helper()
	b, err := os.ReadFile(path)
	require.NoError(f.t, err)
	return f.takeBytes(b, name)
}

func (f *fixture) takeBytes(b []byte, name string) store.File {
	f.t.Helper()
	upload := filepath.Join(f.dir, "upload")
	require.NoError(f.t, os.WriteFile(upload, b, 0o600))
	file, err := f.TakeUpload(f.ctx, f.p.ID, name, upload, int64(len(b)))
	require.NoError(f.t, err)
	require.NoError(f.t, f.Analyse(f.ctx, file.ID))
	file, err = f.Store.File(f.ctx, file.ID)
	require.NoError(f.t, err)
	f.apart()
	return file
}

func (f *fixture) takes() []store.Take {
	f.t.Helper()
	ts, err := f.Store.TakesAfter(f.ctx, f.p.ID, uuid.UUID{}, 100)
	require.NoError(f.t, err)
	return ts
}

// apart says of all that is asked that the channels stand each by itself, as if it had never been asked: no edit is logged.
func (f *fixture) apart() {
	f.t.Helper()
	var ids []uuid.UUID
	for _, tk := range f.takes() {
		ids = append(ids, tk.ID)
	}
	asking, err := f.Store.Asking(f.ctx, ids)
	require.NoError(f.t, err)
	for _, s := range asking {
		require.NoError(f.t, f.Store.MoveSuggestion(f.ctx, s.ID, "refused"))
	}
}

func code(err error) string {
	var r *snag.Refusal
	if errors.As(err, &r) {
		return r.Code
	}
	var s *app.Stale
	if errors.As(err, &s) {
		return "stale"
	}
	return ""
}

func TestNamesFromOutside(t *testing.T) {
	f := setup(t)
	for in, want := range map[string]string{
		"../../etc/passwd.wav": "passwd.wav", `C:\rec\a.wav`: "a.wav", "": "unnamed", "..": "..", "a\nb.wav": "a\uFFFDb.wav", "🙂 boom.wav": "🙂 boom.wav",
		strings.Repeat("ø", 400) + ".wav": strings.Repeat("ø", 296) + ".wav", "bad\xff.wav": "bad\uFFFD.wav",
	} {
		file := f.take("stereo_u8.wav", in)
		assert.Equal(t, want, file.Name)
		rel, err := filepath.Rel(f.dir, f.Media.Path(file.Path))
		require.NoError(t, err)
		assert.True(t, strings.HasPrefix(rel, "originals/"+file.ID.String()+"/"), "%q lies at %s", in, rel)
		require.NoError(t, f.RemoveFile(f.ctx, file.ID))
		assert.NoDirExists(t, filepath.Join(f.dir, "originals", file.ID.String()))
	}
	assert.Empty(t, f.takes(), "takes go with their files")
}

func TestAnUploadThatCantBeTakenInIsKept(t *testing.T) {
	f := setup(t)
	upload := filepath.Join(f.dir, "upload")
	require.NoError(t, os.WriteFile(upload, []byte("RIFF"), 0o600))
	_, err := f.TakeUpload(f.ctx, store.NewID(), "x.wav", upload, 4)
	require.ErrorIs(t, err, app.ErrNotFound, "there is no such production")
	assert.FileExists(t, upload)
	left, err := os.ReadDir(filepath.Join(f.dir, "originals"))
	require.NoError(t, err)
	assert.Empty(t, left)
}

func TestAnalysisHappensOnce(t *testing.T) {
	f := setup(t)
	file := f.take("poly8_s24.wav", "a.wav")
	require.NoError(t, f.Analyse(f.ctx, file.ID), "a job that is run again finds nothing to do")
	assert.Len(t, f.takes(), 1)
	require.NoError(t, f.Analyse(f.ctx, store.NewID()), "nor for a file that is gone")
	_, err := f.RetryFile(f.ctx, file.ID)
	assert.Equal(t, "not_refused", code(err))
}

func TestRemovingAFileUnderWayCancelsItsJob(t *testing.T) {
	f := setup(t)
	upload := filepath.Join(f.dir, "upload")
	require.NoError(t, os.WriteFile(upload, []byte("RIFF"), 0o600))
	file, err := f.TakeUpload(f.ctx, f.p.ID, "x.wav", upload, 4)
	require.NoError(t, err)
	require.NoError(t, f.RemoveFile(f.ctx, file.ID))
	assert.Equal(t, []int64{1}, f.queue.cancelled)
	assert.ErrorIs(t, f.RemoveFile(f.ctx, file.ID), app.ErrNotFound)
}

func TestOtherRatesAreHeardAndLaid(t *testing.T) {
	f := setup(t)
	f.take("stereo_44k1.wav", "slow.wav")
	r, err := f.Store.ReelOf(f.ctx, f.p.ID)
	require.NoError(t, err)
	r, err = edited(f.LayTakes(f.ctx, r.ID, []uuid.UUID{f.takes()[0].ID}, false))
	require.NoError(t, err)
	assert.EqualValues(t, 48000, r.Doc.Tracks[0].Clips[0].Length, "a second at 44.1 kHz is a second at 48 kHz")
	strands, err := f.Store.Strands(f.ctx, []uuid.UUID{f.takes()[0].ID})
	require.NoError(t, err)
	sound, _, err := f.OpenSound(f.ctx, strands[0].ID.String(), 100, 50)
	require.NoError(t, err)
	defer sound.Close()
	assert.Equal(t, 44100, sound.Rate())
	assert.EqualValues(t, 50, sound.Frames())
}

func TestUndoOfWhatIsGone(t *testing.T) {
	f := setup(t)
	file := f.take("stereo_u8.wav", "a.wav")
	strands, err := f.Store.StrandsOfFiles(f.ctx, []uuid.UUID{file.ID})
	require.NoError(t, err)
	_, err = f.LabelStrand(f.ctx, strands[0].ID, "Boom", "")
	require.NoError(t, err)
	_, err = f.LabelStrand(f.ctx, strands[0].ID, "Boom", "Boom")
	require.NoError(t, err, "the same again is no edit")
	require.NoError(t, f.RemoveFile(f.ctx, file.ID))
	_, err = f.Undo(f.ctx, f.p.ID, "")
	assert.Equal(t, "gone", code(err))
}

// A delivery, step by step without a worker: what it writes, what is refused, what a lost source
// does, and that it can be made again.
func TestDeliveries(t *testing.T) {
	f := setup(t)
	file := f.take("poly8_s24.wav", "a.wav")
	r, err := f.Store.ReelOf(f.ctx, f.p.ID)
	require.NoError(t, err)
	specs, err := f.Store.Specs(f.ctx)
	require.NoError(t, err)
	asked := app.DeliveryOrder{Spec: specs[0].ID, Packing: "poly", Accept: []string{"no_stem", "output_silent", "stem_not_out"}}
	_, err = f.OrderDelivery(f.ctx, r.ID, asked)
	assert.Equal(t, "empty_reel", code(err))
	r, err = edited(f.LayTakes(f.ctx, r.ID, []uuid.UUID{f.takes()[0].ID}, false))
	require.NoError(t, err)
	route := weave.Route{Stem: "DX", GainDB: 12, Position: weave.Both}
	_, err = f.EditReel(f.ctx, r.ID, r.Version, "too loud", []edit.Action{{SetSends: &reel.SetSends{From: r.Doc.Tracks[0].ID, Sends: route.Sends()}}})
	require.NoError(t, err)
	_, err = f.EditReel(f.ctx, r.ID, r.Version, "stale", nil)
	require.ErrorIs(t, err, app.ErrStale)
	_, found, _, err := f.Preflight(f.ctx, r.ID, asked)
	require.NoError(t, err)
	var codes []string
	for _, x := range found {
		codes = append(codes, x.Code)
	}
	assert.Contains(t, codes, "clips", "a sine at -6 dBFS with 12 dB on top")

	d, err := f.OrderDelivery(f.ctx, r.ID, asked)
	require.NoError(t, err)
	_, err = f.DeliveredFile(f.ctx, d.ID, 0)
	assert.Equal(t, "not_proven", code(err), "nothing is given out before its proof")
	original := f.Media.Path(file.Path)
	require.NoError(t, os.Rename(original, original+".away"))
	require.NoError(t, f.Make(f.ctx, d.ID))
	d, err = f.Store.Delivery(f.ctx, d.ID)
	require.NoError(t, err)
	assert.Equal(t, order.Failed, d.State)
	assert.Contains(t, d.ErrorMessage, "a.wav", "it says which file")
	require.NoError(t, os.Rename(original+".away", original))
	_, err = f.stepped(d.ID, order.Retry)
	require.NoError(t, err)
	require.NoError(t, f.Make(f.ctx, d.ID))
	d, err = f.Store.Delivery(f.ctx, d.ID)
	require.NoError(t, err)
	assert.Equal(t, order.Proven, d.State)
	assert.Positive(t, d.Clipped)
	path, err := f.DeliveredFile(f.ctx, d.ID, 0)
	require.NoError(t, err)
	assert.FileExists(t, path.Path)
	_, err = f.stepped(d.ID, order.Retry)
	assert.Equal(t, "not_ended", code(err))

	waiting, err := f.OrderDelivery(f.ctx, r.ID, asked)
	require.NoError(t, err)
	waiting, err = f.stepped(waiting.ID, order.Cancel)
	require.NoError(t, err)
	assert.Equal(t, order.Cancelled, waiting.State)
	require.NoError(t, f.Make(f.ctx, waiting.ID), "its job, if it runs all the same, does nothing")
	assert.NoDirExists(t, f.Media.Order(order.Delivery, waiting.ID))
}

// Whatever the server was doing with an upload when it was killed, the next sweep ends it: one file, with a row, and
// nothing else left of it.
func TestAKillAtAnyStepOfTakingIn(t *testing.T) {
	for step := range 5 {
		f := setup(t)
		b, err := os.ReadFile(testmedia.Path(t, "poly8_s24.wav"))
		require.NoError(t, err)
		id := "0123456789abcdef"
		bytes, info := filepath.Join(f.Media.Uploads(), id), filepath.Join(f.Media.Uploads(), id+".info")
		require.NoError(t, os.WriteFile(bytes, b, 0o600))
		require.NoError(t, os.WriteFile(info, fmt.Appendf(nil, `{"Size": %d, "MetaData": {"filename": "a.wav", "production": %q}}`, len(b), f.p.ID), 0o600))
		u, err := f.Media.Upload(id)
		require.NoError(t, err)
		rel := f.Media.OriginalPath(u.File, "a.wav")
		switch step {
		case 1: // it had its place, by a second name
			require.NoError(t, f.Media.Adopt(bytes, rel))
		case 2: // it had been moved there, where a file can have only one name
			require.NoError(t, f.Media.Adopt(bytes, rel))
			require.NoError(t, os.Remove(bytes))
		case 3, 4: // its row stood, and its place was not what it should be
			st, err := os.Stat(info)
			require.NoError(t, err)
			_, err = f.TakeWholeUpload(f.ctx, u)
			require.NoError(t, err)
			require.NoError(t, os.WriteFile(bytes, b, 0o600))
			require.NoError(t, os.WriteFile(info, fmt.Appendf(nil, `{"Size": %d, "MetaData": {"filename": "a.wav", "production": %q}}`, len(b), f.p.ID), 0o600))
			require.NoError(t, os.Chtimes(info, st.ModTime(), st.ModTime()))
			if step == 4 {
				require.NoError(t, os.Remove(f.Media.Path(rel)))
			}
		}
		_, err = f.Sweep(f.ctx, 0)
		require.NoError(t, err)
		_, err = f.Sweep(f.ctx, 0)
		require.NoError(t, err)
		files, err := f.Store.FilesAfter(f.ctx, f.p.ID, uuid.Nil, 10)
		require.NoError(t, err)
		require.Len(t, files, 1, "step %d", step)
		assert.Equal(t, u.File, files[0].ID)
		got, err := os.ReadFile(f.Media.Path(files[0].Path))
		require.NoError(t, err)
		assert.Equal(t, b, got)
		left, err := os.ReadDir(f.Media.Uploads())
		require.NoError(t, err)
		assert.Empty(t, left, "step %d", step)
	}
}

// What no row speaks of is put away: sound apart, and what can be made again for good. What rows speak of stays.
func TestStrayFiles(t *testing.T) {
	f := setup(t)
	kept := f.take("poly8_s24.wav", "a.wav")
	at := func(place string, id uuid.UUID, names ...string) string {
		dir := filepath.Join(f.dir, place, id.String())
		require.NoError(t, os.MkdirAll(dir, 0o755))
		for _, n := range names {
			require.NoError(t, os.WriteFile(filepath.Join(dir, n), []byte(n), 0o600))
		}
		return dir
	}
	sound, working := uuid.New(), uuid.New()
	at("originals", sound, "lost.wav")
	at("originals", working, ".working.wav", ".proxy.mp4")
	at("deliveries", uuid.New(), ".master.wav.1.part")
	summary := f.Media.Summary(uuid.New())
	require.NoError(t, os.WriteFile(summary, nil, 0o600))
	old := filepath.Join(f.Media.Uploads(), "left")
	for _, n := range []string{old, old + ".info", old + ".lock", filepath.Join(f.Media.Uploads(), "young")} {
		require.NoError(t, os.WriteFile(n, []byte("{}"), 0o600))
		if !strings.HasSuffix(n, "young") {
			week := time.Now().Add(-8 * 24 * time.Hour)
			require.NoError(t, os.Chtimes(n, week, week))
		}
	}
	s, err := f.Sweep(f.ctx, time.Hour)
	require.NoError(t, err)
	assert.Equal(t, app.Swept{Removed: 3}, s, "what is young may yet get its row; uploads of a week ago go")
	assert.NoFileExists(t, old)
	s, err = f.Sweep(f.ctx, 0)
	require.NoError(t, err)
	assert.Equal(t, app.Swept{Kept: 1, Removed: 3}, s)
	got, err := os.ReadFile(filepath.Join(f.dir, "found", "originals-"+sound.String(), "lost.wav"))
	require.NoError(t, err, "sound that is nowhere else is never thrown away by itself")
	assert.Equal(t, "lost.wav", string(got))
	assert.NoFileExists(t, summary)
	assert.FileExists(t, f.Media.Path(kept.Path))
	assert.FileExists(t, f.Media.Summary(kept.ID))
	s, err = f.Sweep(f.ctx, 0)
	require.NoError(t, err)
	assert.Equal(t, app.Swept{}, s)
}

// What is ordered is delivered: what is done to a strand after the order is not in it, however often it is made again, and
// a source that is another by now, or gone, is said.
func TestOrdersAreFrozen(t *testing.T) {
	f := setup(t)
	file := f.take("poly8_s24.wav", "a.wav")
	r, err := f.Store.ReelOf(f.ctx, f.p.ID)
	require.NoError(t, err)
	specs, err := f.Store.Specs(f.ctx)
	require.NoError(t, err)
	r, err = edited(f.LayTakes(f.ctx, r.ID, []uuid.UUID{f.takes()[0].ID}, false))
	require.NoError(t, err)
	route := weave.Route{Stem: "DX", Position: weave.Both}
	_, err = f.EditReel(f.ctx, r.ID, r.Version, "route", []edit.Action{{SetSends: &reel.SetSends{From: r.Doc.Tracks[0].ID, Sends: route.Sends()}}})
	require.NoError(t, err)
	ordered := make([]store.Delivery, 3)
	for i := range ordered {
		ordered[i], err = f.OrderDelivery(f.ctx, r.ID, app.DeliveryOrder{Spec: specs[0].ID, Packing: "poly", Accept: []string{"no_stem", "output_silent", "stem_not_out"}})
		require.NoError(t, err)
	}
	made := func(d store.Delivery) store.Delivery {
		require.NoError(t, f.Make(f.ctx, d.ID))
		d, err := f.Store.Delivery(f.ctx, d.ID)
		require.NoError(t, err)
		return d
	}
	first := made(ordered[0])
	require.Equal(t, order.Proven, first.State)
	require.NoError(t, f.edit(cell(f.strands(f.takes()[0])[0].ID, "trim_db", -6.0)))
	second := made(ordered[1])
	assert.Equal(t, first.Proof.Files[0].Channels, second.Proof.Files[0].Channels, "the trim came after the order")
	anew, err := f.OrderDelivery(f.ctx, r.ID, app.DeliveryOrder{Spec: specs[0].ID, Packing: "poly", Accept: []string{"no_stem", "output_silent", "stem_not_out"}})
	require.NoError(t, err)
	assert.NotEqual(t, first.Proof.Files[0].Channels, made(anew).Proof.Files[0].Channels)

	_, err = f.Store.Pool.Exec(f.ctx, `UPDATE files SET hash = 'other' WHERE id = $1`, file.ID)
	require.NoError(t, err)
	third := made(ordered[2])
	assert.Equal(t, order.Failed, third.State)
	assert.Contains(t, third.ErrorMessage, "a.wav is not the file that was ordered")
}

func edited(e app.Edited, err error) (store.Reel, error) { return e.Reel, err }

// step takes a step with an order.
func (f *fixture) step(id uuid.UUID, by order.Move) error {
	_, err := f.TakeStep(f.ctx, id, by)
	return err
}

// stepped gives a delivery as it is after a step.
func (f *fixture) stepped(id uuid.UUID, by order.Move) (store.Delivery, error) {
	if err := f.step(id, by); err != nil {
		return store.Delivery{}, err
	}
	return f.Store.Delivery(f.ctx, id)
}
