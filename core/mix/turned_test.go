package mix_test

import (
	"context"
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/audio"
	"zestyloom/core/mix"
	"zestyloom/core/reel"
	"zestyloom/core/treat"
	"zestyloom/core/waveform"
	"zestyloom/core/weave"
)

// matrixed is a reel of a track for each channel of a 5.1 stem and one in a stereo stem, and a stereo total of both.
func matrixed() reel.Reel {
	r := reel.New()
	r.Weave = weave.Weave{Sends: map[string][]weave.Send{}, Buses: []weave.Bus{
		{ID: "fx", Name: "FX", Role: weave.Stem, Kind: "FX", Layout: "5.1"},
		{ID: "mx", Name: "MX", Role: weave.Stem, Kind: "MX", Layout: "stereo"},
		{ID: "total", Name: "Lt/Rt", Role: weave.Mix, Layout: "stereo total"},
	}}
	fold := weave.Patch{Preset: weave.Folded}
	r.Weave.Sends["fx"] = []weave.Send{{To: "total", GainDB: -3, Patch: fold}}
	r.Weave.Sends["mx"] = []weave.Send{{To: "total", GainDB: -4, Patch: fold}}
	for i, id := range []string{"l", "r", "c", "lfe", "ls", "rs"} {
		m := audio.NewMatrix(6, 1)
		m[i][0] = 1
		r.Weave.Sends[id] = []weave.Send{{To: "fx", Patch: weave.Patch{Preset: weave.Custom, Matrix: m}}}
		r.Tracks = append(r.Tracks, reel.Track{ID: id, Label: id, Layout: "mono", Clips: []reel.Clip{{ID: "c" + id, Strands: []string{id}, At: int64(3000 * i), Length: 200_000}}})
	}
	r.Weave.Sends["m"] = []weave.Send{{To: "mx", Patch: weave.Patch{Preset: weave.BothMinus}}}
	r.Tracks = append(r.Tracks, reel.Track{ID: "m", Label: "m", Layout: "mono", Clips: []reel.Clip{{ID: "cm", Strands: []string{"m"}, At: 40_000, Length: 100_000}}})
	r.Weave.Outputs = []weave.Output{{Name: "Lt", Bus: "total"}, {Name: "Rt", Bus: "total", Channel: 1}}
	return r
}

// tones are strands of a sine each, at its own frequency.
func tones(t *testing.T, hz map[string]float64, level float64) mix.Sources {
	paths := map[string]string{}
	for id, f := range hz {
		x := make([]float64, 200_000)
		for i := range x {
			x[i] = level * math.Sin(2*math.Pi*f/48000*float64(i)) * min(1, float64(i)/4000)
		}
		paths[id] = floats(t, 48000, x)
	}
	return func(id string) (mix.Source, error) { return mix.Source{Path: paths[id]}, nil }
}

var sevenTones = map[string]float64{"l": 310, "r": 470, "c": 1130, "lfe": 55, "ls": 700, "rs": 1900, "m": 3100}

// A stereo total is what its formula says of all-passed stems, bit for bit wherever it is read, in time before midnight's cell, in
// the middle of a clip, after it; silence that rings on is heard, too.
func TestAStereoTotal(t *testing.T) {
	const end = 260_000
	r, sources := matrixed(), tones(t, sevenTones, 0.2)
	require.NoError(t, r.Check())
	whole := all(t, r, sources, end, mix.Of("total"))
	five, two := all(t, r, sources, end, mix.Of("fx")), all(t, r, sources, end, mix.Of("mx"))
	every := func(int) bool { return true }
	turned := func(b audio.Block, ahead []bool) audio.Block {
		out := audio.NewBlock(len(b), end)
		treat.NewQuadrature(ahead, every, 48000).Turn(out, b, 0, end)
		return out
	}
	five, two = turned(five, []bool{false, false, false, false, true, true}), turned(two, make([]bool, 2))
	h, near, far := math.Sqrt(0.5), math.Sqrt(2.0/3), math.Sqrt(1.0/3)
	a, b := math.Pow(10, -3.0/20), math.Pow(10, -4.0/20)
	for i := range end {
		lt := a*(five[0][i]+h*five[2][i]+near*five[4][i]+far*five[5][i]) + b*two[0][i]
		rt := a*(five[1][i]+h*five[2][i]-far*five[4][i]-near*five[5][i]) + b*two[1][i]
		require.InDelta(t, lt, whole[0][i], 1e-12, "Lt at %d", i)
		require.InDelta(t, rt, whole[1][i], 1e-12, "Rt at %d", i)
	}
	pl := play(t, r, sources, mix.Of("total"))
	rnd := rand.New(rand.NewPCG(4, 4))
	for range 40 {
		at := rnd.Int64N(end)
		n := 1 + rnd.IntN(int(min(mix.BlockFrames, end-at)))
		blocks, err := pl.Read(context.Background(), at, n)
		require.NoError(t, err)
		for c := range blocks[0] {
			require.Equal(t, whole[c][at:at+int64(n)], []float64(blocks[0][c][:n]), "at %d", at)
		}
	}
	p, err := mix.Compile(r, 48000, sources)
	require.NoError(t, err)
	for _, from := range []int64{0, 70_000, 131_072} {
		nulls, err := p.Nulls(context.Background(), []string{"total"}, audio.F64, from, from+50_000)
		require.NoError(t, err)
		assert.Less(t, nulls[0].Peak, 1e-12)
	}
}

