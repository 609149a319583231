package cli_test

import (
	"math"
	"math/rand/v2"
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/audio"
	"zestyloom/core/source"
	"zestyloom/core/treat"
	"zestyloom/internal/cli"
	"zestyloom/internal/testmedia"
)

// samples reads a file whole.
func samples(t *testing.T, path string) (out audio.Block, src *source.Source) {
	src, err := source.Open(path)
	require.NoError(t, err)
	defer src.Close()
	s, err := source.Together(src)
	require.NoError(t, err)
	out = make(audio.Block, s.Channels)
	require.NoError(t, s.Run(t.Context(), 0, s.Frames, func(b audio.Block, _ int64) error {
		for c := range b {
			out[c] = append(out[c], b[c]...)
		}
		return nil
	}))
	return out, src
}

func noise(rng *rand.Rand, frames int) []float64 {
	x := make([]float64, frames)
	for i := range x {
		x[i] = float64(rng.IntN(1<<23)-1<<22) / (1 << 23)
	}
	return x
}

// Six mono files in film order leave in broadcast order, bit for bit, with their names and the mask of the layout.
func TestRouteOrder(t *testing.T) {
	rng := rand.New(rand.NewPCG(13, 1))
	dir := t.TempDir()
	film := []string{"L", "C", "R", "Ls", "Rs", "LFE"}
	var files []string
	sound := map[string][]float64{}
	for _, s := range film {
		path := filepath.Join(dir, "mix_"+s+".wav")
		sound[s] = noise(rng, 70000)
		testmedia.Write(t, path, audio.S24, 48000, sound[s])
		files = append(files, path)
	}
	out := filepath.Join(dir, "out.wav")
	said, err := output(t, append([]string{"route", "--order", "film:broadcast", "--out", out, "--json"}, files...)...)
	require.NoError(t, err)
	v := lines(t, said)[0]
	assert.Equal(t, []any{"5.1", true}, []any{v["layout"], v["exact"]})
	assert.Equal(t, files[5], v["channels"].([]any)[3].(map[string]any)["from"].([]any)[0].(map[string]any)["path"], "the LFE is the fourth")
	got, src := samples(t, out)
	assert.Equal(t, uint32(0x3F), src.Format.Mask)
	for c, s := range []string{"L", "R", "C", "LFE", "Ls", "Rs"} {
		assert.Equal(t, sound[s], got[c], s)
	}
	back := filepath.Join(dir, "back.wav")
	_, err = output(t, "route", out, "--order", "broadcast:L C R Ls Rs LFE", "--out", back)
	require.NoError(t, err)
	got, _ = samples(t, back)
	for c, s := range film {
		assert.Equal(t, sound[s], got[c], s)
	}
}

