package app_test

import (
	"os/exec"
	"path/filepath"
	"testing"

	"github.com/google/uuid"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/take"
	"zestyloom/internal/app"
)

// soxIn runs sox in a folder, without dither.
func soxIn(t *testing.T, dir string) func(args ...string) {
	return func(args ...string) {
		c := exec.Command("sox", append([]string{"-D"}, args...)...)
		c.Dir = dir
		out, err := c.CombinedOutput()
		require.NoError(t, err, "%s", out)
	}
}

// What the channels of one recording have to do with each other is found between the files of a set
// as well: here a mix of two others, and one that is inverted.
func TestMembersOfASetAreCompared(t *testing.T) {
	f := setup(t)
	dir := t.TempDir()
	sox := soxIn(t, dir)
	sox("-n", "-r", "48000", "-b", "24", "w_1.wav", "synth", "6", "whitenoise", "vol", "0.2")
	sox("-n", "-r", "48000", "-b", "24", "w_2.wav", "synth", "6", "brownnoise", "vol", "0.3")
	sox("-m", "-v", "1", "w_1.wav", "-v", "1", "w_2.wav", "-b", "24", "w_3.wav")
	sox("w_1.wav", "-b", "24", "w_4.wav", "vol", "-1")
	for _, name := range []string{"w_2.wav", "w_4.wav", "w_1.wav", "w_3.wav"} {
		f.takeFile(filepath.Join(dir, name), name)
	}
	require.Len(t, f.takes(), 1)
	tk := f.takes()[0]
	says := func() (out []string) {
		ss, err := f.Store.Suggestions(f.ctx, []uuid.UUID{tk.ID})
		require.NoError(t, err)
		for _, s := range ss {
			out = append(out, s.Body.Kind)
		}
		return out
	}
	assert.NotContains(t, says(), "same")
	require.NoError(t, f.Relate(f.ctx, tk.ID))
	assert.Contains(t, says(), "same")
	assert.Contains(t, says(), "mix")
	jobs := f.queue.jobs
	require.NoError(t, f.Relate(f.ctx, tk.ID), "once is enough")
	require.NoError(t, f.edit(cell(tk.ID, "note", "x")))
	assert.Contains(t, says(), "mix", "they stay when the take is edited")
	assert.Equal(t, jobs, f.queue.jobs)

	// Without one of its members it is another set.
	st := f.strands(f.takes()[0])
	require.NoError(t, f.RemoveFile(f.ctx, st[1].FileID))
	assert.NotContains(t, says(), "mix")
	assert.Equal(t, jobs+1, f.queue.jobs, "and is compared anew")
	require.NoError(t, f.Relate(f.ctx, f.takes()[0].ID))
	assert.Contains(t, says(), "same")
	require.NoError(t, f.Relate(f.ctx, uuid.New()), "a take that is gone")
}

// A rough mix that is a file of its own is compared with what was recorded beside it, and laid on a track that is off.
func TestARoughMixOfItsOwnIsLeftOff(t *testing.T) {
	f := setup(t)
	dir := t.TempDir()
	sox := soxIn(t, dir)
	sox("-n", "-r", "48000", "-b", "24", "-c", "1", "a.wav", "synth", "6", "whitenoise", "vol", "0.2")
	sox("-n", "-r", "48000", "-b", "24", "-c", "1", "b.wav", "synth", "6", "brownnoise", "vol", "0.3")
	sox("-M", "a.wav", "b.wav", "Harbour poly.wav")
	sox("-m", "-v", "0.5", "a.wav", "-v", "0.7", "b.wav", "-b", "24", "Harbour mix.wav")
	sox("-n", "-r", "48000", "-b", "24", "-c", "1", "Harbour other.wav", "synth", "6", "pinknoise", "vol", "0.2")
	for _, name := range []string{"Harbour mix.wav", "Harbour other.wav", "Harbour poly.wav"} {
		f.takeFile(filepath.Join(dir, name), name)
	}
	by := map[string]uuid.UUID{}
	for _, tk := range f.takes() {
		by[tk.Name] = tk.ID
	}
	require.Len(t, by, 3)
	require.NoError(t, f.Relate(f.ctx, by["Harbour poly"]))
	sums := func(name string) []take.Sum {
		tk, err := f.Store.Take(f.ctx, by[name])
		require.NoError(t, err)
		return tk.Sums
	}
	assert.Empty(t, sums("Harbour poly"))
	assert.Empty(t, sums("Harbour other"))
	require.Len(t, sums("Harbour mix"), 1)
	assert.Equal(t, []string{"Harbour poly"}, sums("Harbour mix")[0].Of)
	jobs := f.queue.jobs
	for _, id := range by {
		require.NoError(t, f.Relate(f.ctx, id), "once is enough")
	}
	assert.Equal(t, jobs, f.queue.jobs)

	at := map[string]int64{}
	off := func(name string) map[string]bool {
		r, err := f.CreateReel(f.ctx, f.p.ID, app.NewReel{Name: name})
		require.NoError(t, err)
		r, err = edited(f.LayTakes(f.ctx, r.ID, []uuid.UUID{by["Harbour poly"], by["Harbour mix"], by["Harbour other"]}, false))
		require.NoError(t, err)
		out := map[string]bool{}
		for _, tr := range r.Doc.Tracks {
			out[tr.Label] = tr.Off
			at[tr.Label] = tr.Clips[0].At
		}
		return out
	}
	one := off("One")
	assert.True(t, one["Harbour mix"])
	assert.False(t, one["Harbour other"])
	// What says nothing of its start begins where the production does, and the mix with what it is of.
	begins := f.p.StartSamples
	assert.Positive(t, begins)
	assert.Equal(t, begins, min(at["Harbour poly 1"], at["Harbour other"]))
	assert.Equal(t, at["Harbour poly 1"], at["Harbour mix"])

	// Who says that it is none has it on.
	ss, err := f.Store.Suggestions(f.ctx, []uuid.UUID{by["Harbour mix"]})
	require.NoError(t, err)
	require.Len(t, ss, 1)
	assert.Equal(t, "channel 1 is the mix of Harbour poly, and laid on a track that is off", ss[0].Body.Says)
	_, err = f.DecideSuggestions(f.ctx, f.p.ID, []uuid.UUID{ss[0].ID}, false, false)
	require.NoError(t, err)
	assert.Empty(t, sums("Harbour mix"))
	assert.False(t, off("Two")["Harbour mix"])
}
