package app_test

import (
	"os/exec"
	"path/filepath"
	"testing"

	"github.com/google/uuid"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/reel"
	"zestyloom/internal/app"
	"zestyloom/internal/store"
)

// folder is one to make sound in, and what runs a program there.
func folder(t *testing.T) (dir string, run func(name string, args ...string)) {
	dir = t.TempDir()
	return dir, func(name string, args ...string) {
		t.Helper()
		c := exec.Command(name, args...)
		c.Dir = dir
		out, err := c.CombinedOutput()
		require.NoError(t, err, "%s", out)
	}
}

// A camera whose clock is off by more than two hours is found among the takes of the day, and moves to
// where it belongs when that is accepted; what it does not hear is not lined up with it.
func TestACameraIsLinedUp(t *testing.T) {
	f := setup(t)
	dir, run := folder(t)
	run("sox", "-D", "-R", "-n", "-r", "48000", "-b", "24", "scene.wav", "synth", "20", "whitenoise", "tremolo", "2.7", "90", "lowpass", "4000", "gain", "-12")
	run("sox", "-D", "-R", "-n", "-r", "48000", "-b", "24", "else.wav", "synth", "20", "brownnoise", "tremolo", "1.3", "90", "gain", "-6")
	take := func(name, start, scene string, args ...string) {
		run("ffmpeg", append([]string{"-v", "error", "-y"}, append(args, "-c:a", "pcm_s24le", "-write_bext", "1", "-metadata", "time_reference="+start, "-metadata", "description=sSCENE="+scene+"\nsTAKE=1", name)...)...)
		f.takeFile(filepath.Join(dir, name), name)
	}
	take("A.wav", "1728000000", "21", "-i", "scene.wav") // 10:00:00:00
	take("B.wav", "1776000000", "22", "-i", "else.wav")
	// The camera rolled 4 s into it; its clock says 12:11 and something.
	run("ffmpeg", "-v", "error", "-y", "-f", "lavfi", "-i", "testsrc=size=160x90:rate=25:duration=10", "-ss", "4", "-t", "10", "-i", "scene.wav", "-map", "0:v", "-map", "1:a", "-c:v", "mjpeg", "-c:a", "pcm_s16le", "-timecode", "12:11:00:00", "cam.mov")
	f.takeFile(filepath.Join(dir, "cam.mov"), "cam.mov")
	camera := func() store.Take {
		for _, tk := range f.takes() {
			if tk.Name == "cam" {
				return tk
			}
		}
		t.Fatal("no camera")
		return store.Take{}
	}
	before := camera()
	require.NotNil(t, before.StartSamples)
	assert.EqualValues(t, 12*hour+11*60*48000, *before.StartSamples)

	added, err := f.ProposeSyncs(f.ctx, f.p.ID)
	require.NoError(t, err)
	require.Equal(t, 2, added, "against both takes of the day, since its timecode meets neither")
	again, err := f.ProposeSyncs(f.ctx, f.p.ID)
	require.NoError(t, err)
	assert.Zero(t, again)
	pairs := func() map[string]store.Sync {
		rows, err := f.Store.Syncs(f.ctx, f.p.ID)
		require.NoError(t, err)
		out := map[string]store.Sync{}
		for _, r := range rows {
			ref, err := f.Store.Take(f.ctx, r.RefTake)
			require.NoError(t, err)
			out[ref.Name] = r
		}
		return out
	}
	assert.Equal(t, "not_aligned", f.decideCode(pairs()["21-1"].ID))
	for _, r := range pairs() {
		require.NoError(t, f.Align(f.ctx, r.ID))
	}
	got := pairs()
	assert.Equal(t, "aligned", got["21-1"].State, got["21-1"].Body.Reason)
	assert.InDelta(t, 4*48000, got["21-1"].Body.Offset, 1)
	assert.Equal(t, "none", got["22-1"].State)
	assert.Equal(t, "not_aligned", f.decideCode(got["22-1"].ID))

	f.decide(got["21-1"].ID, true)
	after := camera()
	assert.InDelta(t, 10*hour+4*48000, *after.StartSamples, 1)
	assert.Equal(t, before.StartSamples, after.StartWas, "what its file says is kept")
	assert.Equal(t, "accepted", pairs()["21-1"].State)
	require.NoError(t, f.edit(cell(after.ID, "note", "lined up")))
	assert.Equal(t, after.StartSamples, camera().StartSamples, "other edits leave it there")
	f.undo()
	f.undo()
	assert.Equal(t, before.StartSamples, camera().StartSamples)
	assert.Equal(t, "aligned", pairs()["21-1"].State)
	_, err = f.Redo(f.ctx, f.p.ID, "")
	require.NoError(t, err)
	assert.Equal(t, after.StartSamples, camera().StartSamples)
	assert.Equal(t, "ended", code(f.AlignAgain(f.ctx, got["21-1"].ID)))
	f.decide(got["22-1"].ID, false)
	assert.Equal(t, "refused", pairs()["22-1"].State)
}

