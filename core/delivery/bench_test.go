package delivery_test

import (
	"context"
	"fmt"
	"math/rand/v2"
	"os"
	"path/filepath"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"zestyloom/core/audio"
	"zestyloom/core/delivery"
	"zestyloom/core/loudness"
	"zestyloom/core/mix"
	"zestyloom/core/reel"
	"zestyloom/core/source"
	"zestyloom/core/wave"
	"zestyloom/core/weave"
)

// BenchmarkDelivery makes and proves a delivery of 24 mono tracks as three stereo stems and three mixes, twelve outputs of 24
// bits, with loudness and true peak of all of them, and says how many times real time that is.
func BenchmarkDelivery(b *testing.B) {
	plan, o, _ := day(b)
	for b.Loop() {
		made(b, plan, o)
	}
	b.ReportMetric(seconds*float64(b.N)/b.Elapsed().Seconds(), "x-real-time")
}

const seconds = 300

// day is that order, and the file that its sound is in.
func day(b *testing.B) (delivery.Plan, delivery.Options, string) {
	b.Helper()
	const tracks = 24
	dir := b.TempDir()
	rnd := rand.New(rand.NewPCG(24, 12))
	path := filepath.Join(dir, "take.wav")
	file, err := os.Create(path)
	require.NoError(b, err)
	w, err := wave.NewWriter(file, wave.Options{Format: wave.Format{Coding: audio.S24, SampleRate: 48000, Channels: tracks}})
	require.NoError(b, err)
	raw := make([]byte, 48000*tracks*3)
	for range seconds {
		for i := 0; i < len(raw); i += 3 {
			v := int32(rnd.IntN(1<<17) - 1<<16)
			raw[i], raw[i+1], raw[i+2] = byte(v), byte(v>>8), byte(v>>16)
		}
		_, err = w.Write(raw)
		require.NoError(b, err)
	}
	require.NoError(b, w.Close())
	require.NoError(b, file.Close())
	r := reel.New()
	first := int64(start)
	r.Start = &first
	r.Weave = weave.Weave{Sends: map[string][]weave.Send{}}
	for _, stem := range []string{"DX", "MX", "FX"} {
		r.Weave.Buses = append(r.Weave.Buses, weave.Bus{ID: stem, Name: stem, Role: weave.Stem, Kind: stem, Layout: "stereo"})
	}
	for i, m := range [][]string{{"DX", "MX", "FX"}, {"MX", "FX"}, {"DX", "MX"}} {
		id := fmt.Sprint("M", i)
		r.Weave.Buses = append(r.Weave.Buses, weave.Bus{ID: id, Name: "Mix " + id, Role: weave.Mix, Layout: "stereo"})
		for _, from := range m {
			r.Weave.Sends[from] = append(r.Weave.Sends[from], weave.Send{To: id})
		}
	}
	for i := range tracks {
		id := fmt.Sprint("t", i)
		r.Tracks = append(r.Tracks, reel.Track{ID: id, Label: id, Layout: "mono", Clips: []reel.Clip{{ID: "c" + id, Strands: []string{id}, At: first, Length: seconds * 48000}}})
		r.Weave.Sends[id] = []weave.Send{{To: []string{"DX", "MX", "FX"}[i%3], GainDB: -3, Patch: weave.Patch{Preset: weave.Pan, Law: -3, Position: float64(i-12) / 12}}}
	}
	s := custom(delivery.FileRule{Each: delivery.EachStem, Container: "wav", Name: "{stem}"}, delivery.FileRule{Each: delivery.EachMix, Container: "wav", Name: "{bus}"})
	s.Limits = []delivery.Asked{{Of: "all", Limits: loudness.Limits{Name: "any", TruePeak: new(float64)}}}
	plan, err := delivery.Make(delivery.Order{Spec: s}, r, pal, 48000)
	require.NoError(b, err)
	o := delivery.Options{Sources: func(id string) (mix.Source, error) {
		var n int
		_, err := fmt.Sscanf(id, "t%d", &n)
		return mix.Source{Path: path, Channel: n}, err
	}}
	return plan, o, path
}

// made writes it and proves it.
func made(b *testing.B, plan delivery.Plan, o delivery.Options) {
	b.Helper()
	out := b.TempDir()
	written, err := delivery.Write(context.Background(), plan, out, o)
	require.NoError(b, err)
	proof, err := delivery.Prove(context.Background(), plan, out, delivery.Options{Sources: o.Sources, Hashes: written.Hashes})
	require.NoError(b, err)
	require.Empty(b, proof.Failures())
	require.NoError(b, os.RemoveAll(out))
}

// BenchmarkCompared is by how much longer the same takes where every block that is read is compared with what it was at intake: both
// are made in turn, so that what else the machine does counts for both.
func BenchmarkCompared(b *testing.B) {
	plan, o, path := day(b)
	sums, err := source.HashFile(path)
	require.NoError(b, err)
	known := &source.Known{Name: "take.wav", Sums: &sums}
	compared := o
	compared.Sources = func(id string) (mix.Source, error) {
		s, err := o.Sources(id)
		s.Known = known
		return s, err
	}
	var plain, with time.Duration
	for n := 0; b.Loop(); n++ {
		began := time.Now()
		made(b, plan, o)
		between := time.Now()
		made(b, plan, compared)
		plain, with = plain+between.Sub(began), with+time.Since(between)
	}
	b.ReportMetric(100*(with.Seconds()/plain.Seconds()-1), "%-longer")
}