// A matrix: silence, sums, levels; unity and polarity exact. A pan law and a fold-down by their formulas.
func TestRouteSums(t *testing.T) {
	rng := rand.New(rand.NewPCG(13, 2))
	dir := t.TempDir()
	x, y := noise(rng, 50000), noise(rng, 50000)
	in, out, m := filepath.Join(dir, "in.wav"), filepath.Join(dir, "out.wav"), filepath.Join(dir, "m.csv")
	testmedia.Write(t, in, audio.S24, 48000, x, y)
	require.NoError(t, os.WriteFile(m, []byte("\tA\tB\nsum\t1\t1\nover\t-1\t\nnothing\t\t\nquiet\t0 dB\t-6 dB\n"), 0o644))
	said, err := output(t, "route", in, "--matrix", m, "--out", out, "--json")
	require.NoError(t, err)
	assert.Equal(t, false, lines(t, said)[0]["exact"])
	got, _ := samples(t, out)
	require.Len(t, got, 4)
	for i := range x {
		require.Equal(t, x[i]+y[i], got[0][i])
		require.Equal(t, -x[i], got[1][i])
		require.Zero(t, got[2][i])
		require.InDelta(t, x[i]+y[i]*audio.Gain(-6), got[3][i], 0.5001/(1<<23))
	}
	mono := filepath.Join(dir, "mono.wav")
	testmedia.Write(t, mono, audio.S24, 48000, x)
	for law, factor := range map[string]float64{"0": 1, "-3": 0.70710678, "-4.5": 0.59460356, "-6": 0.5} {
		_, err = output(t, "route", mono, "--pan-law", law, "--out", out, "--force")
		require.NoError(t, err)
		got, _ = samples(t, out)
		for i := range x {
			require.InDelta(t, x[i]*factor, got[1][i], 0.6/(1<<23), law)
		}
		assert.Equal(t, got[0], got[1])
	}
	_, err = output(t, "route", "--layout", "mono", mono, "--out", out, "--force", "--fold", "stereo")
	assert.ErrorAs(t, err, new(cli.Reported), "no rule makes two of one")
	five := filepath.Join(dir, "five.wav")
	testmedia.Write(t, five, audio.S24, 48000, x, x, y, y, y, x)
	_, err = output(t, "route", five, "--fold", "stereo", "--out", out, "--force")
	assert.ErrorAs(t, err, new(cli.Reported), "nothing says which speakers they are for")
	_, err = output(t, "route", five, "--layout", "5.1", "--fold", "stereo", "--out", out, "--force")
	require.NoError(t, err)
	got, _ = samples(t, out)
	h := 0.7071067811865476
	for i := range x {
		require.InDelta(t, max(-1, min(1, x[i]+h*y[i]+h*y[i])), got[0][i], 1.1/(1<<23))
	}
	// A stereo total: five files of 90,000 samples read in other blocks than the filters are, and all in float, where nothing is held.
	testmedia.Write(t, five, audio.F64, 48000, noise(rng, 90000), noise(rng, 90000), noise(rng, 90000), noise(rng, 90000), noise(rng, 90000), noise(rng, 90000))
	said, err = output(t, "route", five, "--layout", "5.1", "--fold", "stereo total", "--out", out, "--force")
	require.NoError(t, err)
	assert.Contains(t, said, "5.1 folded down to stereo total: matrixed, Ls Rs 90° ahead, at -1.8 and -4.8 dB, LFE left out")
	from, _ := samples(t, five)
	got, _ = samples(t, out)
	q := treat.NewQuadrature([]bool{false, false, false, false, true, true}, func(int) bool { return true }, 48000)
	turned := q.Room(90000)
	q.Turn(turned, from, 0, 90000)
	for i := range turned[0] {
		require.InDelta(t, turned[0][i]+h*turned[2][i]+math.Sqrt(2.0/3)*turned[4][i]+math.Sqrt(1.0/3)*turned[5][i], got[0][i], 1e-14)
	}
	for _, bad := range [][]string{{}, {"--out", out, "--order", "film"}, {"--out", out, "--order", "film:mask"}, {"--out", out, "--pan-law", "-2"}, {"--out", out, "--fold", "5.1", "--matrix", m}, {"--out", out, "--coding", "x"}} {
		_, err = output(t, append([]string{"route", mono, "--force"}, bad...)...)
		assert.Equal(t, 2, cli.Status(err), bad)
	}
	_, err = output(t, "route", in, "--out", in, "--force")
	assert.ErrorAs(t, err, new(cli.Reported), "it is the original")
}

func TestTone(t *testing.T) {
	dir := filepath.Join(t.TempDir(), "tones")
	said, err := output(t, "tone", "--layout", "7.1.4", "--out", dir, "--seconds", "2", "--level", "-20", "--json")
	require.NoError(t, err)
	got := lines(t, said)
	require.Len(t, got, 2)
	b, src := samples(t, got[0]["path"].(string))
	assert.Equal(t, 12, src.Format.Channels)
	assert.Equal(t, "Rtr", src.Gather("x").Tracks[11].Label)
	for _, x := range b {
		assert.Len(t, x, 96000)
		assert.Equal(t, b[0], x)
	}
	measured, err := output(t, "measure", "--json", got[0]["path"].(string))
	require.NoError(t, err)
	assert.InDelta(t, -20, lines(t, measured)[0]["true_peak_dbtp"], 0.01)
	b, _ = samples(t, got[1]["path"].(string))
	assert.Len(t, b[0], 12*6*48000)
	assert.NotZero(t, b[11][11*6*48000+1000])
	assert.Zero(t, b[10][11*6*48000+1000])
	_, err = output(t, "tone", "--layout", "9.9", "--out", dir)
	assert.Equal(t, 2, cli.Status(err))
	_, err = output(t, "tone", "--layout", "7.1.4", "--out", dir)
	assert.ErrorAs(t, err, new(cli.Reported), "they are there")
}
