package edit

import (
	"slices"
	"strings"

	"zestyloom/core/audio"
	"zestyloom/core/reel"
	"zestyloom/core/spatial"
	"zestyloom/core/take"
	"zestyloom/core/weave"
)

// Take is a take that is to be laid, at the reel's rate and with its drift corrected.
type Take struct {
	Name     string
	Start    int64 // samples since midnight, -1 when not known
	Frames   int64
	Readings []take.Reading
	Strands  []TakeStrand // in order, those that are off as well
}

// TakeStrand is a channel of it.
type TakeStrand struct {
	ID       string
	Position int // in the take, from 1
	Label    string
	Stem     string // by name; empty for none yet
	Off      bool   // left off on purpose: it is not laid
	Frames   int64
	Shift    int64 // samples later than the take has it
	// Place is where its recording says that it stands by itself, and GainDB how loud; nil where it says nothing of that.
	Place  *spatial.Position
	GainDB float64
}

// Lay says how a take is laid. A recording that is read as stereo, mid-side, surround or ambisonic and as nothing else is
// laid as one track each, in the layout's order; of any other take every strand has a track of its own, by its label: the
// halves of a pair to their sides, mid and side decoded to left and right. What has a stem is sent there where it fits.
func (t Take) Lay(w weave.Weave) reel.Lay {
	l := reel.Lay{Name: t.Name, Start: t.Start, Frames: t.Frames}
	if t.whole() {
		for _, r := range t.Readings {
			l.Strands = append(l.Strands, t.wide(w, r))
		}
		return l
	}
	for _, s := range t.Strands {
		if s.Off {
			continue
		}
		st := reel.Strand{ID: s.ID, Label: s.Label, Mix: take.IsMix(s.Label), Frames: min(s.Frames, t.Frames), Shift: s.Shift}
		side, left, paired := t.pairOf(s)
		switch {
		case !paired:
			st.Place, st.GainDB = s.Place, s.GainDB
			if b, ok := w.StemNamed(s.Stem); ok {
				st.Sends = SendTo(w, b, mono(), weave.Send{Patch: FirstPatch(w, b, s.Place)})
			}
			l.Strands = append(l.Strands, st)
		case side == nil:
			st.Sends = sendsTo(w, s.Stem, map[bool]weave.Preset{true: weave.Left, false: weave.Right}[left])
			l.Strands = append(l.Strands, st)
		case left: // the side is in both of what its mid becomes
			base, _ := take.LabelSpeaker(s.Label)
			for _, of := range []struct {
				name string
				at   weave.Preset
				sign float64
			}{{"L", weave.Left, 1}, {"R", weave.Right, -1}} {
				st.With, st.Sign = side.ID, of.sign
				st.Label, st.Sends = strings.TrimSpace(base+" "+of.name), sendsTo(w, s.Stem, of.at)
				l.Strands = append(l.Strands, st)
			}
		}
	}
	return l
}

// whole reports whether every strand is a part of something wider, and none is off or lies elsewhere than the others.
func (t Take) whole() bool {
	for _, s := range t.Strands {
		in := slices.ContainsFunc(t.Readings, func(r take.Reading) bool { return slices.Contains(r.Positions, s.Position) })
		if !in || s.Off || s.Shift != t.Strands[0].Shift {
			return false
		}
	}
	return len(t.Strands) > 0
}

// wide is what is read together as one strand of several channels.
func (t Take) wide(w weave.Weave, r take.Reading) reel.Strand {
	layout, order := layoutOf(r)
	st := reel.Strand{Layout: layout.Name}
	mixes := 0
	for n, i := range order {
		k := slices.IndexFunc(t.Strands, func(s TakeStrand) bool { return s.Position == r.Positions[i] })
		s := t.Strands[k]
		base, _ := take.LabelSpeaker(s.Label)
		if r.Kind == take.Ambisonic {
			base = take.WithoutComponent(s.Label)
		}
		if n == 0 {
			st.ID, st.Label, st.Shift = s.ID, base, s.Shift
			if st.Label == "" {
				st.Label = t.Name
			}
			st.Sends = wideTo(w, s.Stem, layout)
		} else {
			st.More = append(st.More, s.ID)
		}
		st.Frames = max(st.Frames, min(s.Frames, t.Frames))
		if take.IsMix(s.Label) {
			mixes++
		}
	}
	st.Mix = mixes == len(order)
	switch {
	case r.Kind == take.MidSide:
		st.Patch = weave.Patch{Preset: weave.MidSide}
	case r.Norm == take.AFormat:
		st.Patch = weave.Patch{Preset: weave.Custom, Matrix: take.FromAFormat()}
	}
	return st
}

