package jobs_test

import (
	"context"
	"io"
	"log/slog"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/google/uuid"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/edit"
	"zestyloom/core/order"
	"zestyloom/core/reel"
	"zestyloom/core/weave"
	"zestyloom/internal/app"
	"zestyloom/internal/jobs"
	"zestyloom/internal/media"
	"zestyloom/internal/pgtest"
	"zestyloom/internal/store"
	"zestyloom/internal/testmedia"
)

func TestMain(m *testing.M) { pgtest.Main(m) }

// worker starts the program as a worker in a process of its own.
func worker(t *testing.T, bin, url, home string) *exec.Cmd {
	t.Helper()
	cmd := exec.Command(bin, "worker", "--database", url, "--home", home)
	cmd.Stderr = os.Stderr
	require.NoError(t, cmd.Start())
	t.Cleanup(func() {
		_ = cmd.Process.Kill()
		_ = cmd.Wait()
	})
	return cmd
}

// working counts the processes that were told of a folder.
func working(t *testing.T, folder string) (n int) {
	t.Helper()
	all, err := filepath.Glob("/proc/[0-9]*/cmdline")
	require.NoError(t, err)
	for _, path := range all {
		if b, err := os.ReadFile(path); err == nil && strings.Contains(string(b), folder) {
			n++
		}
	}
	return n
}

func until(t *testing.T, what string, ok func() bool) {
	t.Helper()
	deadline := time.Now().Add(2 * time.Minute)
	for !ok() {
		if time.Now().After(deadline) {
			t.Fatalf("%s did not come about", what)
		}
		time.Sleep(5 * time.Millisecond)
	}
}

// accepted is what stands in the way of deliveries here, and is to be so: most of the eight channels go nowhere, and a clip lies far on.
var accepted = []string{"no_stem", "output_silent", "stem_not_out", "implausible_length"}

