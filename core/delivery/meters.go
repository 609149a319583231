package delivery

import (
	"math"
	"slices"

	"zestyloom/core/audio"
	"zestyloom/core/loudness"
	"zestyloom/core/safely"
	"zestyloom/core/wave"
)

// listeners take in what files hold while it is written or read, decoded, as the sets of channels that a plan measures.
type listeners struct {
	plan Plan
	sets []*listened
	by   map[int][]tapped // by file
	sums []*sum
}

type listened struct {
	index int             // of the plan's sets
	meter *loudness.Meter // nil for a set that has no loudness
	block audio.Block
}

type tapped struct {
	set            *listened
	place, channel int
}

// listen has the sets heard whose files are all wanted.
func (p Plan) listen(wanted func(file int) bool) *listeners {
	m := &listeners{plan: p, by: map[int][]tapped{}}
	for i, s := range p.Sets {
		l, err := audio.ParseLayout(s.Layout)
		if err != nil || len(s.Places) == 0 || len(s.Places) != l.Count || slices.ContainsFunc(s.Places, func(at Place) bool { return !wanted(at.File) }) {
			continue
		}
		v := &listened{index: i, block: make(audio.Block, l.Count)}
		// A sound field is measured as it is decoded: see loudness.How.
		limits, _ := p.Order.Spec.LimitsOf(s)
		v.meter, _ = loudness.NewMeter(l, p.Rates.Files, loudness.Options{NoProgramme: limits.Quasi == nil})
		m.sets = append(m.sets, v)
		for c, at := range s.Places {
			m.by[at.File] = append(m.by[at.File], tapped{v, c, at.Channel})
		}
	}
	return m
}

// within is which frames of a block that begins at a frame of the files are programme.
func (m *listeners) within(at int64, n int) (from, to int) {
	from = int(max(0, min(int64(n), m.plan.Lead-at)))
	to = int(max(int64(from), min(int64(n), m.plan.programmeEnd()-at)))
	return from, to
}

// heard takes note of a block of interleaved samples of some channels of a file, the first of which is channel first. What
// the file lacks of n frames is silence.
func (m *listeners) heard(file, first, count int, raw []byte, coding audio.Coding, at int64, n int) {
	from, to := m.within(at, n)
	if from == to {
		return
	}
	width := coding.Bytes() * count
	raw = raw[min(len(raw), from*width):min(len(raw), to*width)]
	for _, t := range m.by[file] {
		if t.channel < first || t.channel >= first+count {
			continue
		}
		if cap(t.set.block[t.place]) < to-from {
			t.set.block[t.place] = make([]float64, to-from)
		}
		x := t.set.block[t.place][:to-from]
		t.set.block[t.place] = x
		clear(x[min(len(x), len(raw)/width):])
		audio.DecodeChannel(x[:min(len(x), len(raw)/width)], raw, coding, count, t.channel-first)
	}
}

// add measures what was heard of all files of a block.
func (m *listeners) add(at int64, n int) {
	from, to := m.within(at, n)
	if from == to {
		return
	}
	// Sets are measured beside each other, and so are their channels where there are fewer sets than cores.
	_ = safely.Each(workers, len(m.sets)+len(m.sums), func(i int) error {
		if i >= len(m.sets) {
			m.sums[i-len(m.sets)].add(at+int64(from), to-from)
		} else if s := m.sets[i]; s.meter != nil {
			s.meter.Add(s.block)
		}
		return nil
	})
}

// only is what was measured of a file that is one set.
func (m *listeners) only(file int) (loudness.Result, bool) {
	if r := m.of(file, 0, len(m.plan.Files[file].Channels)); r != nil {
		return *r, true
	}
	return loudness.Result{}, false
}

// groups is what was measured of each group of a file that stands in it as a set; nil for one that was not.
func (m *listeners) groups(file int) []*loudness.Result {
	f := m.plan.Files[file]
	out := make([]*loudness.Result, len(f.Groups))
	first := 0
	for i, g := range f.Groups {
		out[i] = m.of(file, first, g.Count)
		first += g.Count
	}
	return out
}

// of is what was measured of some channels of a file that are one set; nil where they are none.
func (m *listeners) of(file, first, count int) *loudness.Result {
	for _, s := range m.sets {
		places := m.plan.Sets[s.index].Places
		if s.meter != nil && len(places) == count && !slices.ContainsFunc(places, func(at Place) bool {
			return at.File != file || at.Channel < first || at.Channel >= first+count
		}) {
			r := s.meter.Result()
			return &r
		}
	}
	return nil
}

// LimitsOf are those that are asked of a set.
func (s Spec) LimitsOf(set Measured) (l loudness.Limits, asked bool) {
	for _, a := range s.Limits {
		switch {
		case sameName(a.Of, set.Name):
			return a.Limits, true // what names it goes first
		case a.Of == "all" || a.Of == "mixes" && set.Role == "mix" || a.Of == "stems" && set.Role == "stem":
			if !asked {
				l, asked = a.Limits, true
			}
		}
	}
	return l, asked
}

// bextLoudness is a measurement in the fields of bext version 2.
func bextLoudness(r loudness.Result) [5]int16 {
	lra := math.Inf(-1)
	if r.RangeKnown {
		lra = r.Range
	}
	values := [5]float64{r.Integrated, lra, r.TruePeak.Value, r.MaxMomentary.Value, r.MaxShortTerm.Value}
	var out [5]int16
	for i, v := range values {
		out[i] = wave.NotGiven
		if h := math.Round(v * 100); h > -32768 && h < 32767 {
			out[i] = int16(h)
		}
	}
	return out
}
