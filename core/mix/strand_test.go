package mix_test

import (
	"math"
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/audio"
	"zestyloom/core/mix"
	"zestyloom/core/reel"
	"zestyloom/core/resample"
	"zestyloom/core/treat"
	"zestyloom/core/waveform"
	"zestyloom/internal/testmedia"
)

// floats writes a mono 64-bit float file, which holds any sample exactly.
func floats(t *testing.T, rate int, x []float64) string {
	t.Helper()
	path := filepath.Join(t.TempDir(), "x.wav")
	testmedia.Write(t, path, audio.F64, rate, x)
	return path
}

func wobble(n int) []float64 {
	x := make([]float64, n)
	for i := range x {
		x[i] = 0.4*math.Sin(float64(i)*0.02) + 0.3*math.Sin(float64(i)*0.7) + 0.1
	}
	return x
}

// heard reads a strand in pieces of a size.
func heard(t *testing.T, p mix.Source, rate int, piece int64) []float64 {
	t.Helper()
	s, err := mix.OpenStrand(p, rate)
	require.NoError(t, err)
	defer s.Close()
	out := make([]float64, s.Frames())
	for at := int64(0); at < s.Frames(); at += piece {
		require.NoError(t, s.Read(out[at:min(at+piece, s.Frames())], at))
	}
	return out
}

func TestTreatment(t *testing.T) {
	x := wobble(9000)
	path := floats(t, 48000, x)
	plain := mix.Source{Path: path}
	assert.Equal(t, x, heard(t, plain, 0, 1000), "untouched")
	with := func(tr treat.Treatment) []float64 { return heard(t, mix.Source{Path: path, Treat: tr}, 48000, 1000) }
	at := func(i int) float64 {
		if i < 0 || i >= len(x) {
			return 0
		}
		return x[i]
	}
	off, inverted, trimmed := with(treat.Treatment{Off: true}), with(treat.Treatment{Invert: true}), with(treat.Treatment{TrimDB: -6, Invert: true})
	late, early := with(treat.Treatment{Delay: 2500}), with(treat.Treatment{Delay: -2500})
	for i := range x {
		require.Zero(t, off[i])
		require.Equal(t, -x[i], inverted[i])
		require.InDelta(t, -x[i]*math.Pow(10, -0.3), trimmed[i], 1e-15)
		require.Equal(t, at(i-2500), late[i])
		require.Equal(t, at(i+2500), early[i])
	}
}

func TestHighPassIsTheSameWhereverOneBegins(t *testing.T) {
	x := wobble(30000)
	p := mix.Source{Path: floats(t, 48000, x), Treat: treat.Treatment{HighPass: 80, Delay: 100}}
	want := append(make([]float64, 100), x[:len(x)-100]...)
	treat.NewHighPass(80, 48000).Apply(want)
	assert.Equal(t, want, heard(t, p, 0, 30000)[:])
	s, err := mix.OpenStrand(p, 0)
	require.NoError(t, err)
	defer s.Close()
	buf := make([]float64, 100)
	for _, from := range []int64{0, 29900, 17, 15000, 15100} {
		require.NoError(t, s.Read(buf, from))
		for i, v := range buf {
			require.Equal(t, want[from+int64(i)], v, "at %d", from+int64(i))
		}
	}
}

func TestOtherRatesAreConverted(t *testing.T) {
	x := wobble(20000)
	p := mix.Source{Path: floats(t, 44100, x)}
	c, err := resample.New(44100, 48000)
	require.NoError(t, err)
	n := c.Frames(int64(len(x)))
	lo, hi := c.Needs(0, int(n))
	in := make([]float64, hi-lo)
	copy(in[-lo:], x)
	want := make([]float64, n)
	c.Convert(want, in, 0)
	assert.Equal(t, want, heard(t, p, 48000, n))
	assert.Equal(t, want, heard(t, p, 48000, 777))
	p.Treat.Delay = 480 // samples at the rate it is used at
	assert.Equal(t, want[:1000], heard(t, p, 48000, 500)[480:1480])
}

// The two sides of a mid-side pair are heard as one strand each.
func TestMidSideIsDecoded(t *testing.T) {
	m, s := wobble(5000), make([]float64, 5000)
	for i := range s {
		s[i] = 0.25 * math.Cos(float64(i)*0.1)
	}
	mid, side := mix.Source{Path: floats(t, 48000, m)}, mix.Source{Path: floats(t, 48000, s)}
	got := make([]float64, 5000)
	for _, sign := range []float64{1, -1} {
		st, err := mix.OpenSum([]mix.Part{{Source: mid, Factor: 1}, {Source: side, Factor: sign}}, 0)
		require.NoError(t, err)
		require.NoError(t, st.Read(got, 0))
		for i := range m {
			require.Equal(t, m[i]+sign*s[i], got[i])
		}
		st.Close()
	}
}

// What goes beyond full scale is found through every treatment that can bring it there.
func TestOversThroughTreatments(t *testing.T) {
	quiet := make([]float64, 200000)
	for i := range quiet {
		quiet[i] = 0.3 * math.Sin(float64(i)*0.05)
	}
	loud := append([]float64{}, quiet...)
	for i := 100000; i < 100100; i++ {
		loud[i] *= 3
	}
	for name, c := range map[string]struct {
		x     []float64
		rate  int
		treat treat.Treatment
		over  bool
	}{
		"quiet":                    {quiet, 48000, treat.Treatment{}, false},
		"loud":                     {loud, 48000, treat.Treatment{}, false}, // 0.9
		"trimmed up":               {loud, 48000, treat.Treatment{TrimDB: 6}, true},
		"trimmed up and late":      {loud, 48000, treat.Treatment{TrimDB: 6, Delay: 70000}, true},
		"trimmed up, filtered":     {loud, 48000, treat.Treatment{TrimDB: 6, HighPass: 40}, true},
		"trimmed up, converted":    {loud, 44100, treat.Treatment{TrimDB: 6}, true},
		"trimmed up and off":       {loud, 48000, treat.Treatment{TrimDB: 6, Off: true}, false},
		"quiet, filtered":          {quiet, 48000, treat.Treatment{HighPass: 40}, false},
		"quiet, converted":         {quiet, 44100, treat.Treatment{}, false},
		"quiet, and late as silly": {quiet, 48000, treat.Treatment{Delay: 500000}, false},
	} {
		path := floats(t, c.rate, c.x)
		sum := summary(t, c.x)
		p, err := mix.Compile(oneTrack(reel.Clip{ID: "1", Strands: []string{"a"}, At: 300, Length: 190000}), 48000, func(string) (mix.Source, error) {
			return mix.Source{Path: path, Treat: c.treat}, nil
		})
		require.NoError(t, err)
		overs, err := p.Clippings(t.Context(), func(string) (*waveform.Summary, int, error) { return sum, 0, nil })
		require.NoError(t, err)
		assert.Equal(t, c.over, len(overs) > 0, "%s: %+v", name, overs)
	}
}

// summary is the waveform summary of a sound.
func summary(t *testing.T, x []float64) *waveform.Summary {
	f, err := os.Create(filepath.Join(t.TempDir(), "sum"))
	require.NoError(t, err)
	t.Cleanup(func() { f.Close() })
	b, err := waveform.NewBuilder(f, 1, int64(len(x)))
	require.NoError(t, err)
	require.NoError(t, b.Add([][]float64{x}))
	require.NoError(t, b.Close())
	sum, err := waveform.Open(f)
	require.NoError(t, err)
	return sum
}
