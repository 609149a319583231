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
	Sums     []take.Sum   // strands of it that are but a mix, by their sound
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
		st := reel.Strand{ID: s.ID, Mix: t.mixes(s), Frames: min(s.Frames, t.Frames), Shift: s.Shift}
		st.Label, st.Own = t.called(s)
		side, left, paired := t.pairOf(s)
		switch {
		case !paired:
			st.Place, st.GainDB = s.Place, s.GainDB
			st.Sends = sendTo(w, s.Stem, st.Label, mono(), weave.Plain, s.Place)
			l.Strands = append(l.Strands, st)
		case side == nil:
			st.Sends = sendTo(w, s.Stem, st.Label, mono(), map[bool]weave.Preset{true: weave.Left, false: weave.Right}[left], nil)
			l.Strands = append(l.Strands, st)
		case left: // the side is in both of what its mid becomes
			base, _ := take.LabelSpeaker(s.Label)
			if st.Own = base == ""; st.Own {
				base = t.Name
			}
			for _, of := range []struct {
				name string
				at   weave.Preset
				sign float64
			}{{"L", weave.Left, 1}, {"R", weave.Right, -1}} {
				st.With, st.Sign = side.ID, of.sign
				st.Label, st.Sends = strings.TrimSpace(base+" "+of.name), sendTo(w, s.Stem, st.Label, mono(), of.at, nil)
				l.Strands = append(l.Strands, st)
			}
		}
	}
	return l
}

// TrackNames are the labels that the tracks of a take get when it is laid, by the first strand of each.
func (t Take) TrackNames() map[string]string {
	out := map[string]string{}
	for _, s := range t.Lay(weave.Weave{}).Strands {
		out[s.ID] = s.Label
	}
	return out
}

// called is the label that a strand's track gets, and whether nobody gave it one: what says but a speaker or a number names
// nothing that another take could share.
func (t Take) called(s TakeStrand) (label string, own bool) {
	base, sp := take.LabelSpeaker(s.Label)
	switch {
	case take.NamesNothing(s.Label):
		return take.ProposedLabel(t.Name, s.Position, len(t.Strands)), true
	case base == "":
		return t.Name + " " + string(sp), true
	}
	return s.Label, false
}

// mixes reports whether a strand is a rough mix of others: what holds nothing but a mix, by its labels alone, is no rough one.
func (t Take) mixes(s TakeStrand) bool {
	labels := make([]string, len(t.Strands))
	for i, o := range t.Strands {
		labels[i] = o.Label
	}
	for _, sum := range t.Sums {
		if slices.Contains(sum.Positions, s.Position) && sum.Applies(labels) {
			return true
		}
	}
	return take.IsMix(s.Label) && slices.ContainsFunc(t.Strands, func(o TakeStrand) bool { return !o.Off && !take.IsMix(o.Label) })
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
			if st.Own = st.Label == "" || take.NamesNothing(st.Label); st.Own {
				st.Label = take.ProposedLabel(t.Name, s.Position, len(t.Readings))
			}
			st.Sends = sendTo(w, s.Stem, st.Label, layout, weave.Plain, nil)
		} else {
			st.More = append(st.More, s.ID)
		}
		st.Frames = max(st.Frames, min(s.Frames, t.Frames))
		if t.mixes(s) {
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
		// Without its other half, or with that off, it is no pair.
		k := slices.IndexFunc(t.Strands, func(o TakeStrand) bool { return o.Position == r.Positions[1-i] && !o.Off })
		if k < 0 {
			return nil, false, false
		}
		if r.Kind == take.Stereo {
			return nil, i == 0, true
		}
		return &t.Strands[k], i == 0, true
	}
	return nil, false, false
}

// sendTo sends a track to the stem that was given with its label, where it enters that: by a preset, if it can, else as one does
// when nobody says otherwise.
func sendTo(w weave.Weave, stem, label string, layout audio.Layout, at weave.Preset, place *spatial.Position) []weave.Send {
	if stem == "" {
		return nil
	}
	b, ok := w.StemNamed(stem)
	if kind := take.StemKind(stem); kind == "VO" || !ok {
		b, ok = w.Alike(weave.Bus{Role: weave.Stem, Name: stem, Kind: kind, Language: take.Language(label)})
	}
	if !ok {
		return nil
	}
	var old *weave.Send
	if at != weave.Plain {
		old = &weave.Send{Patch: weave.Patch{Preset: at}}
	}
	s, ok := w.Route(layout, b, place, old)
	if !ok {
		return nil
	}
	return []weave.Send{s}
}

func mono() audio.Layout {
	l, _ := audio.ParseLayout("mono")
	return l
}
