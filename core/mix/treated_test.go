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

// voice is a chain with one of everything, quick enough for short sounds.
var voice = treat.Chain{
	HighPass: treat.Pass{Hz: 300, Slope: 18},
	Bands:    [treat.Bands]treat.Band{{Kind: treat.Bell, Hz: 2500, DB: 6, Q: 1}, {Kind: treat.HighShelf, Hz: 9000, DB: -4, Q: 0.7071}},
	DeEsser:  treat.DeEsser{Hz: 6000, Threshold: -30, Ratio: 4, Range: 12, Attack: 1, Release: 20},
	Expander: treat.Expander{Threshold: -60, Ratio: 2, Range: 12, Attack: 1, Release: 20}, Compressor: treat.Compressor{Threshold: -20, Ratio: 3, Knee: 6, Attack: 3, Release: 40, Makeup: 3},
}

// all is a signal over a whole reel, from midnight on.
func all(t *testing.T, r reel.Reel, sources mix.Sources, end int64, s mix.Signal) audio.Block {
	var out audio.Block
	require.NoError(t, play(t, r, sources, s).Run(context.Background(), 0, end, func(b audio.Block, at int64) error {
		if out == nil {
			out = audio.NewBlock(len(b), int(end))
		}
		for c := range b {
			copy(out[c][at:], b[c])
		}
		return nil
	}))
	return out
}

// What a track, a bus or a strand is treated by is what the chain makes of it by itself, from midnight on, bit for bit,
// wherever one begins to read and in whatever pieces, on several cores.
func TestTreatedSignals(t *testing.T) {
	_, sources := strandsOf(t, 3, 4, modelFrames)
	for seed := range uint64(5) {
		rnd := rand.New(rand.NewPCG(seed, 13))
		r := edited(rnd)
		r.Weave.Corrections, r.Weave.Levels = nil, map[string]weave.Level{}
		for i := range r.Tracks {
			r.Tracks[i].GainDB, r.Tracks[i].Gain = 0, nil
		}
		_, end := r.Span()
		end += 20_000 // filters ring on
		for _, of := range []string{"t0", "t3", "b2", "b4"} {
			plain := all(t, r, sources, end, mix.Of(of))
			want := audio.NewBlock(len(plain), int(end))
			for c := range plain {
				copy(want[c], plain[c])
			}
			treat.NewProcessor(voice, len(want), 48000).Apply(want, 0)
			x := r
			x.Weave = r.Weave.Clone()
			x.Tracks = append([]reel.Track{}, r.Tracks...)
			sounds := false
			for i := range x.Tracks {
				if x.Tracks[i].ID == of {
					x.Tracks[i].Treat = voice
					sounds = !x.Tracks[i].Off && len(x.Tracks[i].Clips) > 0
				}
			}
			if _, bus := x.Weave.Bus(of); bus {
				x.Weave.Levels[of] = weave.Level{Treat: voice}
				sounds = true
			}
			if !sounds {
				continue
			}
			require.NoError(t, x.Check())
			whole := all(t, x, sources, end, mix.Of(of))
			for c := range want {
				require.Equal(t, want[c], whole[c], "seed %d: %s, channel %d", seed, of, c)
			}
			pl := play(t, x, sources, mix.Of(of))
			for range 12 {
				at := rnd.Int64N(end)
				n := 1 + rnd.IntN(int(min(mix.BlockFrames, end-at)))
				blocks, err := pl.Read(context.Background(), at, n)
				require.NoError(t, err)
				for c := range blocks[0] {
					require.Equal(t, whole[c][at:at+int64(n)], []float64(blocks[0][c][:n]), "seed %d: %s at %d", seed, of, at)
				}
			}
		}
	}
}

