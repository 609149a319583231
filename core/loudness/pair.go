package loudness

import "math"

// pair sums the products of the two channels of a pair, as they are and K-weighted.
type pair struct {
	left, right   int
	ll, rr, lr    float64
	kll, krr, klr float64
}

func (p *pair) add(l, r, kl, kr []float64) {
	r, kl, kr = r[:len(l)], kl[:len(l)], kr[:len(l)]
	var ll, rr, lr, kll, krr, klr float64
	for i, a := range l {
		b := r[i]
		ll += a * a
		rr += b * b
		lr += a * b
		a, b = kl[i], kr[i]
		kll += a * a
		krr += b * b
		klr += a * b
	}
	if v := ll + rr + lr; v-v != 0 {
		return // something that is no number
	}
	p.ll, p.rr, p.lr, p.kll, p.krr, p.klr = p.ll+ll, p.rr+rr, p.lr+lr, p.kll+kll, p.krr+krr, p.klr+klr
}

// correlation is that of both sides, -1 to 1; not known where one is silent.
func (p *pair) correlation() (float64, bool) {
	if p.ll <= 0 || p.rr <= 0 {
		return 0, false
	}
	return max(-1, min(1, p.lr/math.Sqrt(p.ll*p.rr))), true
}

// monoLoss is by how many LU a sum of both sides at -3 dB each is quieter than the pair: 0 where they are the same, 3
// where they have nothing in common, and without end where they are opposite.
func (p *pair) monoLoss() (float64, bool) {
	pair, mono := p.kll+p.krr, (p.kll+p.krr)/2+p.klr
	if pair <= 0 {
		return 0, false
	}
	return 10 * math.Log10(pair/max(mono, pair*1e-12)), true
}
