package meter

import "math"

// Peaks reads one channel for its greatest levels: of the samples, between them, and on a programme meter. It computes
// what lies between samples only where that could be a new greatest level, and reads what it would if it computed all.
type Peaks struct {
	ppm     *quasi    // nil where it is not read
	x       []float64 // the last peakTaps samples, and then those that are added
	middles []float64
	frames  int64 // added
	flushed bool
	block   float64 // the greatest magnitude of a sample of those that were taken last

	Sample  float64 // the greatest magnitude of a sample, full scale 1
	True    float64 // the greatest magnitude between samples
	TrueAt  int64   // the sample next to it
	Quasi   float64 // the greatest reading of a type IIa meter, as Programme.Add gives it
	Invalid int64   // samples that are no numbers, which count as silence
	Sum     float64 // of the samples, for their DC offset
}

// NewPeaks makes a reader for a sample rate in Hz.
func NewPeaks(rate int) *Peaks {
	return &Peaks{ppm: newQuasi(rate), x: make([]float64, peakTaps, 1<<13)}
}

// WithoutProgramme leaves the programme meter out: Quasi stays 0.
func (p *Peaks) WithoutProgramme() *Peaks {
	p.ppm = nil
	return p
}

// late is how many samples Peaks is behind: those that an interpolated value needs after it.
const late = peakTaps / 2

// Mark forgets what was read, but for the state that it left the meters in.
func (p *Peaks) Mark() {
	p.Sample, p.True, p.TrueAt, p.Quasi, p.Invalid, p.Sum, p.frames = 0, 0, 0, 0, 0, 0, 0
}

// Add takes samples into account, and returns the greatest true peak among them, late by 24 samples: exactly where it is
// above floor or a new greatest, else it may be given as less than it is. A floor of +Inf asks for the greatest alone.
func (p *Peaks) Add(samples []float64, floor float64) float64 {
	most := 0.0
	for len(samples) > 0 {
		n := min(len(samples), 1<<12)
		most = max(most, p.add(samples[:n], floor))
		samples = samples[n:]
	}
	return most
}

// End takes what the interpolator is behind into account: silence follows. The peak of that is returned.
func (p *Peaks) End(floor float64) float64 {
	if p.flushed {
		return 0
	}
	p.flushed = true
	frames := p.frames
	most := p.add(make([]float64, late), floor)
	p.frames = frames
	return most
}

func (p *Peaks) add(samples []float64, floor float64) float64 {
	x, mid := p.take(samples)
	most := p.peak(x, mid, floor)
	if p.ppm != nil {
		p.Quasi = max(p.Quasi, p.ppm.add(x, mid))
	}
	p.keep(len(samples))
	return most
}

// take puts samples after those that were kept, and gives about the values in the middle between them. Interval i of those that
// are now known is from x[i+24] to x[i+25]: 24 samples stand on either side.
func (p *Peaks) take(samples []float64) (x, mid []float64) {
	p.x = append(p.x[:peakTaps], samples...)
	x = p.x
	sum, top := 0.0, 0.0
	for i, v := range x[peakTaps:] {
		a := math.Abs(v)
		if !(a <= top) { // louder, or no number
			if !(a <= math.MaxFloat64) {
				x[peakTaps+i], v, a = 0, 0, top
				p.Invalid++
			}
			top = a
		}
		sum += v
	}
	p.block, p.Sample, p.Sum = top, max(p.Sample, top), p.Sum+sum
	if cap(p.middles) < len(samples) {
		p.middles = make([]float64, 1<<12)
	}
	mid = p.middles[:len(samples)]
	middles(mid, x[1+late-roughTaps/2:])
	return x, mid
}

// keep drops all but the last samples.
func (p *Peaks) keep(n int) {
	copy(p.x, p.x[n:])
	p.x = p.x[:peakTaps]
	p.frames += int64(n)
}

// nearby is how far below a peak one of the values two a sample lies at least, next to it: for a sound up to 0.45 of
// the rate that has its greatest magnitude there it is cos(0.225π) = 0.76, of which the rough middles keep 0.84. (A
// band-limited function falls from its greatest value no faster than a cosine of the highest frequency: Duffin and
// Schaeffer 1938.)
const nearby = 0.6

