package waveform

import "math"

// Draw draws frames [from, to) of a sound of a length in n columns from its samples: the extent of
// the sound in each. Columns beyond it are {0, 0}; one narrower than a sample shows the one it lies
// in. read fills its buffer with the samples from a frame on; it is asked in order, for parts.
func Draw(from, to, frames int64, n int, read func(dst []float64, frame int64) error) ([]Pair, error) {
	out := make([]Pair, n)
	block := make([]float64, min(1<<16, max(0, frames)))
	var held int64 // frame of block[0]
	var have []float64
	sample := func(at int64) (float64, error) {
		if at < held || at >= held+int64(len(have)) {
			held = at
			have = block[:min(int64(len(block)), frames-at)]
			if err := read(have, at); err != nil {
				return 0, err
			}
		}
		return have[at-held], nil
	}
	for i := range out {
		a := from + (to-from)*int64(i)/int64(n)
		b := max(from+(to-from)*int64(i+1)/int64(n), a+1)
		lo, hi := math.Inf(1), math.Inf(-1)
		for at := max(a, 0); at < min(b, frames); at++ {
			v, err := sample(at)
			if err != nil {
				return nil, err
			}
			lo, hi = min(lo, v), max(hi, v)
		}
		if lo <= hi {
			out[i] = Pair{hold(math.Floor(lo * Scale)), hold(math.Ceil(hi * Scale))}
		}
	}
	return out, nil
}
