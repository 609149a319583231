package loudness

import "math"

// Dialogue is how loud speech is where it sounds, and how loud the mix is there.
type Dialogue struct {
	Speech float64 // LUFS
	Mix    float64 // LUFS, over the same blocks
	Over   float64 // LU by which the mix lies above speech there
	Share  float64 // of the time that is speech, 0 to 1
}

// SpeechInMix finds where stems of speech sound, and measures them and the mix there: blocks of 400 ms that overlap by 75 %
// in which the speech is above -70 LUFS and, of these, above what they come to, less 10 LU, as BS.1770-5 gates. The powers of
// several stems are added up: who speaks in one is not who speaks in another. False where there is no speech.
func SpeechInMix(speech []Powers, mix Powers) (d Dialogue, ok bool) {
	all := make(Powers, len(mix))
	for _, p := range speech {
		for i := range min(len(p), len(all)) {
			all[i] += p[i]
		}
	}
	_, gate := all.Gated()
	over := max(power(absoluteGate), power(gate))
	of, in, n, blocks := 0.0, 0.0, 0, 0
	all.windows(MomentaryPowers, func(end int, mean float64) {
		blocks++
		if mean <= over {
			return
		}
		n++
		of += mean
		for _, v := range mix[end-MomentaryPowers+1 : end+1] {
			in += v / MomentaryPowers
		}
	})
	if n == 0 {
		return d, false
	}
	d = Dialogue{Speech: lufs(of / float64(n)), Mix: lufs(in / float64(n)), Share: float64(n) / float64(blocks)}
	d.Over = d.Mix - d.Speech
	return d, !math.IsInf(d.Mix, -1)
}