// layoutOf is the layout that a reading is laid in, and which of its positions stand there in its order.
func layoutOf(r take.Reading) (audio.Layout, []int) {
	order := make([]int, len(r.Positions))
	for i := range order {
		order[i] = i
	}
	name := "stereo"
	switch r.Kind {
	case take.Ambisonic:
		n, _ := take.AmbisonicOrder(len(r.Positions))
		norm := audio.SN3D
		if r.Norm == take.FuMa {
			norm = audio.FuMa
		}
		l, _ := audio.AmbisonicLayout(n, norm)
		return l, order
	case take.Surround:
		if l, ok := audio.LayoutOf(r.Order); ok {
			for i, s := range l.Speakers {
				order[i] = slices.Index(r.Order, s)
			}
			return l, order
		}
	}
	l, _ := audio.ParseLayout(name)
	return l, order
}

// pairOf finds out whether a strand is one of two that are read together: the left or the mid, or else the right or the
// side. side is the side of a pair that is to be decoded, nil for a stereo pair.
func (t Take) pairOf(s TakeStrand) (side *TakeStrand, left, paired bool) {
	for _, r := range t.Readings {
		i := slices.Index(r.Positions, s.Position)
		if i < 0 || r.Kind != take.Stereo && r.Kind != take.MidSide {
			continue
		}
		if r.Kind == take.Stereo {
			return nil, i == 0, true
		}
		// Without its other half, or with that off, there is nothing to decode.
		k := slices.IndexFunc(t.Strands, func(o TakeStrand) bool { return o.Position == r.Positions[1-i] && !o.Off })
		if k < 0 {
			return nil, false, false
		}
		return &t.Strands[k], i == 0, true
	}
	return nil, false, false
}

// sendsTo sends a strand whose stem was given with its label there, where one channel can stand so in it.
func sendsTo(w weave.Weave, stem string, at weave.Preset) []weave.Send {
	return toStem(w, stem, mono(), at)
}

// wideTo sends what is wide to its stem as it is, where that has the same channels: nothing is folded down unasked.
func wideTo(w weave.Weave, stem string, layout audio.Layout) []weave.Send {
	return toStem(w, stem, layout, weave.Plain)
}

// FirstPatch is how one channel enters a stem before anybody has said how: where it stands by itself, in a stem that has room around it;
// else on both sides.
func FirstPatch(w weave.Weave, stem weave.Bus, at *spatial.Position) weave.Patch {
	if at != nil && stem.Channels().Count > 2 {
		placed := weave.Patch{Preset: weave.Placed, Places: []weave.Place{{Position: *at}}}
		if w.CheckSends(mono(), []weave.Send{{To: stem.ID, Patch: placed}}) == nil {
			return placed
		}
	}
	return weave.Patch{Preset: weave.Both}
}

func mono() audio.Layout {
	l, _ := audio.ParseLayout("mono")
	return l
}

func toStem(w weave.Weave, stem string, layout audio.Layout, at weave.Preset) []weave.Send {
	b, ok := w.StemNamed(stem)
	if !ok {
		return nil
	}
	return SendTo(w, b, layout, weave.Send{Patch: weave.Patch{Preset: at}})
}

// SendTo sends a track of a layout to a bus as another send does, or, where the bus has no place for that, plainly: nowhere,
// if it has not for that either.
func SendTo(w weave.Weave, b weave.Bus, layout audio.Layout, s weave.Send) []weave.Send {
	s.To = b.ID
	presets := []weave.Preset{s.Patch.Preset, weave.Plain}
	if layout.Count == 1 {
		presets[1] = weave.Centre
	}
	for _, preset := range presets {
		if s.Patch.Preset != preset {
			s.Patch = weave.Patch{Preset: preset}
		}
		if sends := []weave.Send{s}; w.CheckSends(layout, sends) == nil {
			return sends
		}
	}
	return nil
}