// Decoded by the matrix's own other side, a sound is heard where it was: with its level at its own speaker, not at all at the one
// across, and the centre not in the surrounds.
func TestAStereoTotalIsDecoded(t *testing.T) {
	const end, from = 200_000, 120_000
	power := func(x []float64) float64 {
		sum := 0.0
		for _, v := range x[from:end] {
			sum += v * v
		}
		return 10 * math.Log10(sum/(end-from)/0.02+1e-20) // of a sine of 0.2
	}
	for _, id := range []string{"l", "r", "c", "ls", "rs"} {
		r := matrixed()
		r.Weave.Sends["fx"][0].GainDB = 0
		for i := range r.Tracks {
			r.Tracks[i].Off = r.Tracks[i].ID != id
		}
		b := all(t, r, tones(t, sevenTones, 0.2), end, mix.Of("total"))
		lt, rt := b[0], b[1]
		sum, difference := make([]float64, end), make([]float64, end)
		for i := range end {
			sum[i], difference[i] = (lt[i]+rt[i])*math.Sqrt(0.5), (lt[i]-rt[i])*math.Sqrt(0.5)
		}
		assert.InDelta(t, 0, 10*math.Log10(math.Pow(10, power(lt)/10)+math.Pow(10, power(rt)/10)), 0.01, "%s keeps its power", id)
		switch id {
		case "l":
			assert.InDelta(t, 0, power(lt), 0.01)
			assert.Less(t, power(rt), -150.0)
		case "c":
			assert.InDelta(t, 0, power(sum), 0.01)
			assert.Less(t, power(difference), -150.0, "a centre is not in the surrounds")
		case "ls":
			assert.InDelta(t, -1.76, power(lt), 0.01)
			assert.InDelta(t, 20*math.Log10((math.Sqrt(2)+1)/math.Sqrt(6)), power(difference), 0.01)
			assert.InDelta(t, 20*math.Log10((math.Sqrt(2)-1)/math.Sqrt(6)), power(sum), 0.01)
		}
	}
	// Both surrounds alike are in the difference alone, and a left and a surround of one sound add up by their powers: they are 90°
	// apart.
	r := matrixed()
	r.Weave.Sends["fx"][0].GainDB = 0
	for i := range r.Tracks {
		r.Tracks[i].Clips[0].At, r.Tracks[i].Clips[0].Strands = 0, []string{"c"}
		r.Tracks[i].Off = r.Tracks[i].ID != "ls" && r.Tracks[i].ID != "rs"
	}
	b := all(t, r, tones(t, sevenTones, 0.2), end, mix.Of("total"))
	sum := make([]float64, end)
	for i := range sum {
		sum[i] = b[0][i] + b[1][i]
	}
	assert.Less(t, power(sum), -150.0)
	for i := range r.Tracks {
		r.Tracks[i].Off = r.Tracks[i].ID != "ls" && r.Tracks[i].ID != "l"
	}
	b = all(t, r, tones(t, sevenTones, 0.2), end, mix.Of("total"))
	assert.InDelta(t, 10*math.Log10(1+2.0/3), power(b[0]), 0.01)
}

// Overs are found through it, and its fingerprint knows what counts.
func TestOversAndFingerprintsOfAStereoTotal(t *testing.T) {
	r := matrixed()
	sources := tones(t, sevenTones, 0.6)
	sums := map[string]*waveform.Summary{}
	for id, hz := range sevenTones {
		x := make([]float64, 200_000)
		for i := range x {
			x[i] = 0.6 * math.Sin(2*math.Pi*hz/48000*float64(i)) * min(1, float64(i)/4000)
		}
		sums[id] = summary(t, x)
	}
	p, err := mix.Compile(r, 48000, sources)
	require.NoError(t, err)
	overs, err := p.Clippings(t.Context(), func(s string) (*waveform.Summary, int, error) { return sums[s], 0, nil })
	require.NoError(t, err)
	out := all(t, r, sources, 260_000, mix.All())
	require.Len(t, overs, 2)
	for _, o := range overs {
		first, n := int64(-1), int64(0)
		for i, v := range out[o.Output] {
			if v > 1-1.0/(1<<23) || v < -1 {
				if n++; first < 0 {
					first = int64(i)
				}
			}
		}
		assert.Equal(t, first, o.At)
		assert.Equal(t, n, o.Count)
	}
	of := func(r reel.Reel) uint64 {
		p, err := mix.Compile(r, 48000, func(s string) (mix.Source, error) { return mix.Source{Path: s}, nil })
		require.NoError(t, err)
		h, err := p.Fingerprints().Of("total", 140_000, 150_000, 0, 0)
		require.NoError(t, err)
		return h
	}
	was := of(r)
	x := matrixed()
	x.Tracks[4].Clips[0].Off = []reel.Range{{From: 100_000, To: 101_000}}
	assert.NotEqual(t, was, of(x), "what is a little before counts, by the all-passes")
	x = matrixed()
	x.Tracks[4].Clips[0].Off = []reel.Range{{From: 1000, To: 2000}}
	assert.Equal(t, was, of(x), "and what is in another cell does not")
}

// A clip has no all-passes: it can't be matrixed into its track, where its surrounds would be summed as they are.
func TestClipsAreNotMatrixed(t *testing.T) {
	r := matrixed()
	r.Tracks = append(r.Tracks, reel.Track{ID: "x", Label: "x", Layout: "stereo total", Clips: []reel.Clip{{ID: "cx", Strands: []string{"l", "r", "c", "lfe", "ls", "rs"}, Layout: "5.1", Length: 100, Patch: weave.Patch{Preset: weave.Folded}}}})
	assert.ErrorContains(t, r.Check(), "can't be matrixed")
	r.Tracks[len(r.Tracks)-1].Layout = "stereo"
	assert.NoError(t, r.Check(), "folded down it can be")
}
