package loudness_test

import (
	"fmt"
	"math"
	"math/rand/v2"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strconv"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/ambisonic"
	"zestyloom/core/audio"
	"zestyloom/core/loudness"
	"zestyloom/internal/testmedia"
)

func layout(t *testing.T, name string) audio.Layout {
	l, err := audio.ParseLayout(name)
	require.NoError(t, err)
	return l
}

// measure adds a sound in blocks of random lengths.
func measure(t *testing.T, l audio.Layout, rate int, b audio.Block, rng *rand.Rand) (*loudness.Meter, loudness.Result) {
	return measureWith(t, loudness.Options{Peaks: true, Floor: -60}, l, rate, b, rng)
}

func measureWith(t *testing.T, o loudness.Options, l audio.Layout, rate int, b audio.Block, rng *rand.Rand) (*loudness.Meter, loudness.Result) {
	m, err := loudness.NewMeter(l, rate, o)
	require.NoError(t, err)
	for from := 0; from < b.Frames(); {
		to := min(b.Frames(), from+1+rng.IntN(9000))
		part := make(audio.Block, len(b))
		for c := range b {
			part[c] = b[c][from:to]
		}
		m.Add(part)
		from = to
	}
	return m, m.Result()
}

// tone is a stretch of a signal of Tech 3341: levels in dBFS of the peaks of its sines.
type tone struct{ db, seconds float64 }

func tones(rate int, lead float64, list ...tone) []float64 {
	out := make([]float64, int(lead*float64(rate)))
	period := make([]float64, rate/100) // ten of the tone
	for i := range period {
		period[i] = math.Sin(2 * math.Pi * 1000 * float64(i) / float64(rate))
	}
	for _, s := range list {
		gain := audio.Gain(s.db)
		for i := range int(math.Round(s.seconds * float64(rate))) {
			out = append(out, gain*period[i%len(period)])
		}
	}
	return out
}

func repeat(n int, list ...tone) (out []tone) {
	for range n {
		out = append(out, list...)
	}
	return out
}