// decide accepts or refuses a pair by what it hears.
func (f *fixture) decide(pair uuid.UUID, accept bool) (along int) {
	f.t.Helper()
	along, err := f.DecideSync(f.ctx, pair, app.Decision{Accept: accept})
	require.NoError(f.t, err)
	return along
}

// decideCode is why a pair can't be accepted.
func (f *fixture) decideCode(pair uuid.UUID) string {
	_, err := f.DecideSync(f.ctx, pair, app.Decision{Accept: true})
	return code(err)
}

// A camera that has no timecode is laid at the end, unplaced; lined up, it moves from there to where it belongs, with
// what was cut out of it, and back.
func TestACameraWithoutTimecodeComesFromTheEnd(t *testing.T) {
	f := setup(t)
	dir, run := folder(t)
	run("sox", "-D", "-R", "-n", "-r", "48000", "-b", "24", "scene.wav", "synth", "20", "whitenoise", "tremolo", "2.7", "90", "lowpass", "4000", "gain", "-12")
	run("ffmpeg", "-v", "error", "-i", "scene.wav", "-c:a", "pcm_s24le", "-write_bext", "1", "-metadata", "time_reference=1728000000", "-metadata", "description=sSCENE=21\nsTAKE=1", "-ac", "2", "A.wav")
	run("ffmpeg", "-v", "error", "-f", "lavfi", "-i", "testsrc=size=160x90:rate=25:duration=10", "-ss", "4", "-t", "10", "-i", "scene.wav", "-map", "0:v", "-map", "1:a", "-c:v", "mjpeg", "-c:a", "pcm_s16le", "cam.mov")
	f.takeFile(filepath.Join(dir, "A.wav"), "A.wav")
	f.takeFile(filepath.Join(dir, "cam.mov"), "cam.mov")
	var camera store.Take
	var ids []uuid.UUID
	for _, tk := range f.takes() {
		ids = append(ids, tk.ID)
		if tk.Name == "cam" {
			camera = tk
		}
	}
	require.Nil(t, camera.StartSamples)
	r, err := f.Store.ReelOf(f.ctx, f.p.ID)
	require.NoError(t, err)
	r, err = edited(f.LayTakes(f.ctx, r.ID, ids, false))
	require.NoError(t, err)
	clip := func() reel.Clip {
		now, err := f.Store.Reel(f.ctx, r.ID)
		require.NoError(t, err)
		for _, tr := range now.Doc.Tracks {
			for _, c := range tr.Clips {
				if c.Name == "cam" {
					return c
				}
			}
		}
		t.Fatal("the camera is not laid")
		return reel.Clip{}
	}
	end := int64(10*hour + 20*48000)
	if got := clip(); assert.True(t, got.Unplaced) {
		assert.Equal(t, end, got.At)
	}
	for _, tk := range f.takes() {
		if tk.ID != camera.ID { // a plant that goes to the effects is one of the take all the same
			require.NoError(t, f.edit(cell(f.strands(tk)[1].ID, "stem", "FX")))
		}
	}
	_, err = f.ProposeSyncs(f.ctx, f.p.ID)
	require.NoError(t, err)
	rows, err := f.Store.Syncs(f.ctx, f.p.ID)
	require.NoError(t, err)
	require.Len(t, rows, 1)
	require.NoError(t, f.Align(f.ctx, rows[0].ID))
	f.decide(rows[0].ID, true)
	if got := clip(); assert.False(t, got.Unplaced, "it is known now where it belongs") {
		assert.InDelta(t, 10*hour+4*48000, got.At, 1)
	}
	f.undo()
	if got := clip(); assert.True(t, got.Unplaced) {
		assert.Equal(t, end, got.At)
	}
}
