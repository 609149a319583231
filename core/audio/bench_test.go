package audio_test

import (
	"testing"

	"zestyloom/core/audio"
)

func BenchmarkAddLevels(b *testing.B) {
	raw := noise(8*3*1<<15, 1)
	levels := make([]audio.Level, 8)
	b.SetBytes(int64(len(raw)))
	for b.Loop() {
		audio.AddLevels(levels, raw, audio.S24)
	}
}

func BenchmarkEncode(b *testing.B) {
	blk := audio.NewBlock(6, 1<<14)
	for c := range blk {
		for i := range blk[c] {
			blk[c][i] = float64(i%1000) / 3000
		}
	}
	var out []byte
	for _, dither := range []bool{false, true} {
		name := "rounded"
		if dither {
			name = "dithered"
		}
		b.Run(name, func(b *testing.B) {
			e := audio.Encoder{Coding: audio.S24, Dither: dither}
			b.SetBytes(6 * 3 << 14)
			for b.Loop() {
				out = e.Encode(out[:0], blk, 0)
			}
		})
	}
}