// The loudness signals of EBU Tech 3341 and 3342, at three rates, in pieces of any length, from odd starts.
func TestComplianceSignals(t *testing.T) {
	rng := rand.New(rand.NewPCG(14, 4))
	alone := loudness.Options{NoProgramme: true, NoPeaks: true} // peaks have tests of their own
	for _, rate := range []int{44100, 48000, 96000} {
		for _, c := range []struct {
			name      string
			tones     []tone
			i, range_ float64
		}{
			{"1", []tone{{-23, 20}}, -23, 0},
			{"2", []tone{{-33, 20}}, -33, 0},
			{"3", []tone{{-36, 10}, {-23, 60}, {-36, 10}}, -23, math.NaN()},
			{"4", []tone{{-72, 10}, {-36, 10}, {-23, 60}, {-36, 10}, {-72, 10}}, -23, math.NaN()},
			{"5", []tone{{-26, 20}, {-20, 20.1}, {-26, 20}}, -23, math.NaN()},
			{"3342-1", []tone{{-20, 20}, {-30, 20}}, math.NaN(), 10},
			{"3342-2", []tone{{-20, 20}, {-15, 20}}, math.NaN(), 5},
			{"3342-3", []tone{{-40, 20}, {-20, 20}}, math.NaN(), 20},
			{"3342-4", []tone{{-50, 20}, {-35, 20}, {-20, 20}, {-35, 20}, {-50, 20}}, math.NaN(), 15},
		} {
			for _, lead := range []float64{0, 0.7 * rng.Float64()}[map[bool]int{true: 1}[rate != 48000]:] {
				x := tones(rate, lead, c.tones...)
				m, r := measureWith(t, alone, layout(t, "stereo"), rate, audio.Block{x, x}, rng)
				at := fmt.Sprintf("signal %s at %d Hz after %.3f s", c.name, rate, lead)
				if c.i == c.i {
					assert.InDelta(t, c.i, r.Integrated, 0.1, at)
				}
				if c.range_ == c.range_ {
					assert.True(t, r.RangeKnown)
					assert.InDelta(t, c.range_, r.Range, 1, at)
				}
				if len(c.tones) == 1 {
					assert.InDelta(t, c.i, r.MaxMomentary.Value, 0.1, at)
					assert.InDelta(t, c.i, r.MaxShortTerm.Value, 0.1, at)
					assert.InDelta(t, c.i, m.Powers().At(50, loudness.ShortTermPowers), 0.1, at)
				}
				assert.InDelta(t, 1, *r.Correlation, 1e-9)
				assert.InDelta(t, 0, *r.MonoLoss, 1e-6, "two sides that are the same")
			}
		}
		front, centre, surround := tones(rate, 0, tone{-28, 20}), tones(rate, 0, tone{-24, 20}), tones(rate, 0, tone{-30, 20})
		for _, l := range []string{"5.0", "5.1"} {
			b := audio.Block{front, front, centre, surround, surround}
			if l == "5.1" { // an LFE counts for nothing
				b = audio.Block{front, front, centre, front, surround, surround}
			}
			_, r := measureWith(t, alone, layout(t, l), rate, b, rng)
			assert.InDelta(t, -23, r.Integrated, 0.1, "signal 6 in %s at %d Hz", l, rate)
		}
		_, r := measureWith(t, alone, layout(t, "mono"), rate, audio.Block{tones(rate, 0, tone{-20, 20})}, rng)
		assert.InDelta(t, -23, r.Integrated, 0.1, "one channel at -20 is as loud as two at -23")
		s := tones(rate, 0, repeat(5, tone{-20, 1.34}, tone{-30, 1.66})...)
		m, r := measureWith(t, alone, layout(t, "stereo"), rate, audio.Block{s, s}, rng)
		for i := loudness.ShortTermPowers - 1; i < len(m.Powers()); i++ {
			assert.InDelta(t, -23, m.Powers().At(i, loudness.ShortTermPowers), 0.1)
		}
		assert.InDelta(t, -23, r.MaxShortTerm.Value, 0.1)
		s = tones(rate, 0, repeat(25, tone{-20, 0.18}, tone{-30, 0.22})...)
		m, r = measureWith(t, alone, layout(t, "stereo"), rate, audio.Block{s, s}, rng)
		for i := 9; i < len(m.Powers()); i++ {
			assert.InDelta(t, -23, m.Powers().At(i, loudness.MomentaryPowers), 0.1)
		}
		assert.InDelta(t, -23, r.MaxMomentary.Value, 0.1)
	}
}

// programme is made-up sound: speech-like bursts, music-like tones, noise, silences.
func programme(rng *rand.Rand, rate int) []float64 {
	out := make([]float64, rate*(40+rng.IntN(20)))
	// It begins with 3 s of silence: ffmpeg counts windows that have begun before the sound, and the standard does not.
	for at := 3 * rate; at < len(out); {
		n := min(len(out)-at, int((0.05+3*rng.Float64()*rng.Float64())*float64(rate)))
		level := audio.Gain(-50 * rng.Float64())
		switch rng.IntN(4) {
		case 0: // silence
		case 1: // a note
			w := 2 * math.Pi * 60 * math.Pow(2, 6*rng.Float64()) / float64(rate)
			for i := range n {
				out[at+i] = level * (math.Sin(w*float64(i)) + 0.4*math.Sin(3*w*float64(i)))
			}
		case 2: // syllables
			w := 2 * math.Pi * (90 + 150*rng.Float64()) / float64(rate)
			for i := range n {
				beat := math.Sin(math.Pi * 4 * float64(i) / float64(rate))
				out[at+i] = level * beat * beat * (math.Sin(w*float64(i)+2*math.Sin(5*w*float64(i))) + 0.2*rng.NormFloat64())
			}
		default:
			for i := range n {
				out[at+i] = 0.3 * level * rng.NormFloat64()
			}
		}
		at += n
	}
	for i, v := range out {
		out[i] = math.Round(max(-0.99, min(0.99, v))*(1<<23)) / (1 << 23)
	}
	return out
}

