package loudness

import (
	"math"
	"slices"
)

// PowersPerSecond is how many powers there are of a second.
const PowersPerSecond = 10

// Windows of the meters of EBU Tech 3341, in powers.
const (
	MomentaryPowers = 4  // 400 ms
	ShortTermPowers = 30 // 3 s
)

// Gates (BS.1770-5, EBU Tech 3342).
const (
	absoluteGate  = -70.0 // LUFS
	relativeGate  = -10.0 // LU, of integrated loudness
	rangeGate     = -20.0 // LU, of the loudness range
	rangeFrom     = 0.10  // of all short-term values that pass
	rangeTo       = 0.95
	loudnessShift = -0.691
)

// Powers are the K-weighted mean squares of a sound, summed over its channels by their weights: one for each tenth of a
// second, whole ones only. All loudness is made of them.
type Powers []float64

// lufs is the loudness of a power, -Inf for none.
func lufs(power float64) float64 { return loudnessShift + 10*math.Log10(power) }

func power(lufs float64) float64 { return math.Pow(10, (lufs-loudnessShift)/10) }

// windows calls fn with the mean of each run of n powers in order, at the index of the last.
func (p Powers) windows(n int, fn func(end int, mean float64)) {
	if n < 1 || len(p) < n {
		return
	}
	// A running sum would carry what has been loud into what is quiet: sums are made anew, from sums of pieces.
	for i := n; i <= len(p); i++ {
		sum := 0.0
		for _, v := range p[i-n : i] {
			sum += v
		}
		fn(i-1, sum/float64(n))
	}
}

// At is the loudness of the n powers that end with one, in LUFS: momentary with MomentaryPowers, short-term with
// ShortTermPowers. It is not known, -Inf, before there are as many.
func (p Powers) At(end, n int) float64 {
	if end-n+1 < 0 || end >= len(p) {
		return math.Inf(-1)
	}
	sum := 0.0
	for _, v := range p[end-n+1 : end+1] {
		sum += v
	}
	return lufs(sum / float64(n))
}

// Max is the greatest loudness of n powers in a row, and the index of the last of them; -Inf where there are not as many.
func (p Powers) Max(n int) (loudest float64, end int) {
	most := 0.0
	p.windows(n, func(i int, mean float64) {
		if mean > most {
			most, end = mean, i
		}
	})
	return lufs(most), end
}

// Integrated is the gated loudness of the whole in LUFS: blocks of 400 ms that overlap by 75 %, those above -70 LUFS, and
// of these those above what they come to, less 10 LU. It is -Inf where nothing passes.
func (p Powers) Integrated() float64 {
	i, _ := p.Gated()
	return i
}

// Gated is Integrated, and the relative gate in LUFS.
func (p Powers) Gated() (integrated, gate float64) {
	mean := func(over float64) float64 {
		sum, n := 0.0, 0
		p.windows(MomentaryPowers, func(_ int, v float64) {
			if v > over {
				sum += v
				n++
			}
		})
		if n == 0 {
			return 0
		}
		return sum / float64(n)
	}
	first := mean(power(absoluteGate))
	gate = lufs(first) + relativeGate
	return lufs(mean(max(power(absoluteGate), power(gate)))), gate
}

// Range is the loudness range in LU (EBU Tech 3342), and the short-term values in LUFS between which it lies. It is not
// known, and ok false, where no short-term value passes its gates.
func (p Powers) Range() (lu, low, high float64, ok bool) {
	var passed []float64
	sum := 0.0
	p.windows(ShortTermPowers, func(_ int, v float64) {
		if v > power(absoluteGate) {
			passed = append(passed, v)
			sum += v
		}
	})
	if len(passed) == 0 {
		return 0, 0, 0, false
	}
	gate := power(lufs(sum/float64(len(passed))) + rangeGate)
	passed = slices.DeleteFunc(passed, func(v float64) bool { return v < gate })
	slices.Sort(passed)
	at := func(share float64) float64 {
		return lufs(passed[int(math.Round(float64(len(passed)-1)*share))])
	}
	low, high = at(rangeFrom), at(rangeTo)
	return high - low, low, high, true
}
