package poly

import "testing"

// One block of eight channels of 24 bits, to mono and back.
func BenchmarkPickAndPlace(b *testing.B) {
	const frames = 1 << 20 / 24
	src, mono := make([]byte, frames*24), make([]byte, frames*3)
	b.Run("pick", func(b *testing.B) {
		b.SetBytes(frames * 24)
		for b.Loop() {
			for c := range 8 {
				pick(mono, src, 3, 8, []int{c})
			}
		}
	})
	b.Run("place", func(b *testing.B) {
		b.SetBytes(frames * 24)
		for b.Loop() {
			for c := range 8 {
				place(src, mono, 3, 8, []int{c}, true)
			}
		}
	})
}