// Made-up programmes read what an independent computation of BS.1770 reads within 0.01 LU, and what ffmpeg's
// ebur128 reads within 0.1 LU (range: 1 LU), momentary and short-term every 100 ms as it has them.
func TestProgrammesAgainstOthers(t *testing.T) {
	rng := rand.New(rand.NewPCG(14, 5))
	number := regexp.MustCompile(`M:\s*(-?[\d.]+|nan|-inf)\s+S:\s*(-?[\d.]+|nan|-inf)`)
	last := func(out, name string) float64 {
		all := regexp.MustCompile(name+`:\s+(-?[\d.]+) LU`).FindAllStringSubmatch(out, -1)
		require.NotEmpty(t, all, out)
		v, err := strconv.ParseFloat(all[len(all)-1][1], 64)
		require.NoError(t, err)
		return v
	}
	programmes := testmedia.Sized(2, 8) // make test-long has all fifty
	if os.Getenv("LONG_TESTS") != "" {
		programmes = 50
	}
	for i := range programmes { // the range of silence is no number there, and not known here
		rate := []int{48000, 44100, 96000}[i%3]
		x, y := programme(rng, rate), programme(rng, rate)
		n := min(len(x), len(y))
		b := audio.Block{x[:n], y[:n]}
		m, r := measure(t, layout(t, "stereo"), rate, b, rng)

		assert.InDelta(t, independent(b, rate), r.Integrated, 0.01, "programme %d", i)
		path := filepath.Join(t.TempDir(), "p.wav")
		testmedia.Write(t, path, audio.S24, rate, b...)
		out, err := exec.Command("ffmpeg", "-hide_banner", "-nostats", "-i", path, "-af", "ebur128=framelog=info", "-f", "null", "-").CombinedOutput()
		require.NoError(t, err, string(out))
		assert.InDelta(t, last(string(out), "I"), r.Integrated, 0.1, "programme %d", i)
		assert.InDelta(t, last(string(out), "LRA"), r.Range, 1, "programme %d", i)
		loudest, longest := math.Inf(-1), math.Inf(-1)
		for k, line := range number.FindAllStringSubmatch(string(out), -1) {
			momentary, _ := strconv.ParseFloat(line[1], 64)
			short, _ := strconv.ParseFloat(line[2], 64)
			if k >= loudness.MomentaryPowers-1 && momentary == momentary {
				loudest = max(loudest, momentary)
			}
			if k >= loudness.ShortTermPowers-1 && short == short {
				longest = max(longest, short)
			}
		}
		assert.InDelta(t, loudest, r.MaxMomentary.Value, 0.1, "programme %d", i)
		assert.InDelta(t, longest, r.MaxShortTerm.Value, 0.1, "programme %d", i)
		v, end := m.Powers().Max(loudness.ShortTermPowers)
		assert.Equal(t, r.MaxShortTerm, loudness.Place{Value: v, At: int64(end+1) * int64(rate) / 10})
	}
}

