package app_test

import (
	"os/exec"
	"path/filepath"
	"testing"

	"github.com/google/uuid"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// What the channels of one recording have to do with each other is found between the files of a set
// as well: here a mix of two others, and one that is inverted.
func TestMembersOfASetAreCompared(t *testing.T) {
	f := setup(t)
	dir := t.TempDir()
	sox := func(args ...string) {
		c := exec.Command("sox", append([]string{"-D"}, args...)...)
		c.Dir = dir
		out, err := c.CombinedOutput()
		require.NoError(t, err, "%s", out)
	}
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