// A strand is treated wherever it is used, before its clips.
func TestATreatedStrand(t *testing.T) {
	x := wobble(150_000)
	path := floats(t, 48000, x)
	src := mix.Source{Path: path, Treat: treat.Treatment{Chain: voice, Delay: 700}}
	want := append(make([]float64, 700), heard(t, mix.Source{Path: path}, 48000, 5000)...)[:150_000]
	treat.NewProcessor(voice, 1, 48000).Apply([][]float64{want[700:]}, 0)
	for _, piece := range []int64{150_000, 999, 65_536} {
		require.Equal(t, want, heard(t, src, 48000, piece))
	}
	strand, err := mix.OpenStrand(src, 48000)
	require.NoError(t, err)
	defer strand.Close()
	for _, at := range []int64{100, 140_000, 66_000, 690} {
		got := make([]float64, 3000)
		require.NoError(t, strand.Read(got, at))
		require.Equal(t, want[at:at+3000], got, "at %d", at)
	}
}

// What goes beyond full scale is found through treated tracks and buses, and nothing else is.
func TestOversThroughChains(t *testing.T) {
	x := make([]float64, 300_000)
	for i := range x {
		x[i] = 0.4 * math.Sin(float64(i)*2*math.Pi*1000/48000)
	}
	for i := 120_000; i < 121_000; i++ {
		x[i] *= 1.5
	}
	path := floats(t, 48000, x)
	sum := summary(t, x)
	up := treat.Chain{Bands: [treat.Bands]treat.Band{{Kind: treat.Bell, Hz: 1000, DB: 6, Q: 2}}}
	down := treat.Chain{Compressor: treat.Compressor{Threshold: -30, Ratio: 20, Attack: 0.1, Release: 50}}
	for name, k := range map[string]struct {
		track, bus treat.Chain
		over       bool
	}{
		"nothing":             {treat.Chain{}, treat.Chain{}, false},
		"track raised":        {up, treat.Chain{}, true},
		"bus raised":          {treat.Chain{}, up, true},
		"raised, then turned": {up, down, false},
		"turned":              {down, treat.Chain{}, false},
	} {
		r := oneTrack(reel.Clip{ID: "1", Strands: []string{"a"}, At: 300, Length: 290_000})
		r.Tracks[0].Treat = k.track
		r.Weave.Levels = map[string]weave.Level{"DX": {Treat: k.bus}}
		p, err := mix.Compile(r, 48000, func(string) (mix.Source, error) { return mix.Source{Path: path}, nil })
		require.NoError(t, err)
		overs, err := p.Clippings(t.Context(), func(string) (*waveform.Summary, int, error) { return sum, 0, nil })
		require.NoError(t, err)
		assert.Equal(t, k.over, len(overs) > 0, "%s: %+v", name, overs)
		if k.over {
			out := all(t, r, func(string) (mix.Source, error) { return mix.Source{Path: path}, nil }, 300_000, mix.All())
			first, n := int64(-1), int64(0)
			for i, v := range out[0] {
				if v > 1-1.0/(1<<23) || v < -1 {
					if n++; first < 0 {
						first = int64(i)
					}
				}
			}
			assert.Equal(t, first, overs[0].At, name)
			assert.Equal(t, n, overs[0].Count, name)
		}
	}
}

