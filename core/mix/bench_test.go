package mix_test

import (
	"context"
	"fmt"
	"math/rand/v2"
	"strconv"
	"testing"

	"github.com/stretchr/testify/require"

	"zestyloom/core/audio"
	"zestyloom/core/automation"
	"zestyloom/core/mix"
	"zestyloom/core/reel"
	"zestyloom/core/spatial"
	"zestyloom/core/treat"
	"zestyloom/core/weave"
)

// console is n mono tracks, each of one clip, with gains, to six stereo stems and 12 outputs.
func console(n int, frames int64, strand func(i int) string) reel.Reel {
	r := reel.Reel{Weave: weave.Weave{Sends: map[string][]weave.Send{}}}
	for i := range 6 {
		id := fmt.Sprint("S", i)
		r.Weave.Buses = append(r.Weave.Buses, weave.Bus{ID: id, Name: id, Role: weave.Stem, Layout: "stereo"})
		for c := range 2 {
			r.Weave.Outputs = append(r.Weave.Outputs, weave.Output{Name: fmt.Sprint(i, c), Bus: id, Channel: c})
		}
	}
	for i := range n {
		id := strconv.Itoa(i)
		r.Tracks = append(r.Tracks, reel.Track{ID: id, Label: id, Layout: "mono", Clips: []reel.Clip{{ID: "c" + id, Strands: []string{strand(i)}, Length: frames}}})
		r.Weave.Sends[id] = to(fmt.Sprint("S", i%6), weave.BothMinus, -6)
	}
	return r
}

// rendering renders the outputs of a reel and encodes them in 24 bits.
func rendering(b *testing.B, r reel.Reel, sources mix.Sources, frames int64) {
	for b.Loop() {
		p, err := mix.Compile(r, 48000, sources)
		require.NoError(b, err)
		pl, err := p.Play(mix.All())
		require.NoError(b, err)
		enc := audio.Encoder{Coding: audio.S24}
		var out []byte
		require.NoError(b, pl.Run(context.Background(), 0, frames, func(blk audio.Block, at int64) error {
			out = enc.Encode(out[:0], blk, at)
			return nil
		}))
		pl.Close()
	}
	b.ReportMetric(float64(frames)/48000/(b.Elapsed().Seconds()/float64(b.N)), "×realtime")
}

// Ten seconds of 24 mono tracks to 32 stems and mixes of 5.1 and 128 outputs, each placed among the speakers.
func BenchmarkWide(b *testing.B) {
	const frames = 480000
	_, sources := strandsOf(b, 24, 1, frames)
	r := reel.Reel{Weave: weave.Weave{Sends: map[string][]weave.Send{}}}
	for i := range 32 {
		id := fmt.Sprint("S", i)
		r.Weave.Buses = append(r.Weave.Buses, weave.Bus{ID: id, Name: id, Role: []weave.Role{weave.Stem, weave.Mix}[i/24], Layout: "5.1"})
		if i < 24 {
			r.Weave.Sends[id] = []weave.Send{{To: fmt.Sprint("S", 24+i%8), GainDB: -3}}
		}
	}
	for i := range 128 {
		r.Weave.Outputs = append(r.Weave.Outputs, weave.Output{Name: strconv.Itoa(i), Bus: fmt.Sprint("S", i/4), Channel: i % 4})
	}
	for i := range 24 {
		id := strconv.Itoa(i)
		r.Tracks = append(r.Tracks, reel.Track{ID: id, Label: id, Layout: "mono", Clips: []reel.Clip{{ID: "c" + id, Strands: []string{fmt.Sprint(i, "/0")}, Length: frames}}})
		r.Weave.Sends[id] = []weave.Send{{To: fmt.Sprint("S", i), GainDB: -6, Patch: weave.Patch{Preset: weave.Placed, Places: []weave.Place{{Position: spatial.Position{Azimuth: float64(15*i - 180), Spread: 40}}}}}}
	}
	rendering(b, r, sources, frames)
}

// Ten seconds of 24 mono tracks of 24 bits to 12 outputs, with gains, encoded in 24 bits: of 24 files, of 3 files of 8
// channels, and with a gain of every track that moves. MB/s are those of the output.
func BenchmarkPlay(b *testing.B) {
	const frames = 480000
	for name, c := range map[string]struct {
		files, channels int
		moving          bool
	}{"mono": {24, 1, false}, "poly": {3, 8, false}, "moving": {24, 1, true}} {
		b.Run(name, func(b *testing.B) {
			_, sources := strandsOf(b, c.files, c.channels, frames)
			r := console(24, frames, func(i int) string { return fmt.Sprint(i/c.channels, "/", i%c.channels) })
			if c.moving {
				for i := range r.Tracks {
					r.Tracks[i].Gain = automation.Curve{{At: 0, Value: -3}, {At: frames, Value: 0}}
				}
			}
			b.SetBytes(frames * 36)
			rendering(b, r, sources, frames)
		})
	}
}

