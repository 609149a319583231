package monitor

import (
	"fmt"
	"slices"

	"zestyloom/core/ambisonic"
	"zestyloom/core/audio"
	"zestyloom/core/snag"
	"zestyloom/core/spatial"
)

// Headphones hears the inputs of a signal as its speakers would be heard by a spherical head in their midst: two inputs, an ear
// each. A sound field is decoded to speakers all around first. An LFE is left out, as are channels that leave names.
func Headphones(inputs []Input, l audio.Layout, leave []bool) ([]Input, Fold, error) {
	e := &ears{inputs: inputs}
	says := ""
	switch {
	case l.Kind == audio.Ambisonic:
		at := allAround()
		for _, d := range at {
			e.sources = append(e.sources, earSource{at: d, from: ambisonic.Sampled(l, d, len(at))})
		}
		says = fmt.Sprintf("%s decoded to %d speakers all around", l.Name, len(at))
	case l.Kind == audio.Bed:
		for i := range l.Count {
			d, ok := l.Direction(i)
			if !ok || i < len(leave) && leave[i] {
				continue
			}
			from := make([]float64, l.Count)
			from[i] = 1
			e.sources = append(e.sources, earSource{at: d, from: from})
		}
		says = fmt.Sprintf("%d speakers", len(e.sources))
	}
	if len(e.sources) == 0 || len(inputs) != l.Count {
		return nil, Fold{}, snag.Refuse("no_headphones", "%s can't be heard on headphones as from speakers: its channels stand in no direction", l.Name)
	}
	out := make([]Input, 2)
	for side := range out {
		out[side] = Input{At: inputs[0].At, Gain: 1, Open: func(rate int) (Sound, error) { return e.open(side, rate) }}
	}
	return out, Fold{Matrix: [][2]float64{{1, 0}, {0, 1}}, Says: says + ", on headphones by a spherical head, at -6 dB, LFE left out"}, nil
}

// allAround are 22 directions all around, the left ones mirrors of the right: eight on the horizon, six above and six below, the top
// and the bottom.
func allAround() (out []audio.Direction) {
	for az := -135.0; az <= 180; az += 45 {
		out = append(out, audio.Direction{Azimuth: az})
	}
	for _, el := range []float64{-45, 45} {
		for az := -150.0; az < 180; az += 60 {
			out = append(out, audio.Direction{Azimuth: az, Elevation: el})
		}
		out = append(out, audio.Direction{Elevation: 2 * el})
	}
	return out
}

// earSource is where something is heard from, and what it is made of.
type earSource struct {
	at   audio.Direction
	from []float64 // factors of the inputs
	ears [2]*spatial.Ear
	x    []float64
}

// ears are both ears, which are computed together.
type ears struct {
	inputs  []Input
	sources []earSource
	sounds  []Sound
	users   int
	block   [2][]float64
	in      []float64
	from    int64 // of block
	next    int64 // the frame up to which the ears have heard
}

// earVoice is one of them.
type earVoice struct {
	of   *ears
	side int
}

func (e *ears) open(side, rate int) (Sound, error) {
	if e.sounds == nil {
		for _, v := range e.inputs {
			s, err := v.Open(rate)
			if err != nil {
				e.close()
				return nil, err
			}
			e.sounds = append(e.sounds, s)
		}
		for i := range e.sources {
			s := &e.sources[i]
			for k := range s.ears {
				s.ears[k] = spatial.NewEar(s.at.Azimuth, s.at.Elevation, k == 1, rate)
			}
		}
		e.from = -1
	}
	e.users++
	return &earVoice{e, side}, nil
}

func (e *ears) close() {
	for _, s := range e.sounds {
		s.Close()
	}
	e.sounds = nil
}

// Frames implements Sound.
func (v *earVoice) Frames() int64 {
	n := int64(0)
	for _, s := range v.of.sounds {
		n = max(n, s.Frames())
	}
	return n
}

// Close implements Sound.
func (v *earVoice) Close() {
	if v.of.users--; v.of.users == 0 {
		v.of.close()
	}
}

// earGain leaves room for what the ears add to speakers beside them, and for all of these together: -6 dB.
const earGain = 0.5

// before is how many frames the ears hear before those that are asked for, where these do not follow the last: more than any delay
// and any filter of theirs remembers.
const before = 512

// Read implements Sound.
func (v *earVoice) Read(dst []float64, frame int64) error {
	e := v.of
	if e.from != frame || len(e.block[0]) != len(dst) {
		if e.next != frame || e.from < 0 {
			for i := range e.sources {
				for _, ear := range e.sources[i].ears {
					ear.Reset()
				}
			}
			if n := min(before, frame); n > 0 {
				if err := e.hear(frame-n, int(n)); err != nil {
					return err
				}
			}
		}
		if err := e.hear(frame, len(dst)); err != nil {
			return err
		}
	}
	copy(dst, e.block[v.side])
	return nil
}

func (e *ears) hear(frame int64, n int) error {
	e.from = -1
	for side := range e.block {
		e.block[side] = silence(e.block[side], n)
	}
	for i := range e.sources {
		e.sources[i].x = silence(e.sources[i].x, n)
	}
	for c, sound := range e.sounds {
		e.in = silence(e.in, n)
		in := e.in
		if to := min(frame+int64(n), sound.Frames()); to > frame {
			if err := sound.Read(in[:to-frame], frame); err != nil {
				return err
			}
		}
		for i := range e.sources {
			if f := e.sources[i].from[c]; f != 0 {
				for k, v := range in {
					e.sources[i].x[k] += f * v
				}
			}
		}
	}
	for i := range e.sources {
		for side, ear := range e.sources[i].ears {
			ear.Add(e.block[side], e.sources[i].x, earGain)
		}
	}
	e.from, e.next = frame, frame+int64(n)
	return nil
}

// silence is room for n samples, what there is already where it is enough.
func silence(x []float64, n int) []float64 {
	x = slices.Grow(x[:0], n)[:n]
	clear(x)
	return x
}
