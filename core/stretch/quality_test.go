package stretch_test

import (
	"encoding/binary"
	"fmt"
	"math"
	"os"
	"os/exec"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/audio"
	"zestyloom/core/stretch"
	"zestyloom/internal/testmedia"
)

// tempo is what ffmpeg's atempo makes of a signal.
func tempo(t *testing.T, x []float64, speed float64) []float64 {
	t.Helper()
	dir := t.TempDir()
	in, out := filepath.Join(dir, "in.wav"), filepath.Join(dir, "out.f64")
	testmedia.Write(t, in, audio.F64, rate, x)
	says, err := exec.Command("ffmpeg", "-v", "error", "-i", in, "-af", fmt.Sprintf("atempo=%g", speed), "-f", "f64le", out).CombinedOutput()
	require.NoError(t, err, "%s", says)
	b, err := os.ReadFile(out)
	require.NoError(t, err)
	y := make([]float64, len(b)/8)
	for i := range y {
		y[i] = math.Float64frombits(binary.LittleEndian.Uint64(b[8*i:]))
	}
	return y
}

func ours(t *testing.T, x []float64, speed float64) []float64 {
	t.Helper()
	read := of(int64(len(x)), func(i int64) float64 { return x[i] })
	out, _ := play(t, stretch.New(read, 1, rate, speed, 0), 1, int(float64(len(x))/speed))
	return out[0]
}

// offPartials is the energy of x that no sine of the given frequencies explains, in dB against all of it, by least
// squares over tenths of a second: a slow change of phase or level is no distortion.
func offPartials(x []float64, partials ...float64) float64 {
	all, rest := 0.0, 0.0
	const n = rate / 10
	for from := 0; from+n <= len(x); from += n {
		y := append([]float64{}, x[from:from+n]...)
		basis := [][]float64{}
		for _, hz := range partials {
			s, c := make([]float64, n), make([]float64, n)
			for i := range s {
				s[i], c[i] = math.Sincos(2 * math.Pi * hz * float64(i) / rate)
			}
			basis = append(basis, s, c)
		}
		for i, b := range basis { // Gram and Schmidt
			for _, o := range basis[:i] {
				d := inner(b, o)
				for k := range b {
					b[k] -= d * o[k]
				}
			}
			g := 1 / math.Sqrt(inner(b, b))
			for k := range b {
				b[k] *= g
			}
		}
		all += inner(y, y)
		for _, b := range basis {
			d := inner(y, b)
			for k := range y {
				y[k] -= d * b[k]
			}
		}
		rest += inner(y, y)
	}
	return 10 * math.Log10(rest/all)
}

func inner(a, b []float64) (s float64) {
	for i := range a {
		s += a[i] * b[i]
	}
	return s
}

// A tone and a chord come out cleaner than from another program's filter, slowed and quickened.
func TestCleanerThanAnotherFilter(t *testing.T) {
	chord := []float64{220, 277.18, 329.63, 440, 554.37}
	for name, partials := range map[string][]float64{"437 Hz": {437}, "a chord": chord} {
		x := make([]float64, 6*rate)
		for i := range x {
			for k, hz := range partials {
				x[i] += 0.15 * math.Sin(2*math.Pi*hz*float64(i)/rate+float64(k))
			}
		}
		for _, speed := range []float64{0.5, 2} {
			cut := func(y []float64) []float64 { return y[rate/2 : len(y)-rate/2] }
			a, b := offPartials(cut(ours(t, x, speed)), partials...), offPartials(cut(tempo(t, x, speed)), partials...)
			t.Logf("%s at %g times: %.1f dB off its partials, atempo %.1f", name, speed, a, b)
			assert.Less(t, a, b-10, "%s at %g times", name, speed)
			assert.Less(t, a, -35.0)
		}
	}
}

// Where something begins it begins at once, where it should, and but once.
func TestTransientsAreKept(t *testing.T) {
	const strokes = 7
	x := make([]float64, 6*rate)
	at := func(k int) int { return rate/2 + k*rate*11/16 }
	for k := range strokes {
		for i := range rate / 5 {
			f := float64(i) / rate
			x[at(k)+i] += 0.5 * math.Exp(-f*40) * math.Sin(2*math.Pi*(1500+200*float64(k))*f)
		}
	}
	for i := range x { // over a steady tone
		x[i] += 0.01 * math.Sin(2*math.Pi*300*float64(i)/rate)
	}
	// sharp is the share of each stroke's energy, of that around it, that lies in the 30 ms from where it begins.
	sharp := func(y []float64, speed float64) (worst float64) {
		worst = 1
		for k := range strokes {
			middle := int(float64(at(k)) / speed)
			begin, most := middle, 0.0
			for i := max(0, middle-rate/10); i < min(len(y)-480, middle+rate/10); i += 24 {
				e := inner(y[i:i+480], y[i:i+480])
				if e > most {
					begin, most = i, e
				}
			}
			from, to := max(0, begin-rate/12), min(len(y), begin+rate/6)
			worst = math.Min(worst, inner(y[max(0, begin-240):begin+rate*3/100], y[max(0, begin-240):begin+rate*3/100])/inner(y[from:to], y[from:to]))
		}
		return worst
	}
	original := sharp(x, 1)
	for _, speed := range []float64{0.5, 2} {
		a, b := sharp(ours(t, x, speed), speed), sharp(tempo(t, x, speed), speed)
		t.Logf("at %g times %.3f of a stroke lies where it begins, in the original %.3f, with atempo %.3f", speed, a, original, b)
		assert.Greater(t, a, 0.85*original)
	}
}

// The place that is told stays the place the speed asks for, within what an onset may cost.
func TestPlacesStayTogether(t *testing.T) {
	strokes := func(i int64) float64 { // onsets far denser than can be kept
		return math.Exp(-float64(i%2400)/200) * math.Sin(float64(i)*0.3)
	}
	for _, speed := range []float64{0.5, 2} {
		_, at := play(t, stretch.New(of(20*rate, strokes), 1, rate, speed, 0), 1, 4*rate)
		for n, a := range at {
			assert.InDelta(t, float64(n)*speed*1024, float64(a), 0.12*rate, "at %g times", speed)
		}
	}
}