// long is a reel of two hours: 64 tracks and 5,000 clips.
func long(sources int) reel.Reel {
	r := console(64, 1, func(int) string { return "0/0" })
	rnd := rand.New(rand.NewPCG(5, 5))
	for i := range r.Tracks {
		r.Tracks[i].Clips = nil
		at := int64(0)
		for k := range 5000/64 + 1 {
			at += rnd.Int64N(2 * 7200 * 48000 / 80)
			length := 20000 + rnd.Int64N(9000)
			r.Tracks[i].Clips = append(r.Tracks[i].Clips, reel.Clip{ID: fmt.Sprint(i, "c", k), Strands: []string{fmt.Sprint(rnd.IntN(sources), "/0")}, At: at, Length: length, FadeIn: reel.Fade{Length: 480}, FadeOut: reel.Fade{Length: 480}})
			at += length
		}
	}
	return r
}

func BenchmarkCompile(b *testing.B) {
	r := long(1)
	for b.Loop() {
		_, err := mix.Compile(r, 48000, nil)
		require.NoError(b, err)
	}
}

// From nothing open to the first block, at random places of the long reel.
func BenchmarkSeek(b *testing.B) {
	_, sources := strandsOf(b, 64, 1, 30000)
	r := long(64)
	p, err := mix.Compile(r, 48000, sources)
	require.NoError(b, err)
	rnd := rand.New(rand.NewPCG(6, 6))
	_, end := p.Span()
	for b.Loop() {
		pl, err := p.Play(mix.All())
		require.NoError(b, err)
		_, err = pl.Read(context.Background(), rnd.Int64N(end-mix.BlockFrames), mix.BlockFrames)
		require.NoError(b, err)
		pl.Close()
	}
}

// A minute of an edited reel of two hours and 64 tracks, of which 40 sound at a time: clips with fades, envelopes of four
// points and gains, into six outputs.
func BenchmarkEditedReel(b *testing.B) {
	const second, minute = 48000, 60 * 48000
	_, sources := strandsOf(b, 64, 1, 90*second)
	r := console(64, 1, func(i int) string { return fmt.Sprint(i, "/0") })
	for i := range r.Tracks {
		r.Tracks[i].Clips = nil
		for n := range 78 {
			c := reel.Clip{ID: fmt.Sprint(i, "-", n), Strands: []string{fmt.Sprint(i, "/0")}, At: int64(n*92*second + i*second), In: second, Length: 58 * second, GainDB: -2,
				FadeIn: reel.Fade{Length: 960}, FadeOut: reel.Fade{Length: 960, Shape: reel.EqualPower}}
			for k := range 4 {
				c.Gain = append(c.Gain, automation.Point{At: int64(5+10*k) * second, Value: float64(-2 * k)})
			}
			r.Tracks[i].Clips = append(r.Tracks[i].Clips, c)
		}
	}
	p, err := mix.Compile(r, second, sources)
	require.NoError(b, err)
	pl, err := p.Play(mix.All())
	require.NoError(b, err)
	defer pl.Close()
	enc := audio.Encoder{Coding: audio.S24}
	var out []byte
	for n := int64(10); b.Loop(); n++ {
		from := n * minute % (7000 * second)
		require.NoError(b, pl.Run(context.Background(), from, from+minute, func(blk audio.Block, at int64) error {
			out = enc.Encode(out[:0], blk, at)
			return nil
		}))
	}
	b.ReportMetric(60/(b.Elapsed().Seconds()/float64(b.N)), "×realtime")
}

// Twenty seconds of 24 mono tracks, each with a high-pass, six bands and a compressor, to 12 outputs in 24 bits.
func BenchmarkTreated(b *testing.B) {
	const frames = 960000
	_, sources := strandsOf(b, 24, 1, frames)
	r := console(24, frames, func(i int) string { return fmt.Sprint(i, "/0") })
	for i := range r.Tracks {
		c := &r.Tracks[i].Treat
		c.HighPass = treat.Pass{Hz: 80, Slope: 12}
		for k, hz := range []float64{120, 300, 800, 2000, 5000, 11000} {
			c.Bands[k] = treat.Band{Kind: treat.Bell, Hz: hz, DB: float64(k%3*2 - 3), Q: 1.2}
		}
		c.Compressor = treat.Compressor{Threshold: -24, Ratio: 3, Knee: 6, Attack: 8, Release: 120}
	}
	rendering(b, r, sources, frames)
}
