package weave

import (
	"slices"

	"zestyloom/core/ambisonic"
	"zestyloom/core/audio"
	"zestyloom/core/spatial"
)

// Ways lists how a signal of one layout can enter another, each as a patch to begin with; the first is how it enters when
// nobody says otherwise. It is the only place where that is decided: browser, HTTP and command line ask it.
//
// What has the same channels enters as it is. One channel enters what has a centre in the centre, and what has but two sides
// on both of them at so many dB as law says (one of Laws, see Weave.Law). A pair enters a wider bed on its own sides; a wider
// bed is folded down; sound fields are converted, decoded and encoded. A sum of channels that nobody knows and a matrix can always be had,
// and are never the default.
func Ways(from, to audio.Layout, law float64) (out []Patch) {
	if from.Count == 0 || to.Count == 0 {
		return nil // what has no layout
	}
	if !slices.Contains(Laws, law) {
		law = 0
	}
	both := Patch{Preset: Pan, Law: law}
	switch law {
	case 0:
		both = Patch{Preset: Both}
	case -3:
		both = Patch{Preset: BothMinus}
	}
	places := make([]Place, from.Count)
	for i := range places {
		switch {
		case from.Count == 2:
			places[i].Azimuth = 30 - 60*float64(i)
		case from.Count > 2:
			places[i].Azimuth = float64(179 - int(360*float64(i)/float64(from.Count)+0.5))
		}
	}
	placed := Patch{Preset: Placed, Places: places}
	asItIs := 1.0
	unity := audio.NewMatrix(to.Count, from.Count)
	for i := range min(to.Count, from.Count) {
		unity[i][i] = 1
	}
	all := []Patch{{}}
	if from.Count == 1 {
		if to.Kind == audio.Ambisonic {
			all = append(all, placed)
		} else {
			all = append(all, Patch{Preset: Centre}, both)
		}
		all = append(all, Patch{Preset: Both}, Patch{Preset: BothMinus}, Patch{Preset: Left}, Patch{Preset: Right}, Patch{Preset: Pan, Law: -3})
	}
	all = append(all, Patch{Preset: BySpeaker}, Patch{Preset: Folded}, Patch{Preset: Field}, Patch{Preset: Decoded, Decoding: ambisonic.Fitted}, Patch{Preset: Encoded})
	if from.Count == 2 {
		all = append(all, Patch{Preset: Balance, Width: &asItIs}, Patch{Preset: Exchanged}, Patch{Preset: MidSide})
	}
	if from.Count > 1 {
		all = append(all, Patch{Preset: Summed, Law: -6})
	}
	all = append(all, placed, Patch{Preset: Custom, Matrix: unity})
	for _, p := range all {
		if !p.offered(from, to) || slices.ContainsFunc(out, func(o Patch) bool { return o.Preset == p.Preset }) {
			continue
		}
		if _, err := p.Between(from, to); err == nil {
			out = append(out, p)
		}
	}
	return out
}

// offered leaves out what could be done and says nothing beside another way.
func (p Patch) offered(from, to audio.Layout) bool {
	switch p.Preset {
	case Both, BothMinus, Left, Right, Pan, Centre:
		return to.Count > 1 && from.Name != to.Name
	case BySpeaker:
		return from.Count > 1 && from.Count < to.Count
	case Placed:
		return to.Count > 2 || to.Kind == audio.Ambisonic
	case Field:
		return from.Kind == audio.Ambisonic && to.Kind == audio.Ambisonic && from.Count > 1
	case Folded:
		return from.Name != to.Name
	}
	return true
}

// Way is how a signal enters another layout when nobody says otherwise; false where that has to be chosen.
func Way(from, to audio.Layout, law float64) (Patch, bool) {
	ways := Ways(from, to, law)
	if len(ways) == 0 || ways[0].Preset == Custom || ways[0].Preset == Summed {
		return Patch{}, false
	}
	return ways[0], true
}

// unchosen is a preset that is none: how the signal enters was nobody's choice.
const unchosen Preset = "unchosen"

// Route is the way of a track into a bus: as it has been sent so far where it can still enter so, else as it enters when
// nobody says otherwise, at the level it had. What stands by itself, as its recording says, is put there where the bus has room
// around it. False where how it enters has to be chosen.
func (w Weave) Route(from audio.Layout, to Bus, at *spatial.Position, old *Send) (Send, bool) {
	s := Send{To: to.ID}
	if old != nil {
		s = *old
		s.To = to.ID
		if s.Patch.Preset != unchosen && w.CheckSends(from, []Send{s}) == nil {
			return s, true
		}
	}
	if at != nil && from.Count == 1 && to.Channels().Count > 2 {
		s.Patch = Patch{Preset: Placed, Places: []Place{{Position: *at}}}
		if w.CheckSends(from, []Send{s}) == nil {
			return s, true
		}
	}
	way, ok := Way(from, to.Channels(), w.Law)
	s.Patch = way
	return s, ok
}

// Rerouted are the ways of a track once its first goes to another bus; the others stay, but for one that goes there already. None
// where how it enters has to be chosen.
func (w Weave) Rerouted(t Track, to Bus) []Send {
	all := w.Sends[t.ID]
	s, ok := w.Route(t.Layout, to, t.Place, w.chosen(t))
	if !ok {
		return nil
	}
	out := []Send{s}
	for i, o := range all {
		if i > 0 && o.To != to.ID {
			out = append(out, o)
		}
	}
	return out
}

// chosen is the first way of a track, where somebody has chosen how it enters: one that is as it is when nobody says otherwise is
// so again elsewhere, but keeps its level.
func (w Weave) chosen(t Track) *Send {
	s, sent := w.Send(t.ID)
	if !sent {
		return nil
	}
	to, _ := w.Bus(s.To)
	if first, ok := w.Route(t.Layout, to, t.Place, nil); ok && first.Patch.Equal(s.Patch) {
		s.Patch = Patch{Preset: unchosen}
	}
	return &s
}

// SetLaw says at how many dB one channel enters both sides of what has no centre from now on. Ways that there are stay.
type SetLaw struct {
	Law float64 `json:"law"`
}

func (o *SetLaw) apply(d *changing) error {
	d.Law = o.Law
	return nil
}
