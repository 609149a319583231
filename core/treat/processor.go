package treat

import (
	"math"
)

// Processor does what a chain says to a sound, block by block. What comes out at a place is a function of the sound and the
// place alone, bit for bit, wherever one began and however the span was cut: in every cell of samples the filters begin anew,
// so far before it that what lies further back counts for nothing any more. It is not safe for concurrent use.
type Processor struct {
	settings
	at   int64  // the place that comes next
	now  *state // of the cell that at lies in; nil where it did not begin in time
	next *state // of the cell after it, once it has begun
}

// settings are what is worked out of a chain once.
type settings struct {
	sections       []section
	glides         []*glide // beside each section, the filter in its place where that moves; nil where none does
	ess            *shelf   // what the de-esser turns down
	de, gate, comp *riding
	settle, cell   int64
	most           float64 // see Most
	channels       int
}

// known are the settings of chains that were asked for lately: fitting filters takes a millisecond each, and a chain is asked
// for by every program, reader and fingerprint that it is in.
var known = lately[asked, settings]{most: 1024}

type asked struct {
	chain Chain
	rate  int
}

// settingsOf are a chain's, without its channels. What they point to is never changed.
func settingsOf(c Chain, rate int) settings {
	return known.of(asked{c, rate}, func() settings { return newSettings(c, nil, rate) })
}

// Decays, in time constants: filters until what was before is 180 dB down, gains until they are within a millionth of
// where they would be.
const (
	filterDecay = 20.8
	gainDecay   = 14
	leastCell   = 1 << 16
	flushEvery  = 1 << 12 // at multiples of it, what has died away is made zero
	dead        = 1e-30
)

// NewProcessor prepares a chain for so many channels at a sample rate.
func NewProcessor(c Chain, channels, rate int) *Processor {
	s := settingsOf(c, rate)
	s.channels = channels
	return &Processor{settings: s, at: -1 << 62}
}

// NewMoving prepares a chain of which some figures move over time: places are counted as those of their curves are.
func NewMoving(c Chain, m Moves, channels, rate int) *Processor {
	if m = m.Of(c); m == nil {
		return NewProcessor(c, channels, rate)
	}
	s := newSettings(c, m, rate)
	s.channels = channels
	return &Processor{settings: s, at: -1 << 62}
}

func newSettings(c Chain, m Moves, rate int) settings {
	var s settings
	s.sections, s.glides = c.filters(m, rate)
	decays := make([]int64, len(s.sections))
	for i, x := range s.sections {
		decays[i] = x.decay()
		if s.glides != nil && s.glides[i] != nil {
			for _, row := range s.glides[i].rows {
				decays[i] = max(decays[i], row.decay())
			}
		}
	}
	s.settle = together(decays)
	ride := func(gain func(float64) float64, down, back, makeup float64) *riding {
		s.settle += int64(math.Ceil(gainDecay*max(down, back)/1000*float64(rate))) + 2*grain
		return newRiding(gain, down, back, makeup, rate)
	}
	threshold := func(r *riding, key string, rest float64) *riding {
		r.moves, r.rest = m[key], rest
		return r
	}
	if d := c.DeEsser; !c.Off && d != (DeEsser{}) && 2*d.Hz < float64(rate) {
		s.ess = newShelf(d.Hz, rate)
		s.settle += section{a1: s.ess.a1, a2: s.ess.a2}.decay()
		s.de = threshold(ride(d.Gain, d.Attack, d.Release, 0), "de_esser", d.Threshold)
	}
	if e := c.Expander; !c.Off && e != (Expander{}) {
		s.gate = threshold(ride(e.Gain, e.Release, e.Attack, 0), "expander", e.Threshold)
	}
	if k := c.Compressor; !c.Off && k != (Compressor{}) {
		s.comp = threshold(ride(k.Gain, k.Attack, k.Release, k.Makeup), "compressor", k.Threshold)
	}
	s.cell = cellOf(s.settle)
	s.most = s.bound()
	return s
}

// together is how long sections ring, of which each by itself rings so long: those that ring as long as each other ring a little
// longer together.
func together(decays []int64) int64 {
	longest, all := int64(0), int64(0)
	for _, d := range decays {
		longest, all = max(longest, d), all+d
	}
	return longest + all/8
}

// cellOf is how long a cell is of what settles in so many samples.
func cellOf(settle int64) int64 {
	cell := int64(leastCell)
	for cell < 2*settle {
		cell *= 2
	}
	return cell
}