// A worker that is killed in the midst of a file's analysis or of a render loses nothing: nothing
// stands under a final name, and the next worker takes the job up at once and finishes it.
func TestAKilledWorkerLosesNothing(t *testing.T) {
	ctx := context.Background()
	bin := filepath.Join(t.TempDir(), "zestyloom")
	out, err := exec.Command("go", "build", "-o", bin, "zestyloom/cmd/zestyloom").CombinedOutput()
	require.NoError(t, err, "%s", out)
	url, home := pgtest.URL(t), t.TempDir()
	st, err := store.Open(ctx, url)
	require.NoError(t, err)
	defer st.Close()
	require.NoError(t, st.Migrate(ctx))
	folder, err := media.Open(filepath.Join(home, "media"))
	require.NoError(t, err)
	queue, err := jobs.NewQueue(st, slog.New(slog.NewTextHandler(io.Discard, nil)))
	require.NoError(t, err)
	a := &app.App{Store: st, Media: folder, Queue: queue, Now: time.Now}
	require.NoError(t, a.EnsureSpecs(ctx))
	p, err := a.CreateProduction(ctx, app.NewProduction{Name: "Killed", SampleRate: 48000, Rate: "25", Start: "00:00:00:00"})
	require.NoError(t, err)

	// A file's analysis: the worker is killed as soon as it has taken the job.
	upload := filepath.Join(home, "upload")
	b, err := os.ReadFile(testmedia.Path(t, "poly8_s24.wav"))
	require.NoError(t, err)
	require.NoError(t, os.WriteFile(upload, b, 0o600))
	f, err := a.TakeUpload(ctx, p.ID, "poly.wav", upload, int64(len(b)))
	require.NoError(t, err)
	state := func() string {
		row, err := st.File(ctx, f.ID)
		require.NoError(t, err)
		return row.State
	}
	first := worker(t, bin, url, home)
	until(t, "an analysis", func() bool { return state() != "waiting" })
	require.NoError(t, first.Process.Kill())
	_ = first.Wait()
	second := worker(t, bin, url, home)
	until(t, "the file's analysis by another worker", func() bool { return state() == "ready" })
	ts, err := st.TakesAfter(ctx, p.ID, uuid.UUID{}, 10)
	require.NoError(t, err)
	require.Len(t, ts, 1, "one take, however often it was analysed")

	// A film with ten seconds of picture: the worker is killed while its sound and proxy are made.
	movie := filepath.Join(home, "movie.mov")
	out, err = exec.Command("ffmpeg", "-v", "error", "-f", "lavfi", "-i", "testsrc=size=1280x720:rate=25:duration=10", "-f", "lavfi", "-i", "sine=440:duration=10:sample_rate=48000",
		"-c:v", "mjpeg", "-c:a", "pcm_s24le", movie).CombinedOutput()
	require.NoError(t, err, "%s", out)
	info, err := os.Stat(movie)
	require.NoError(t, err)
	f, err = a.TakeUpload(ctx, p.ID, "movie.mov", movie, info.Size())
	require.NoError(t, err)
	beside := filepath.Dir(folder.Path(f.Path))
	until(t, "a decoding under way", func() bool {
		tmp, err := filepath.Glob(filepath.Join(beside, ".decoding-*", "*"))
		require.NoError(t, err)
		return len(tmp) > 0
	})
	require.NotZero(t, working(t, beside), "ffmpeg is at work on it")
	require.NoError(t, second.Process.Kill())
	_ = second.Wait()
	until(t, "the end of what the worker had started", func() bool { return working(t, beside) == 0 })
	require.Equal(t, "analysing", state())
	second = worker(t, bin, url, home)
	until(t, "the film's analysis by another worker", func() bool { return state() == "ready" })
	names, err := filepath.Glob(filepath.Join(beside, ".*"))
	require.NoError(t, err)
	assert.ElementsMatch(t, []string{filepath.Join(beside, ".working.wav"), filepath.Join(beside, ".proxy.mp4"), filepath.Join(beside, ".strip.jpg")}, names, "nothing half made is left")
	require.NoError(t, a.RemoveFile(ctx, f.ID))

	// A render of two minutes of six channels, killed in its midst.
	r, err := st.ReelOf(ctx, p.ID)
	require.NoError(t, err)
	asking, err := st.Asking(ctx, []uuid.UUID{ts[0].ID})
	require.NoError(t, err)
	require.Len(t, asking, 1, "whether eight channels with a mask are a 7.1")
	_, err = a.DecideSuggestions(ctx, p.ID, []uuid.UUID{asking[0].ID}, false, false)
	require.NoError(t, err)
	e, err := a.LayTakes(ctx, r.ID, []uuid.UUID{ts[0].ID}, false)
	require.NoError(t, err)
	strands, err := st.Strands(ctx, []uuid.UUID{ts[0].ID})
	require.NoError(t, err)
	route := weave.Route{Stem: "DX", Position: weave.Both}
	_, err = a.EditReel(ctx, r.ID, e.Version, "a clip far on, so that the render is long", []edit.Action{
		{SetSends: &reel.SetSends{From: e.Doc.Tracks[0].ID, Sends: route.Sends()}},
		{Paste: &edit.Paste{Clips: []reel.Laid{{Track: e.Doc.Tracks[0].ID, Clip: reel.Clip{ID: "far", Strands: []string{strands[0].ID.String()}, Name: "far", At: 2 * 60 * 48000, Length: 48000}}}}},
	})
	require.NoError(t, err)
	specs, err := st.Specs(ctx)
	require.NoError(t, err)
	d, err := a.OrderDelivery(ctx, r.ID, app.DeliveryOrder{Spec: specs[0].ID, Packing: "poly", Pattern: "{production}", Accept: accepted})
	require.NoError(t, err)
	dir := folder.Order(order.Delivery, d.ID)
	final := filepath.Join(dir, "*", "Killed.wav")
	until(t, "a render under way", func() bool {
		parts, err := filepath.Glob(filepath.Join(dir, "*", ".*.part"))
		require.NoError(t, err)
		if len(parts) == 0 {
			return false
		}
		info, err := os.Stat(parts[0])
		return err == nil && info.Size() > 4<<20
	})
	require.NoError(t, second.Process.Kill())
	_ = second.Wait()
	whole, err := filepath.Glob(final)
	require.NoError(t, err)
	assert.Empty(t, whole, "nothing stands under its final name until it is whole")
	row, err := st.Delivery(ctx, d.ID)
	require.NoError(t, err)
	require.Equal(t, order.Making, row.State)

	worker(t, bin, url, home)
	until(t, "a proven delivery by another worker", func() bool {
		row, err = st.Delivery(ctx, d.ID)
		require.NoError(t, err)
		require.NotEqual(t, order.Failed, row.State, row.ErrorMessage)
		return row.State == order.Proven
	})
	assert.True(t, row.Proof.Passed)
	left := func() []string {
		all, err := filepath.Glob(filepath.Join(dir, "*", "*"))
		require.NoError(t, err)
		parts, err := filepath.Glob(filepath.Join(dir, "*", ".*"))
		require.NoError(t, err)
		return append(all, parts...)
	}
	until(t, "an end of what the killed worker left", func() bool { return len(left()) == 1 })
	assert.Equal(t, filepath.Join(folder.Attempted(dir, row.Attempt), "Killed.wav"), left()[0])

	// The database ends the worker's session, and with it the lock that says that it lives, in the midst of a
	// render: the job is done once more, by the same worker under another name, and nothing is mixed up.
	r, err = st.Reel(ctx, r.ID)
	require.NoError(t, err)
	_, err = a.EditReel(ctx, r.ID, r.Version, "longer still: it must not be done before its worker has lost its session", []edit.Action{
		{Paste: &edit.Paste{Clips: []reel.Laid{{Track: e.Doc.Tracks[0].ID, Clip: reel.Clip{ID: "farther", Strands: []string{strands[0].ID.String()}, Name: "farther", At: 6 * 60 * 48000, Length: 48000}}}}},
	})
	require.NoError(t, err)
	d, err = a.OrderDelivery(ctx, r.ID, app.DeliveryOrder{Spec: specs[0].ID, Packing: "poly", Pattern: "{production}", Accept: accepted})
	require.NoError(t, err)
	dir = folder.Order(order.Delivery, d.ID)
	attempt := func() uuid.UUID {
		row, err = st.Delivery(ctx, d.ID)
		require.NoError(t, err)
		if row.Attempt == nil {
			return uuid.Nil
		}
		return *row.Attempt
	}
	until(t, "a render", func() bool { return attempt() != uuid.Nil })
	before := attempt()
	_, err = st.Pool.Exec(ctx, `SELECT pg_terminate_backend(pid) FROM pg_locks WHERE locktype = 'advisory' AND granted AND objsubid = 2 AND database = (SELECT oid FROM pg_database WHERE datname = current_database())`)
	require.NoError(t, err)
	until(t, "a proven delivery after the session was lost", func() bool { return attempt() != uuid.Nil && row.State == order.Proven })
	assert.NotEqual(t, before, *row.Attempt, "another attempt")
	until(t, "an end of the first attempt's files", func() bool { return len(left()) == 1 })
	path, err := a.DeliveredFile(ctx, d.ID, 0)
	require.NoError(t, err)
	info, err = os.Stat(path.Path)
	require.NoError(t, err)
	assert.Zero(t, info.Mode().Perm()&0o222, "what is proven is read-only")

	// A job that was put off by a clock that stood otherwise is due all the same.
	_, err = st.Pool.Exec(ctx, `UPDATE river_job SET state = CASE WHEN kind = 'deliver' THEN 'scheduled' ELSE 'available' END::river_job_state, scheduled_at = now() + interval '3 hours', finalized_at = NULL WHERE id IN (SELECT max(id) FROM river_job WHERE kind IN ('deliver', 'analyse') GROUP BY kind)`)
	require.NoError(t, err)
	until(t, "the end of a job that was put off", func() bool {
		var waiting int
		require.NoError(t, st.Pool.QueryRow(ctx, `SELECT count(*) FROM river_job WHERE state IN ('scheduled', 'available') AND kind IN ('deliver', 'analyse')`).Scan(&waiting))
		return waiting == 0
	})

	// A delivery that is cancelled in its midst leaves nothing, and can be made again.
	d, err = a.OrderDelivery(ctx, r.ID, app.DeliveryOrder{Spec: specs[0].ID, Packing: "mono", Accept: accepted})
	require.NoError(t, err)
	until(t, "a second render", func() bool {
		row, err = st.Delivery(ctx, d.ID)
		require.NoError(t, err)
		return row.State == order.Making
	})
	_, err = a.TakeStep(ctx, d.ID, order.Cancel)
	require.NoError(t, err)
	until(t, "its files' removal", func() bool {
		_, err := os.Stat(folder.Order(order.Delivery, d.ID))
		return os.IsNotExist(err)
	})
	row, err = st.Delivery(ctx, d.ID)
	require.NoError(t, err)
	assert.Equal(t, order.Cancelled, row.State)
	_, err = a.TakeStep(ctx, d.ID, order.Cancel)
	require.Error(t, err, "it has ended")
	_, err = a.TakeStep(ctx, d.ID, order.Retry)
	require.NoError(t, err)
	until(t, "the delivery made again", func() bool {
		row, err = st.Delivery(ctx, d.ID)
		require.NoError(t, err)
		return row.State == order.Proven
	})
	assert.Len(t, row.Proof.Files, 6)

	// What waits changes places, goes first, and is held; what is being made is held, leaves nothing, and begins anew.
	asked := func(span int64) store.Delivery {
		o := app.DeliveryOrder{Spec: specs[0].ID, Packing: "poly", Accept: accepted}
		if span > 0 {
			from, _ := r.Doc.Span()
			to := from + span
			o.From, o.To = &from, &to
		}
		d, err := a.OrderDelivery(ctx, r.ID, o)
		require.NoError(t, err)
		return d
	}
	long := asked(0)
	until(t, "a third render", func() bool {
		row, err = st.Delivery(ctx, long.ID)
		require.NoError(t, err)
		return row.State == order.Making
	})
	step := func(id uuid.UUID, by order.Move) error {
		_, err := a.TakeStep(ctx, id, by)
		return err
	}
	one, two, three, four := asked(4800), asked(4800), asked(4800), asked(4800)
	listed := func() (ids []uuid.UUID) {
		list, err := st.Unfinished(ctx, r.ProductionID)
		require.NoError(t, err)
		for _, m := range list {
			assert.Equal(t, specs[0].Name, m.Name)
			assert.Equal(t, order.Delivery, m.Kind)
			ids = append(ids, m.ID)
		}
		return ids
	}
	assert.Equal(t, []uuid.UUID{long.ID, one.ID, two.ID, three.ID, four.ID}, listed())
	require.NoError(t, a.ReorderQueue(ctx, r.ProductionID, []uuid.UUID{three.ID, long.ID, uuid.New(), one.ID}), "what is being made or unknown is left out")
	assert.Equal(t, []uuid.UUID{long.ID, three.ID, two.ID, one.ID, four.ID}, listed(), "what is not named stays where it is")
	require.NoError(t, step(four.ID, order.Next))
	assert.Equal(t, []uuid.UUID{long.ID, four.ID, three.ID, two.ID, one.ID}, listed())
	require.NoError(t, step(two.ID, order.Hold))
	require.NoError(t, step(long.ID, order.Hold))
	until(t, "the end of what is not held", func() bool { return len(listed()) == 2 })
	assert.ElementsMatch(t, []uuid.UUID{long.ID, two.ID}, listed())
	var began []time.Time
	for _, d := range []store.Delivery{four, three, one} {
		row, err = st.Delivery(ctx, d.ID)
		require.NoError(t, err)
		assert.Equal(t, order.Proven, row.State, row.ErrorMessage)
		began = append(began, *row.BeganAt)
	}
	assert.True(t, began[0].Before(began[1]) && began[1].Before(began[2]), "made in the order that was asked for: %v", began)
	assert.NoDirExists(t, folder.Order(order.Delivery, long.ID), "nothing is left of what was held in its midst")
	require.NoError(t, step(two.ID, order.Next))
	until(t, "what was held and goes next", func() bool {
		row, err = st.Delivery(ctx, two.ID)
		require.NoError(t, err)
		return row.State == order.Proven
	})
	require.NoError(t, step(long.ID, order.Cancel))
	assert.Empty(t, listed())
}
