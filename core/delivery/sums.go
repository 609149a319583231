package delivery

import (
	"fmt"
	"math"
	"strings"

	"zestyloom/core/audio"
	"zestyloom/core/treat"
	"zestyloom/core/weave"
)

// Sum is by how much a mix, as its file holds it, differs from the sum of what it is made of, as their files do.
type Sum struct {
	Mix     string   `json:"mix"`
	Members []string `json:"members"`
	// Peak is the greatest difference, full scale 1, where it is: Channel by name, At in frames of the files.
	Peak    float64 `json:"peak"`
	Channel string  `json:"channel"`
	At      int64   `json:"at"`
	// Allowed is what rounding each of them may come to.
	Allowed float64 `json:"allowed"`
	OK      bool    `json:"ok"`
	Says    string  `json:"says"`
}

// sum works one out.
type sum struct {
	Sum
	mix     *listened
	members []*listened
	factors []audio.Matrix
	full    []float64 // from which magnitude on a sample of the mix, and of each member, may have been held
	room    []float64
	worst   int // the channel
}

// sums has the null figures worked out of all mixes of which every member is delivered too, and as it goes in.
func (m *listeners) findSums() {
	w := m.plan.Reel.Weave
	byBus := map[string]*listened{}
	for _, s := range m.sets {
		if id := m.plan.Sets[s.index].Bus; id != "" && byBus[id] == nil {
			byBus[id] = s
		}
	}
	for _, b := range w.Buses {
		mix := byBus[b.ID]
		if b.Role != weave.Mix || mix == nil {
			continue
		}
		if s := m.sumOf(b, mix, byBus); s != nil {
			m.sums = append(m.sums, s)
		}
	}
}

// sumOf is nil for a mix that is no plain sum of what is delivered.
func (m *listeners) sumOf(b weave.Bus, mix *listened, byBus map[string]*listened) *sum {
	w := m.plan.Reel.Weave
	level := w.Gain(b.ID)
	if level.Moves() || !treat.Nothing(w.Levels[b.ID].Treat, w.Levels[b.ID].TreatMoves) {
		return nil
	}
	s := &sum{Sum: Sum{Mix: b.Name, Members: []string{}, OK: true}, mix: mix}
	s.Allowed, s.full = m.step(mix)/2, []float64{1 - m.step(mix)*1.5}
	for _, t := range m.plan.Reel.Tracks {
		for _, send := range w.Sends[t.ID] {
			if send.To == b.ID && !t.Off && len(t.Clips) > 0 {
				return nil // something goes in that is in no member
			}
		}
	}
	for _, from := range w.Buses {
		for _, send := range w.Sends[from.ID] {
			if send.To != b.ID {
				continue
			}
			member := byBus[from.ID]
			matrix, err := send.Patch.Between(from.Channels(), b.Channels())
			if member == nil || err != nil || len(send.Gain) > 0 || send.Pre || send.Patch.Moves() || send.Patch.Ahead(from.Channels(), b.Channels()) != nil {
				return nil
			}
			gain, most := weave.Factor(send.GainDB)*weave.Factor(level.DB), 0.0
			scaled := make(audio.Matrix, len(matrix))
			for i, row := range matrix {
				total := 0.0
				scaled[i] = make([]float64, len(row))
				for j, f := range row {
					scaled[i][j] = f * gain
					total += math.Abs(f * gain)
				}
				most = max(most, total)
			}
			s.members, s.factors = append(s.members, member), append(s.factors, scaled)
			s.full = append(s.full, 1-m.step(member)*1.5)
			s.Members = append(s.Members, from.Name)
			s.Allowed += most * m.step(member) / 2
		}
	}
	if len(s.members) == 0 {
		return nil
	}
	if m.plan.Order.Spec.Dither {
		s.Allowed *= 3 // noise of up to a step either way, and half a step of rounding
	}
	s.Allowed += 1e-12
	return s
}

// step is the greatest step of the coding of a set's files.
func (m *listeners) step(l *listened) (step float64) {
	for _, at := range m.plan.Sets[l.index].Places {
		c := m.plan.Files[at.File].coding()
		if c.Float() {
			step = max(step, math.Ldexp(1, -22)) // of a value up to 2: 24 bits of it
		} else {
			step = max(step, math.Ldexp(1, 1-c.Bits()))
		}
	}
	return step
}

func (s *sum) add(at int64, n int) {
	if cap(s.room) < n {
		s.room = make([]float64, n)
	}
	x := s.room[:n]
	for c, mix := range s.mix.block {
		clear(x)
		for k, m := range s.members {
			for j, f := range s.factors[k][c] {
				if f == 0 {
					continue
				}
				for i, v := range m.block[j] {
					x[i] += v * f
				}
			}
		}
		for i, v := range mix {
			// Of equal ones the first in time counts, so that blocks of other sizes find the same.
			if d := math.Abs(v - x[i]); (d > s.Peak || d == s.Peak && d > 0 && at+int64(i) < s.At) && !s.held(c, i) {
				s.Peak, s.At, s.worst = d, at+int64(i), c
			}
		}
	}
}

// held reports whether a sample of the mix, or one that goes into it, is at full scale, where it may have been held.
func (s *sum) held(c, i int) bool {
	if math.Abs(s.mix.block[c][i]) >= s.full[0] {
		return true
	}
	for k, m := range s.members {
		for j := range s.factors[k][c] {
			if math.Abs(m.block[j][i]) >= s.full[k+1] {
				return true
			}
		}
	}
	return false
}

// sumsFound are the null figures of all that was heard.
func (m *listeners) sumsFound() []Sum {
	var out []Sum
	for _, s := range m.sums {
		made := s.Mix + " is " + strings.Join(s.Members, " + ")
		s.OK = s.Peak <= s.Allowed
		switch {
		case s.Peak == 0:
			s.Says = made + ", bit for bit"
		case s.OK:
			s.Says = fmt.Sprintf("%s, but for rounding (at most %.1f dBFS)", made, audio.Decibels(s.Peak))
		default:
			s.Says = fmt.Sprintf("%s differs from %s by %.1f dBFS", s.Mix, strings.Join(s.Members, " + "), audio.Decibels(s.Peak))
		}
		if l, err := audio.ParseLayout(m.plan.Sets[s.mix.index].Layout); err == nil && s.Peak > 0 {
			s.Channel = l.Channel(s.worst)
		}
		out = append(out, s.Sum)
	}
	return out
}
