package survey

import (
	"math"
	"slices"

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
	Delay    int     `json:"delay,omitempty"`    // samples by which B is later than A, or a mix than its members
	Inverted bool    `json:"inverted,omitempty"` // B has the other polarity
	GainDB   float64 `json:"gain_db,omitempty"`  // of B against A
	RestDB   float64 `json:"rest_db,omitempty"`  // what is left unexplained, against the channel
	Alike    float64 `json:"alike,omitempty"`    // correlation coefficient at no delay, -1 to 1
	Certain  bool    `json:"certain,omitempty"`
	RideDB   float64 `json:"ride_db,omitempty"` // between the lowest and the highest gain of the member of a mix that moves most
	Limited  bool    `json:"limited,omitempty"` // a mix whose peaks a limiter takes down
	Agree    float64 `json:"agree,omitempty"`   // share of the moments in which both sound that bear it out
}

// Part is one channel's share of a mix.
type Part struct {
	Channel  int     `json:"channel"`
	GainDB   float64 `json:"gain_db"`
	Inverted bool    `json:"inverted,omitempty"`
}

// Limits for what is claimed. A peak of chance in the 2881 lags searched stands out by about 4.5
// standard deviations; rooms and several talkers spread a true one.
const (
	clearPeak    = 9.0
	certainPeak  = 20.0
	clearRival   = 0.7
	someAgree    = 0.25 // of the moments that sound, how many must bear a delay out; by chance 1 in 120 does
	mostAgree    = 0.5  // and how many for it to be certain
	fewMoments   = 4
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
		if use[c] && !copyOf[c] && len(distinct) < maxRelated {
			distinct = append(distinct, c)
		}
	}
	for c := range use {
		use[c] = slices.Contains(distinct, c)
	}
	if len(distinct) < 2 {
		return out
	}
	arrivals := s.windows.arrivals(s.rate, use, s.over)
	mixed := mixes(cov, distinct, s.first)
	isMix := make([]bool, n)
	for _, m := range mixed {
		isMix[m.A-1] = true
	}
	mixed = append(mixed, s.riddenMixes(cov, arrivals, distinct, isMix)...)
	slices.SortFunc(mixed, func(a, b Relation) int { return a.A - b.A })
	out = append(out, mixed...)
	for i, a := range distinct {
		for _, b := range distinct[i+1:] {
			if s.over() {
				return out
			}
			if isMix[a] || isMix[b] {
				continue
			}
			if r, ok := s.apart(cov, arrivals.of(a, b), a, b); ok {
				out = append(out, r)
			}
		}
	}
	return out
}

// maxRelated is how many channels are compared in time and taken for members of mixes: the first that sound and
// are no copies. Recordings of more are of no microphones that anybody set up together, and pairs grow with
// the square.
const maxRelated = 64

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
	agree, moments := s.windows.agreement(s.rate, v, a, b)
	if agree < someAgree || moments >= fewMoments && agree*float64(moments) < 2.5 {
		return r, false // as of one click that both hear
	}
	r.Agree = agree
	r.Certain = v.clear >= certainPeak && agree > mostAgree && moments >= fewMoments
	together := math.Abs(float64(v.delay)) <= pairSeconds*float64(s.rate)
	if b == a+1 && together && v.sign > 0 && r.Alike >= pairAlike && r.Alike < pairTooAlike && math.Abs(r.GainDB) <= pairLevelDB {
		r.Kind, r.Certain = Pair, false // a pair is never more than likely by its sound alone
		return r, true
	}
	r.Kind = SameSource
	return r, true
}