// independent is the integrated loudness of a stereo sound by another way: each filter by its impulse response's
// recursion in transposed form, each block of 400 ms summed by itself.
func independent(b audio.Block, rate int) float64 {
	type stage struct{ b, a [3]float64 }
	vh := math.Pow(10, 3.999843853973347/20)
	vb := math.Pow(vh, 0.4996667741545416)
	shelf := func(at int) stage {
		d := [3]float64{1, 1 / 0.7071752369554196, 1}
		n := [3]float64{vh, vb / 0.7071752369554196, 1}
		k := 1 / math.Tan(math.Pi*1681.974450955533/float64(at))
		d0 := k*k + d[1]*k + 1
		return stage{
			[3]float64{(n[0]*k*k + n[1]*k + 1) / d0, 2 * (1 - n[0]*k*k) / d0, (n[0]*k*k - n[1]*k + 1) / d0},
			[3]float64{1, 2 * (1 - k*k) / d0, (k*k - d[1]*k + 1) / d0}}
	}
	high := func(at int) stage {
		k := math.Tan(math.Pi * 38.13547087602444 / float64(at))
		d0 := 1 + k/0.5003270373238773 + k*k
		return stage{[3]float64{1, -2, 1}, [3]float64{1, 2 * (k*k - 1) / d0, (1 - k/0.5003270373238773 + k*k) / d0}}
	}
	gain := func(at int) float64 { // at 997 Hz
		g := 1.0
		for _, s := range []stage{shelf(at), high(at)} {
			w := 2 * math.Pi * 997 / float64(at)
			abs := func(p [3]float64) float64 {
				re := p[0] + p[1]*math.Cos(w) + p[2]*math.Cos(2*w)
				im := p[1]*math.Sin(w) + p[2]*math.Sin(2*w)
				return math.Hypot(re, im)
			}
			g *= abs(s.b) / abs(s.a)
		}
		return g
	}
	scale := gain(48000) / gain(rate)
	var blocks []float64
	block, hop := rate*4/10, rate/10
	squares := make([][]float64, len(b))
	for c, x := range b {
		y := make([]float64, len(x))
		copy(y, x)
		for _, s := range []stage{shelf(rate), high(rate)} {
			s1, s2 := 0.0, 0.0
			for i, v := range y {
				o := s.b[0]*v + s1
				s1 = s.b[1]*v - s.a[1]*o + s2
				s2 = s.b[2]*v - s.a[2]*o
				y[i] = o
			}
		}
		for i := range y {
			y[i] = scale * y[i] * scale * y[i]
		}
		squares[c] = y
	}
	for at := 0; at+block <= len(b[0]); at += hop {
		z := 0.0
		for _, y := range squares {
			for _, v := range y[at : at+block] {
				z += v / float64(block)
			}
		}
		blocks = append(blocks, z)
	}
	mean := func(over float64) float64 {
		sum, n := 0.0, 0.0
		for _, z := range blocks {
			if -0.691+10*math.Log10(z) > over {
				sum, n = sum+z, n+1
			}
		}
		return -0.691 + 10*math.Log10(sum/n)
	}
	return mean(max(-70, mean(-70)-10))
}

// Sound without a loudness has none to say, and what is no number harms nothing beside it.
func TestNothingToSay(t *testing.T) {
	rng := rand.New(rand.NewPCG(14, 6))
	_, r := measure(t, layout(t, "stereo"), 48000, audio.NewBlock(2, 48000*5), rng)
	assert.True(t, math.IsInf(r.Integrated, -1))
	assert.False(t, r.RangeKnown)
	assert.Nil(t, r.Correlation)
	assert.Nil(t, r.MonoLoss)
	assert.True(t, math.IsInf(r.TruePeak.Value, -1))

	x := tones(48000, 0, tone{-23, 20})
	y := append([]float64{}, x...)
	y[1000], y[2000] = math.NaN(), math.Inf(1)
	_, r = measure(t, layout(t, "stereo"), 48000, audio.Block{x, y}, rng)
	assert.InDelta(t, -23, r.Integrated, 0.1)
	assert.Equal(t, int64(2), r.Channels[1].Invalid)

	_, r = measure(t, layout(t, "stereo"), 48000, audio.Block{x[:10000], x[:10000]}, rng)
	assert.True(t, math.IsInf(r.Integrated, -1), "no block of 400 ms")
	assert.InDelta(t, -23, r.TruePeak.Value, 1, "a tone that breaks off overshoots a little between its samples")

}

