package readings

import (
	"context"
	"slices"
	"time"

	"zestyloom/core/audio"
	"zestyloom/core/loudness"
	"zestyloom/core/mix"
	"zestyloom/core/reel"
	"zestyloom/core/weave"
)

// Reading is what was found of something.
type Reading struct {
	Result loudness.Result
	Powers loudness.Powers
	Peaks  []float32 // true peaks of tenths of a second, full scale 1
}

// Measured is what was measured of a subject.
type Measured struct {
	Subject
	Reading
	// Before is a bus as it is without corrections; nil where they do nothing to it.
	Before *Reading
	// Dialogue is the speech in a mix; nil where there is none.
	Dialogue *loudness.Dialogue
	// Correction is that of a bus.
	Correction *State
}

// Measurement is how far a reel is measured, and what was found once all of it is.
type Measurement struct {
	Start, End  int64
	Done, Total int // chunks of subjects
	Of          []Measured
}

// Complete reports whether all of it is measured.
func (m Measurement) Complete() bool { return m.Done == m.Total }

// Bus is what was found of a bus; false where it has no loudness, or not all is measured yet.
func (m Measurement) Bus(id string) (Measured, bool) {
	i := slices.IndexFunc(m.Of, func(v Measured) bool { return v.ID == id && v.Role != Outputs })
	if i < 0 || !m.Complete() || m.Of[i].Says != "" {
		return Measured{}, false
	}
	return m.Of[i], true
}

// Measure measures a reel at a sample rate in Hz, as far as it comes until a time; what is kept is not measured again.
func Measure(ctx context.Context, r reel.Reel, rate int, sources mix.Sources, kept Kept, until time.Time) (m Measurement, err error) {
	subjects := Subjects(r.Weave)
	j, err := newJob(r, rate, sources, subjects, kept, until)
	if err != nil {
		return m, err
	}
	m.Start, m.End = j.start, j.end
	for _, s := range subjects {
		m.Of = append(m.Of, Measured{Subject: s})
	}
	readings, err := m.run(ctx, j)
	if err != nil {
		return m, err
	}
	without, err := m.before(ctx, r, rate, sources, kept, until)
	if err != nil || !m.Complete() {
		return m, err
	}
	for i := range m.Of {
		v := &m.Of[i]
		id := v.ID
		if v.As != "" {
			id = v.As
		}
		if v.Says == "" {
			v.Reading = readings[key{id, v.Role == Outputs && v.As == ""}]
			if v.As != "" {
				v.Result = inOrder(v.Result, v.Layout.Speakers)
			}
		}
		if was, ok := without[key{v.ID, false}]; ok && v.Role != Outputs {
			v.Before = &was
		}
	}
	m.dialogue(r.Weave)
	return m, m.states(r, rate, sources)
}

// key is what readings are found by: groups of outputs may have the IDs of buses.
type key struct {
	id      string
	outputs bool
}

// run measures the subjects of a job, and joins what was found of them where all is known.
func (m *Measurement) run(ctx context.Context, j *job) (map[key]Reading, error) {
	chunks, err := j.run(ctx)
	m.Done, m.Total = m.Done+j.done, m.Total+j.total
	if err != nil || j.done < j.total {
		return nil, err
	}
	out := map[key]Reading{}
	for i, s := range j.subjects {
		var v Reading
		v.Result, v.Powers, v.Peaks = loudness.Join(s.Layout, int(j.rate), chunks[i])
		out[key{s.ID, s.Role == Outputs}] = v
	}
	return out, nil
}

// before measures the buses that are corrected as they are without.
func (m *Measurement) before(ctx context.Context, r reel.Reel, rate int, sources mix.Sources, kept Kept, until time.Time) (map[key]Reading, error) {
	changed := r.Weave.Corrects()
	if len(changed) == 0 {
		return nil, nil
	}
	r.Weave = r.Weave.Uncorrected()
	var subjects []Subject
	for _, s := range Subjects(r.Weave) {
		if s.Role != Outputs && changed[s.ID] {
			subjects = append(subjects, s)
		}
	}
	j, err := newJob(r, rate, sources, subjects, kept, until)
	if err != nil {
		return nil, err
	}
	return m.run(ctx, j)
}

// Levels is what was found of a bus, as readiness asks for it.
func (m Measurement) Levels(bus string) (loudness.Result, loudness.Powers, bool) {
	v, ok := m.Bus(bus)
	return v.Result, v.Powers, ok
}

// inOrder is the result of a bus with its channels in the order of speakers.
func inOrder(r loudness.Result, speakers []audio.Speaker) loudness.Result {
	channels := slices.Clone(r.Channels)
	for i, name := range speakers {
		if k := slices.IndexFunc(r.Channels, func(c loudness.Channel) bool { return c.Name == string(name) }); k >= 0 {
			channels[i] = r.Channels[k]
		}
	}
	r.Channels = channels
	return r
}

// dialogue finds the speech in mixes: what stems of dialogue and voice-over that they are made of say.
func (m *Measurement) dialogue(w weave.Weave) {
	for i := range m.Of {
		v := &m.Of[i]
		if v.Role != weave.Mix || v.Says != "" {
			continue
		}
		var speech []loudness.Powers
		for _, id := range w.StemsOf(v.ID) {
			if b, _ := w.Bus(id); b.Kind != "DX" && b.Kind != "VO" {
				continue
			}
			if of, ok := m.Bus(id); ok {
				speech = append(speech, of.Powers)
			}
		}
		if d, ok := loudness.SpeechInMix(speech, v.Powers); ok {
			v.Dialogue = &d
		}
	}
}