// The sound of a stretch is another where it is treated otherwise, and where what came before it counts.
func TestFingerprintsOfTreatedTracks(t *testing.T) {
	of := func(r reel.Reel, from int64) uint64 {
		p, err := mix.Compile(r, 48000, func(s string) (mix.Source, error) { return mix.Source{Path: s}, nil })
		require.NoError(t, err)
		h, err := p.Fingerprints().Of("DX", from, from+48000, 0, 0)
		require.NoError(t, err)
		return h
	}
	r := oneTrack(reel.Clip{ID: "0", Strands: []string{"a"}, At: 0, Length: 1000}, reel.Clip{ID: "1", Strands: []string{"a"}, At: 500_000, Length: 300_000})
	treated := func(c treat.Chain, change func(*reel.Reel)) reel.Reel {
		x := oneTrack(append([]reel.Clip{}, r.Tracks[0].Clips...)...)
		x.Tracks[0].Treat = c
		if change != nil {
			change(&x)
		}
		return x
	}
	softer := voice
	softer.Compressor.Threshold = -10
	was := of(treated(voice, nil), 600_000)
	assert.NotEqual(t, of(r, 600_000), was)
	assert.NotEqual(t, of(treated(softer, nil), 600_000), was)
	assert.Equal(t, of(treated(voice, func(x *reel.Reel) { x.Tracks[0].Clips[0].GainDB = 3 }), 600_000), was, "too far back to count")
	assert.NotEqual(t, of(treated(voice, func(x *reel.Reel) {
		x.Tracks[0].Clips[1].Off = []reel.Range{{From: 70_000, To: 80_000}}
	}), 600_000), was, "it has begun in the cell before")
	assert.Equal(t, of(treated(treat.Chain{Off: true, HighPass: voice.HighPass}, nil), 600_000), of(r, 600_000), "what is off does nothing")
}

// Figures that move over the reel's time do so from midnight on, on tracks and buses, bit for bit from anywhere, and a stretch is
// another sound where one of them is drawn otherwise.
func TestMovingTreatments(t *testing.T) {
	_, sources := strandsOf(t, 1, 2, modelFrames)
	moves := treat.Moves{
		"band_1":     {{At: 2000, Value: -12}, {At: 30_000, Value: 12}},
		"high_pass":  {{At: 0, Value: 60}, {At: 35_000, Value: 2000}},
		"compressor": {{At: 5000, Value: -40}, {At: 20_000, Value: -10}},
	}
	r := oneTrack(reel.Clip{ID: "1", Strands: []string{"0/0"}, At: 700, Length: modelFrames})
	end := int64(700 + modelFrames + 20_000)
	for _, of := range []string{"t", "DX"} {
		plain := all(t, r, sources, end, mix.Of(of))
		want := audio.NewBlock(len(plain), int(end))
		for c := range plain {
			copy(want[c], plain[c])
		}
		treat.NewMoving(voice, moves, len(want), 48000).Apply(want, 0)
		x := r
		x.Weave, x.Tracks = r.Weave.Clone(), append([]reel.Track{}, r.Tracks...)
		if of == "DX" {
			x.Weave.Levels = map[string]weave.Level{"DX": {Treat: voice, TreatMoves: moves}}
		} else {
			x.Tracks[0].Treat, x.Tracks[0].TreatMoves = voice, moves
		}
		require.NoError(t, x.Check())
		whole := all(t, x, sources, end, mix.Of(of))
		for c := range want {
			require.Equal(t, want[c], whole[c], "%s, channel %d", of, c)
		}
		pl := play(t, x, sources, mix.Of(of))
		rnd := rand.New(rand.NewPCG(5, 5))
		for range 12 {
			at := rnd.Int64N(end)
			n := 1 + rnd.IntN(int(min(mix.BlockFrames, end-at)))
			blocks, err := pl.Read(context.Background(), at, n)
			require.NoError(t, err)
			for c := range blocks[0] {
				require.Equal(t, whole[c][at:at+int64(n)], []float64(blocks[0][c][:n]), "%s at %d", of, at)
			}
		}
		hash := func(r reel.Reel) uint64 {
			p, err := mix.Compile(r, 48000, sources)
			require.NoError(t, err)
			h, err := p.Fingerprints().Of("DX", 0, 10_000, 0, 0)
			require.NoError(t, err)
			return h
		}
		other := x
		other.Weave, other.Tracks = x.Weave.Clone(), append([]reel.Track{}, x.Tracks...)
		now := treat.Moves{"band_1": {{At: 2000, Value: -11}}}
		if of == "DX" {
			other.Weave.Levels["DX"] = weave.Level{Treat: voice, TreatMoves: now}
		} else {
			other.Tracks[0].TreatMoves = now
		}
		assert.NotEqual(t, hash(x), hash(other))
	}
}
