package survey

import (
	"math"

	"gonum.org/v1/gonum/mat"
)

// Kind says how channels are related.
type Kind string

// Kinds of relation.
const (
	Identical  Kind = "identical"   // A and B hold the same samples
	Inverted   Kind = "inverted"    // B holds A's samples with their sign turned
	Scaled     Kind = "scaled"      // B is A at another level, perhaps inverted
	SameSource Kind = "same_source" // what A hears arrives on B at another time
	Pair       Kind = "pair"        // A and B are alike and level, as two sides of a stereo picture
	Mix        Kind = "mix"         // A is a sum of others
)

// Relation is how two channels, or one and several others, are related. Channels count from 1.
type Relation struct {
	Kind     Kind    `json:"kind"`
	A        int     `json:"a"`
	B        int     `json:"b,omitempty"`
	Of       []Part  `json:"of,omitempty"`       // what a mix is made of
	Delay    int     `json:"delay,omitempty"`    // samples by which B is later than A
	Inverted bool    `json:"inverted,omitempty"` // B has the other polarity
	GainDB   float64 `json:"gain_db,omitempty"`  // of B against A
	RestDB   float64 `json:"rest_db,omitempty"`  // what is left unexplained, against the channel
	Alike    float64 `json:"alike,omitempty"`    // correlation coefficient at no delay, -1 to 1
	Certain  bool    `json:"certain,omitempty"`
}

// Part is one channel's share of a mix.
type Part struct {
	Channel int     `json:"channel"`
	GainDB  float64 `json:"gain_db"`
}

// Limits for what is claimed. A peak of chance in the 2881 lags searched stands out by about 4.5
// standard deviations; rooms and several talkers spread a true one.
const (
	clearPeak    = 9.0
	certainPeak  = 20.0
	clearRival   = 0.7
	pairAlike    = 0.25
	pairTooAlike = 0.999
	pairLevelDB  = 6.0
	pairSeconds  = 0.001
)

func (s *Surveyor) relations(of []Channel) []Relation {
	n := s.channels
	out := []Relation{}
	if n < 2 || s.counted == 0 {
		return out
	}
	cov := mat.NewSymDense(n, nil)
	frames := float64(s.counted)
	for a := range n {
		for b := a; b < n; b++ {
			// About the mean: two empty channels with the same offset are not alike.
			cov.SetSym(a, b, s.square[a*n+b]/frames-s.of[a].offset/frames*(s.of[b].offset/frames))
		}
	}
	use := make([]bool, n)
	for c := range use {
		use[c] = !of[c].Silent() && cov.At(c, c) > 0
	}
	arrivals := s.windows.arrivals(s.rate, use)
	copyOf := make([]bool, n) // the same as a channel before it
	for b := range n {
		for a := range b {
			if !use[a] || !use[b] || copyOf[a] {
				continue
			}
			if r, ok := s.samePair(cov, a, b); ok {
				out = append(out, r)
				copyOf[b] = true
				break
			}
		}
	}
	var distinct []int
	for c := range n {
		if use[c] && !copyOf[c] {
			distinct = append(distinct, c)
		}
	}
	mixed := mixes(cov, distinct)
	out = append(out, mixed...)
	isMix := make([]bool, n)
	for _, m := range mixed {
		isMix[m.A-1] = true
	}
	for i, a := range distinct {
		for _, b := range distinct[i+1:] {
			if isMix[a] || isMix[b] {
				continue
			}
			if r, ok := s.apart(cov, arrivals[a*n+b], a, b); ok {
				out = append(out, r)
			}
		}
	}
	return out
}

// samePair tells whether b is a, exactly or at another level.
func (s *Surveyor) samePair(cov *mat.SymDense, a, b int) (Relation, bool) {
	r := Relation{A: a + 1, B: b + 1, Certain: true}
	switch i := a*s.channels + b; {
	case s.same[i]:
		r.Kind = Identical
		return r, true
	case s.mirror[i]:
		r.Kind, r.Inverted = Inverted, true
		return r, true
	}
	alike := cov.At(a, b) / math.Sqrt(cov.At(a, a)*cov.At(b, b))
	r.RestDB = restDB(max(0, 1-alike*alike))
	if r.RestDB >= ExplainedDB {
		return r, false
	}
	r.Kind, r.Inverted = Scaled, alike < 0
	r.GainDB = 10 * math.Log10(cov.At(b, b)/cov.At(a, a))
	return r, true
}

// apart tells how two channels of different sound are related in time.
func (s *Surveyor) apart(cov *mat.SymDense, v arrival, a, b int) (Relation, bool) {
	r := Relation{A: a + 1, B: b + 1, Delay: v.delay, Inverted: v.sign < 0}
	r.Alike = cov.At(a, b) / math.Sqrt(cov.At(a, a)*cov.At(b, b))
	r.GainDB = 10 * math.Log10(cov.At(b, b)/cov.At(a, a))
	if !v.aligns || v.clear < clearPeak || v.rival > clearRival {
		return r, false
	}
	r.Certain = v.clear >= certainPeak
	together := math.Abs(float64(v.delay)) <= pairSeconds*float64(s.rate)
	if b == a+1 && together && v.sign > 0 && r.Alike >= pairAlike && r.Alike < pairTooAlike && math.Abs(r.GainDB) <= pairLevelDB {
		r.Kind, r.Certain = Pair, false // a pair is never more than likely by its sound alone
		return r, true
	}
	r.Kind = SameSource
	return r, true
}
