package loudness

import (
	"math"
	"runtime"

	"zestyloom/core/audio"
	"zestyloom/core/meter"
	"zestyloom/core/safely"
)

// Meter measures a sound while it passes by. Its readings do not depend on how the sound is cut up.
type Meter struct {
	layout  audio.Layout
	rate    int
	weights []float64
	floor   float64

	channels []*measured
	frames   int64
	powers   Powers
	peaks    []float64 // the greatest true peak of any channel, for each power
	pair     *pair
	decoded  *decoded // of a sound field
	noPeaks  bool
	workers  int
}

// measured is one channel of a meter.
type measured struct {
	filter *Weighting
	levels *meter.Peaks
	sum    float64 // of the squares of what has come of the power that is not whole
	peak   float64
	sums   []float64 // of the powers that an Add has completed
	peaks  []float64
	k      []float64 // the weighted samples
}

// Options of a meter.
type Options struct {
	// Peaks keeps the true peak of each tenth of a second, exactly where it is above Floor, in dBTP.
	Peaks bool
	Floor float64
	// NoProgramme leaves the programme meter out, where nobody asks for it.
	NoProgramme bool
	// NoPeaks leaves true peaks out as well.
	NoPeaks bool
}

// NewMeter makes one for a layout and a sample rate in Hz. A sound field is measured as it is decoded: see How.
func NewMeter(l audio.Layout, rate int, o Options) (*Meter, error) {
	m := &Meter{layout: l, rate: rate, floor: math.Inf(1), noPeaks: o.NoPeaks, workers: runtime.GOMAXPROCS(0)}
	var err error
	if l.Kind == audio.Ambisonic {
		m.weights = make([]float64, l.Count)
		m.decoded, err = newDecoded(l, rate)
	} else {
		m.weights, err = Weights(l)
	}
	if err != nil {
		return nil, err
	}
	if o.Peaks {
		m.floor = audio.Gain(o.Floor)
	}
	for range l.Count {
		levels := meter.NewPeaks(rate)
		if o.NoProgramme {
			levels = levels.WithoutProgramme()
		}
		m.channels = append(m.channels, &measured{filter: NewWeighting(rate), levels: levels})
	}
	if left, right := sides(l); left >= 0 && right >= 0 {
		m.pair = &pair{left: left, right: right}
	}
	return m, nil
}

func sides(l audio.Layout) (left, right int) {
	if l.Count != 2 || l.Kind == audio.Ambisonic {
		return -1, -1
	}
	return 0, 1
}

// edge is the sample with which power i ends: lengths differ by a sample where a tenth of a second is no whole number
// of them.
func edge(i int64, rate int) int64 { return (i + 1) * int64(rate) / PowersPerSecond }

// Add takes a block into account, which has a channel for each of the layout.
func (m *Meter) Add(b audio.Block) {
	n := b.Frames()
	if n == 0 {
		return
	}
	_ = safely.Each(m.workers, len(m.channels), func(c int) error {
		m.channels[c].add(b[c], m.frames, m.rate, len(m.powers), m.floor, m.noPeaks)
		return nil
	})
	if m.pair != nil {
		m.pair.add(b[m.pair.left], b[m.pair.right], m.channels[m.pair.left].k, m.channels[m.pair.right].k)
	}
	m.frames += int64(n)
	if m.decoded != nil {
		m.decoded.add(b)
	}
	for i := range m.channels[0].sums {
		index := int64(len(m.powers))
		length := float64(edge(index, m.rate) - edge(index-1, m.rate))
		power, peak := 0.0, 0.0
		for c, ch := range m.channels {
			if m.weights[c] != 0 {
				power += m.weights[c] * ch.sums[i] / length
			}
			peak = max(peak, ch.peaks[i])
		}
		if m.decoded != nil {
			power = m.decoded.meter.powers[index]
		}
		m.powers, m.peaks = append(m.powers, power), append(m.peaks, peak)
	}
}

func (ch *measured) add(x []float64, at int64, rate, done int, floor float64, noPeaks bool) {
	ch.sums, ch.peaks = ch.sums[:0], ch.peaks[:0]
	if cap(ch.k) < len(x) {
		ch.k = make([]float64, len(x))
	}
	ch.k = ch.k[:len(x)]
	for from := 0; from < len(x); {
		to := int(min(int64(len(x)), edge(int64(done), rate)-at))
		part, k := x[from:to], ch.k[from:to]
		if !noPeaks {
			ch.peak = max(ch.peak, ch.levels.Add(part, floor))
		}
		ch.sum = ch.filter.squares(k, part, ch.sum)
		if from = to; at+int64(to) == edge(int64(done), rate) {
			ch.sums, ch.peaks = append(ch.sums, ch.sum), append(ch.peaks, ch.peak)
			ch.sum, ch.peak = 0, 0
			done++
		}
	}
}

// Powers are those of the whole tenths of a second that have passed.
func (m *Meter) Powers() Powers { return m.powers }

// Peaks are the true peaks of the same tenths, full scale 1.
func (m *Meter) Peaks() []float64 { return m.peaks }