// Settle is after how many samples what was heard before counts for nothing any more in what comes out.
func (p *Processor) Settle() int64 { return p.settle }

// Next is the place that comes next where nothing begins anew.
func (p *Processor) Next() int64 { return p.at }

// Reach is from where on a sound must have been heard, without a gap, for what comes out at a place to be right.
func (p *Processor) Reach(at int64) int64 {
	begin := at / p.cell * p.cell
	return max(0, begin-p.settle)
}

// Reduction is by how many dB de-esser, expander and compressor turn down at the end of what was treated last, 0 or less: the
// de-esser what lies above its frequency, the compressor without what is made up.
func (p *Processor) Reduction() (deEsser, expander, compressor float64) {
	if p.now == nil {
		return 0, 0, 0
	}
	return p.now.de.db, p.now.gate.db, p.now.comp.db
}

// Most bounds how far what comes out can go beyond what goes in, as a factor: the sum of the magnitudes of the filters'
// impulse response, times the gain that is made up.
func (p *Processor) Most() float64 { return p.most }

func (s *settings) bound() float64 {
	most := 1.0
	for i, x := range s.sections {
		if s.glides == nil || s.glides[i] == nil {
			most *= x.sum()
			continue
		}
		greatest := 0.0
		for _, row := range s.glides[i].rows {
			greatest = max(greatest, row.sum())
		}
		most *= greatest * glideMargin
	}
	if s.comp != nil {
		most *= s.comp.makeup
	}
	if s.de != nil { // the sound, less a part of two of its parts, of which neither goes beyond it by more
		most *= 1 + 2*Overshoot
	}
	return most
}

// state is what a chain remembers.
type state struct {
	z              [][][2]float64 // by channel and section
	ess            [][2]float64   // by channel
	de, gate, comp rider
	quiet          bool // nothing has sounded yet: all of it is as it began
}

func (s *settings) fresh() *state {
	st := &state{z: make([][][2]float64, s.channels), ess: make([][2]float64, s.channels), quiet: true}
	for c := range st.z {
		st.z[c] = make([][2]float64, len(s.sections))
	}
	for _, k := range []struct {
		r  *riding
		to *rider
	}{{s.de, &st.de}, {s.gate, &st.gate}, {s.comp, &st.comp}} {
		if k.r != nil {
			*k.to = k.r.fresh()
		}
	}
	return st
}

// Apply treats a block that lies at a place, at 0 or after, in place: all channels are as long as each other. A block that does
// not go on where the one before it ended begins anew; see Reach.
func (p *Processor) Apply(x [][]float64, at int64) {
	if at != p.at {
		p.now, p.next = nil, nil
	}
	n := len(x[0])
	part := make([][]float64, len(x))
	var ahead [][]float64
	for done := 0; done < n; {
		here := at + int64(done)
		begin := here / p.cell * p.cell
		end := begin + p.cell
		warm := end - p.settle
		if here == begin {
			if p.now = p.next; here == 0 {
				p.now = p.fresh()
			}
			p.next = nil
		}
		if here == warm {
			p.next = p.fresh()
		}
		stop := min(at+int64(n), end, (here/flushEvery+1)*flushEvery)
		if here < warm {
			stop = min(stop, warm)
		}
		for c := range x {
			part[c] = x[c][done : done+int(stop-here)]
		}
		if p.next != nil { // what comes out of it does not count yet
			if ahead == nil {
				ahead = make([][]float64, len(x))
			}
			for c := range part {
				ahead[c] = append(ahead[c][:0], part[c]...)
			}
			p.next.run(&p.settings, ahead, here)
		}
		if p.now != nil {
			p.now.run(&p.settings, part, here)
		}
		done += len(part[0])
	}
	p.at = at + int64(n)
}

// run treats a stretch within which nothing begins anew.
func (st *state) run(s *settings, x [][]float64, at int64) {
	if st.quiet {
		st.quiet = !sounds(x)
		if st.quiet && s.gate == nil { // an expander goes down in silence, too
			return
		}
	}
	for c := range x {
		z := st.z[c]
		k := 0
		for ; s.glides != nil && k < len(s.sections); k++ {
			if g := s.glides[k]; g != nil {
				g.run(x[c], &z[k], at)
			} else {
				single(x[c], &s.sections[k], &z[k])
			}
		}
		for ; k+1 < len(s.sections); k += 2 {
			pair(x[c], &s.sections[k], &s.sections[k+1], &z[k], &z[k+1])
		}
		if k < len(s.sections) {
			single(x[c], &s.sections[k], &z[k])
		}
	}
	if s.de != nil {
		st.deEss(s, x, at)
	}
	if s.gate != nil {
		ride(s.gate, &st.gate, x, at)
	}
	if s.comp != nil {
		ride(s.comp, &st.comp, x, at)
	}
	if (at+int64(len(x[0])))%flushEvery == 0 {
		for c := range st.z {
			for k := range st.z[c] {
				flush(&st.z[c][k])
			}
			flush(&st.ess[c])
		}
	}
}

