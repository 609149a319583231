package render_test

import (
	"context"
	"os"
	"path/filepath"
	"strconv"
	"testing"

	"zestyloom/core/audio"
	"zestyloom/core/reel"
	"zestyloom/core/render"
	"zestyloom/core/wave"
	"zestyloom/core/weave"
)

// Ten seconds of eight tracks of one poly file to six outputs, with gains; bytes are those of the
// output at 24 bits.
func BenchmarkRender(b *testing.B) {
	const frames = 480000
	path := filepath.Join(b.TempDir(), "x.wav")
	f, err := os.Create(path)
	if err != nil {
		b.Fatal(err)
	}
	w, err := wave.NewWriter(f, wave.Options{Format: wave.Format{Coding: audio.S24, SampleRate: 48000, Channels: 8}})
	if err != nil {
		b.Fatal(err)
	}
	raw := make([]byte, frames*24)
	for i := range raw {
		raw[i] = byte(i * 31)
	}
	if _, err := w.Write(raw); err != nil {
		b.Fatal(err)
	}
	if err := w.Close(); err != nil {
		b.Fatal(err)
	}
	r := reel.New()
	for c := range 8 {
		id := strconv.Itoa(c)
		r.Tracks = append(r.Tracks, reel.Track{ID: id, Label: id, Clips: []reel.Clip{{ID: id, Strand: id, Length: frames}}})
		r.Weave.Routes[id] = weave.Route{Stem: []string{"DX", "MX", "FX"}[c%3], GainDB: -6, Position: weave.BothMinus}
	}
	resolve := func(s string) (render.Place, error) {
		c, err := strconv.Atoi(s)
		return render.Place{Path: path, Channel: c}, err
	}
	b.SetBytes(frames * 18)
	for b.Loop() {
		n := render.New(r, 48000, resolve)
		enc := audio.Encoder{Coding: audio.S24}
		var out []byte
		err := n.Each(context.Background(), 0, frames, func(blk audio.Block, at int64) error {
			out = enc.Encode(out[:0], blk, at)
			return nil
		})
		n.Close()
		if err != nil {
			b.Fatal(err)
		}
	}
}
