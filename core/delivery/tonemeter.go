package delivery

import (
	"fmt"
	"math"

	"zestyloom/core/audio"
)

// toneMeters find the tones of a plan in what files hold: how strong the sine of the frequency is where it must be, and
// what stands right beside it.
type toneMeters struct {
	tones []Tone
	rate  float64
	by    map[int][]*toneMeter // by file: channels times tones
}

type toneMeter struct {
	tone     Tone
	re, im   float64
	total    float64 // of squares
	n        int64
	beside   float64 // the greatest magnitude in the frame's length before and after
	besideOf int64
}

// toneTolerance is by how many dB a tone may be off, and what else may be in it: 0.1 dB of the level.
const toneTolerance = 0.1

func (p Plan) toneMeters() *toneMeters {
	t := &toneMeters{tones: p.Tones, rate: float64(p.Rates.Files), by: map[int][]*toneMeter{}}
	for i, f := range p.Files {
		for range f.Channels {
			for _, tone := range p.Tones {
				t.by[i] = append(t.by[i], &toneMeter{tone: tone, besideOf: min(tone.To-tone.From, int64(p.Rates.Files)/10)})
			}
		}
	}
	return t
}

// heard takes note of the block that a reading has read.
func (t *toneMeters) heard(r *reading, at int64, n int) {
	for c := range r.count {
		decoded := false
		for k, tone := range t.tones {
			m := t.by[r.index][(r.first+c)*len(t.tones)+k]
			if at+int64(n) <= tone.From-m.besideOf || at >= tone.To+m.besideOf {
				continue
			}
			if !decoded {
				if len(r.x) < n {
					r.x = make([]float64, n)
				}
				clear(r.x[:n])
				audio.DecodeChannel(r.x[:r.read0/(r.coding.Bytes()*r.count)], r.got[:r.read0], r.coding, r.count, c)
				decoded = true
			}
			m.add(r.x[:n], at, t.rate)
		}
	}
}

func (m *toneMeter) add(x []float64, at int64, rate float64) {
	for i, v := range x {
		k := at + int64(i)
		switch {
		case k >= m.tone.From && k < m.tone.To:
			phase := 2 * math.Pi * m.tone.Hz * float64(k-m.tone.From) / rate
			m.re += v * math.Cos(phase)
			m.im += v * math.Sin(phase)
			m.total += v * v
			m.n++
		case k >= m.tone.From-m.besideOf && k < m.tone.To+m.besideOf:
			m.beside = max(m.beside, math.Abs(v))
		}
	}
}

// found is the level of the sine, and of everything, in dBFS of a sine's peak.
func (m *toneMeter) found() (sine, all float64) {
	n := float64(max(1, m.n))
	return audio.Decibels(2 * math.Hypot(m.re, m.im) / n), audio.Decibels(math.Sqrt(2 * m.total / n))
}

// says is what stands where a tone must, in the words that it is ordered in where it is right.
func (m *toneMeter) says() string {
	asked := m.tone.says()
	sine, all := m.found()
	pop := m.tone.Says != "tone"
	switch {
	case math.Abs(sine-m.tone.LevelDBFS) > toneTolerance || math.Abs(all-sine) > toneTolerance:
		return fmt.Sprintf("%.2f dBFS of it in %.2f dBFS", sine, all)
	case pop && m.beside > 1e-4:
		return fmt.Sprintf("sound of %.1f dBFS right beside it", audio.Decibels(m.beside))
	}
	return asked
}

func (t Tone) says() string { return fmt.Sprintf("%g Hz at %.1f dBFS", t.Hz, t.LevelDBFS) }

// judge says of each file whether its tones are where they must be, in all channels.
func (t *toneMeters) judge(p Plan, proof *Proof) {
	for i, f := range p.Files {
		fp := &proof.Files[i]
		if len(fp.Channels) == 0 {
			continue
		}
		for k, tone := range t.tones {
			found := tone.says()
			for c := range f.Channels {
				if says := t.by[i][c*len(t.tones)+k].says(); says != found {
					found = fmt.Sprintf("channel %d: %s", c+1, says)
					break
				}
			}
			at := tone.From + p.Start
			fp.check(fmt.Sprintf("%s at %s", tone.Says, p.Rate.FormatSamples(at, int64(p.Rates.Files))), tone.says(), found)
		}
	}
}