func sounds(x [][]float64) bool {
	for _, ch := range x {
		for _, v := range ch {
			if v != 0 {
				return true
			}
		}
	}
	return false
}

func flush(z *[2]float64) {
	if math.Abs(z[0]) < dead && math.Abs(z[1]) < dead {
		*z = [2]float64{}
	}
}

// single filters samples in place (transposed direct form II). Products are rounded on their own, so that every machine gives
// the same bits.
func single(x []float64, f *section, z *[2]float64) {
	b0, b1, b2, a1, a2 := f.b0, f.b1, f.b2, f.a1, f.a2
	z1, z2 := z[0], z[1]
	for i, v := range x {
		y := float64(b0*v) + z1
		z1 = float64(b1*v) + z2 - float64(a1*y)
		z2 = float64(b2*v) - float64(a2*y)
		x[i] = y
	}
	z[0], z[1] = z1, z2
}

// pair is two of them, the one after the other, in one pass.
func pair(x []float64, f, g *section, zf, zg *[2]float64) {
	b0, b1, b2, a1, a2 := f.b0, f.b1, f.b2, f.a1, f.a2
	d0, d1, d2, c1, c2 := g.b0, g.b1, g.b2, g.a1, g.a2
	p1, p2, q1, q2 := zf[0], zf[1], zg[0], zg[1]
	for i, v := range x {
		y := float64(b0*v) + p1
		p1 = float64(b1*v) + p2 - float64(a1*y)
		p2 = float64(b2*v) - float64(a2*y)
		w := float64(d0*y) + q1
		q1 = float64(d1*y) + q2 - float64(c1*w)
		q2 = float64(d2*y) - float64(c2*w)
		x[i] = w
	}
	zf[0], zf[1], zg[0], zg[1] = p1, p2, q1, q2
}

// ride turns samples up and down by what all channels come to.
func ride(r *riding, s *rider, x [][]float64, at int64) {
	for i, n := 0, len(x[0]); i < n; {
		first := int((at + int64(i)) % grain)
		k := min(n-i, grain-first)
		step := (s.to - s.from) / grain
		for _, ch := range x {
			part := ch[i : i+k]
			for j, v := range part {
				s.peak = max(s.peak, math.Abs(v))
				part[j] = float64(v * (s.from + float64(step*float64(first+j))))
			}
		}
		if i += k; first+k == grain {
			r.turn(s, at+int64(i))
		}
	}
}

// shelf splits what lies above a frequency off: s²/D and √2ws/D, of D = s² + √2ws + w², by the bilinear transform. The sound
// less (1-g) of the one and (1-√g) of the other is a shelf of second order with the gain g above w, for any g, at any moment.
type shelf struct {
	n, band, a1, a2 float64
}

func newShelf(hz float64, rate int) *shelf {
	k := math.Tan(math.Pi * hz / float64(rate))
	n := 1 / (1 + math.Sqrt2*k + k*k)
	return &shelf{n, math.Sqrt2 * k, 2 * (k*k - 1) * n, (1 - math.Sqrt2*k + k*k) * n}
}

// deEss takes of what lies above its frequency as much out as its gain says.
func (st *state) deEss(s *settings, x [][]float64, at int64) {
	r, f := &st.de, s.ess
	for i, n := 0, len(x[0]); i < n; {
		first := int((at + int64(i)) % grain)
		k := min(n-i, grain-first)
		step := (r.to - r.from) / grain
		for c, ch := range x {
			z := &st.ess[c]
			part := ch[i : i+k]
			for j, v := range part {
				w := float64(v*f.n) - float64(f.a1*z[0]) - float64(f.a2*z[1])
				high, band := w-2*z[0]+z[1], float64(f.band*(w-z[1]))
				z[1], z[0] = z[0], w
				r.peak = max(r.peak, math.Abs(high))
				g := r.from + float64(step*float64(first+j))
				part[j] = v - float64((1-g)*high) - float64((1-math.Sqrt(g))*band)
			}
		}
		if i += k; first+k == grain {
			s.de.turn(r, at+int64(i))
		}
	}
}