// interval is the greatest magnitude of an interval, and to which of its ends it is nearer: 0 or 1.
func interval(x []float64, i int) (peak float64, end int) {
	// From the last place before the interval to its end: a peak at the very sample has both its neighbours.
	w := (*[peakTaps]float64)(x[i+1:])
	var v places
	v[0] = math.Abs(between((*[peakTaps]float64)(x[i:]), peakPlaces-1))
	for k := range peakPlaces {
		v[k+1] = math.Abs(between(w, k))
	}
	v[peakPlaces+1] = math.Abs(x[i+late+1])
	return v.top()
}

// places are the magnitudes of an interval: at the last place before it, at each of its places, and at the sample that ends it.
type places [peakPlaces + 2]float64

// top is the greatest magnitude, by the parabolas through three of them, and to which end it is nearer.
func (v *places) top() (peak float64, end int) {
	peak = v[1]
	if v[peakPlaces+1] > peak {
		peak, end = v[peakPlaces+1], 1
	}
	for k := 1; k <= peakPlaces; k++ {
		if v[k] < v[k-1] || v[k] < v[k+1] {
			continue
		}
		// The top of the parabola through three values.
		t := v[k]
		if bend := v[k-1] - 2*v[k] + v[k+1]; bend < 0 {
			d := v[k-1] - v[k+1]
			t -= d * d / (8 * bend)
		}
		if t > peak {
			peak, end = t, (k-1+peakPlaces/2)/peakPlaces
		}
	}
	return peak, end
}

func (p *Peaks) peak(x, mid []float64, floor float64) float64 {
	best := p.block
	top := min(floor, p.True)
	at := -1
	limit := nearby * top
	ends := x[late+1:][:len(mid)]
	last := math.Abs(x[late])
	for i, m := range mid {
		next := math.Abs(ends[i])
		if last > limit || next > limit || math.Abs(m) > limit {
			v, end := interval(x, i)
			best = max(best, v)
			if v > top {
				top, at = v, i+end
				limit = nearby * top
			}
		}
		last = next
	}
	if best > p.True {
		p.True = best
		if at >= 0 {
			p.TrueAt = max(0, p.frames+int64(at)-late)
		}
	}
	return best
}

// quasi is the detector of a Programme, fed with values two or four a sample.
type quasi struct {
	places       int // a sample: 4, 2 or 1
	rise         [2]float64
	decay        float64
	first, other float64
}

func newQuasi(rate int) *quasi {
	q := &quasi{places: rectified(rate)}
	q.rise, q.decay = ballistics(rate * q.places)
	return q
}

// quasiNearby is nearby for the programme meter: what moves it by less than a hundredth of a dB is left out.
const quasiNearby = 0.8

// add follows the values of intervals, as Peaks.add has them, and returns the greatest reading.
func (q *quasi) add(x, mid []float64) float64 {
	most := 0.0
	a, b := q.first, q.other
	decay := q.decay
	see := func(v float64) {
		a *= decay
		b *= decay
		if v > a {
			a += q.rise[0] * (v - a)
		}
		if v > b {
			b += q.rise[1] * (v - b)
		}
	}
	whole := math.Pow(decay, float64(q.places))
	next := math.Abs(x[late])
	ends := x[late+1:][:len(mid)]
	for i, m := range mid {
		v := next
		next = math.Abs(ends[i])
		if least := quasiNearby * min(a, b); v < least && next < least && math.Abs(m) < least {
			a *= whole
			b *= whole
			continue
		}
		see(v)
		w := (*[quasiTaps]float64)(x[1+i+late-quasiTaps/2:])
		if q.places == 4 {
			see(math.Abs(quarter(w, 0)))
			see(math.Abs(quarter(w, 1)))
			see(math.Abs(quarter(w, 2)))
		} else if q.places == 2 {
			see(math.Abs(quarter(w, 1)))
		}
		most = max(most, share*a+(1-share)*b)
	}
	q.first, q.other = a, b
	return most / steady
}