// A sound field is as loud as it is decoded: a plane wave as the same sound on one speaker, but for the weights of those at the
// sides; whatever its order and norm, in blocks or in chunks. Its peaks are those of its channels.
func TestSoundFields(t *testing.T) {
	rng := rand.New(rand.NewPCG(14, 9))
	x := tones(48000, 0, tone{-23, 5})
	_, mono := measure(t, layout(t, "mono"), 48000, audio.Block{x}, rng)
	field := func(l audio.Layout, az float64) audio.Block {
		y := ambisonic.Encode(l, az, 0, 0)
		b := audio.NewBlock(l.Count, len(x))
		for c := range b {
			for i, v := range x {
				b[c][i] = y[c] * v
			}
		}
		return b
	}
	for az := -180.0; az < 180; az += 75 {
		_, one := measure(t, layout(t, "ambisonic 1 SN3D"), 48000, field(layout(t, "ambisonic 1 SN3D"), az), rng)
		assert.GreaterOrEqual(t, one.Integrated, mono.Integrated-0.01, "from %g°", az)
		assert.LessOrEqual(t, one.Integrated, mono.Integrated+10*math.Log10(1.41)+0.01, "from %g°", az)
		_, fuma := measure(t, layout(t, "ambisonic 1 FuMa"), 48000, field(layout(t, "ambisonic 1 FuMa"), az), rng)
		assert.InDelta(t, one.Integrated, fuma.Integrated, 1e-9, "of whatever norm")
	}
	l := layout(t, "ambisonic 3 N3D")
	b := field(l, 0)
	_, r := measure(t, l, 48000, b, rng)
	assert.InDelta(t, mono.TruePeak.Value, r.Channels[0].TruePeak, 1e-9)
	assert.InDelta(t, mono.TruePeak.Value+10*math.Log10(3), r.Channels[3].TruePeak, 0.01, "N3D's X")
	assert.Contains(t, loudness.How(l), "decoded to 7.1.4, energy-preserving, order 2, max-rE")
	assert.Empty(t, loudness.How(layout(t, "5.1")))

	m, err := loudness.NewMeter(l, 48000, loudness.Options{Peaks: true})
	require.NoError(t, err)
	var chunks []loudness.Chunk
	for from := 0; from < len(x); from += 2 * 48000 {
		to := min(len(x), from+2*48000)
		part, after := audio.NewBlock(l.Count, to-from), audio.NewBlock(l.Count, loudness.ChunkAfter)
		for c := range b {
			copy(part[c], b[c][from:to])
			copy(after[c], b[c][to:])
		}
		if from > 0 {
			m, err = loudness.NewMeter(l, 48000, loudness.Options{Peaks: true})
			require.NoError(t, err)
			before := audio.NewBlock(l.Count, from)
			for c := range b {
				copy(before[c], b[c])
			}
			m.Add(before)
		}
		m.Mark()
		m.Add(part)
		chunks = append(chunks, m.Chunk(after))
	}
	joined, _, _ := loudness.Join(l, 48000, chunks)
	assert.InDelta(t, r.Integrated, joined.Integrated, 1e-9)
}

// Opposite sides are lost in mono, and the weights are those of the directions.
func TestPairsAndWeights(t *testing.T) {
	rng := rand.New(rand.NewPCG(14, 7))
	x := tones(48000, 0, tone{-23, 5})
	y := make([]float64, len(x))
	for i := range x {
		y[i] = -x[i]
	}
	_, r := measure(t, layout(t, "stereo"), 48000, audio.Block{x, y}, rng)
	assert.InDelta(t, -1, *r.Correlation, 1e-9)
	assert.Greater(t, *r.MonoLoss, 100.0)
	for name, want := range map[string][]float64{
		"5.1": {1, 1, 1, 0, 1.41, 1.41}, "7.1": {1, 1, 1, 0, 1.41, 1.41, 1, 1},
		"7.1.4":      {1, 1, 1, 0, 1.41, 1.41, 1, 1, 1, 1, 1, 1},
		"discrete 2": {1, 1}, "custom L R Side@100/10": {1, 1, 1.41},
	} {
		w, err := loudness.Weights(layout(t, name))
		require.NoError(t, err)
		assert.Equal(t, want, w, name)
	}
}

func BenchmarkMeter(b *testing.B) {
	rng := rand.New(rand.NewPCG(14, 8))
	x, y := programme(rng, 48000), programme(rng, 48000)
	n := 48000 * 10
	l, _ := audio.ParseLayout("stereo")
	b.SetBytes(int64(n))
	for b.Loop() {
		m, _ := loudness.NewMeter(l, 48000, loudness.Options{})
		for at := 0; at < n; at += 48000 {
			m.Add(audio.Block{x[at : at+48000], y[at : at+48000]})
		}
		m.Result()
	}
}
