package reel

import (
	"slices"

	"zestyloom/core/automation"
	"zestyloom/core/snag"
	"zestyloom/core/treat"
	"zestyloom/core/weave"
)

// Ripple puts time in, or takes empty time out: what begins at a sample or after lies later or earlier, with the curves
// that are drawn over the reel's time. A clip that began before stays as it is;
// what is torn off its kin by that lies away from home from then on.
type Ripple struct {
	At int64 `json:"at"`
	By int64 `json:"by"` // samples later; negative takes the time before At out
	// Tracks are those whose clips and curves move, by ID; none for all, and the buses with them.
	Tracks []string `json:"tracks,omitempty"`
	// Curves are what is drawn over the reel's time from then on, where going back brings back what was: worked out from
	// what is there when absent.
	Curves map[string]Drawn `json:"curves,omitempty"`
}

// Drawn is what is drawn over the reel's time for a track, a bus or a correction.
type Drawn struct {
	Gain  automation.Curve `json:"gain,omitempty"`
	Treat treat.Moves      `json:"treat,omitempty"`
	Sends []weave.Send     `json:"sends,omitempty"`
	// Peaks is a correction's, whose slow gain is Gain.
	Peaks automation.Curve `json:"peaks,omitempty"`
}

// corrections moves what they do with what is heard.
func (o *Ripple) corrections(r *Reel, back *Ripple) {
	r.Weave.Corrections = slices.Clone(r.Weave.Corrections)
	for i, c := range r.Weave.Corrections {
		now := Drawn{Gain: o.curve(c.Gain), Peaks: o.curve(c.Peaks)}
		if given, ok := o.Curves[c.ID]; ok {
			now = given
		}
		if len(c.Gain)+len(c.Peaks) > 0 {
			back.Curves[c.ID] = Drawn{Gain: c.Gain, Peaks: c.Peaks}
			r.Weave.Corrections[i].Gain, r.Weave.Corrections[i].Peaks = now.Gain, now.Peaks
		}
	}
}

func (o *Ripple) apply(r *Reel) (Op, error) {
	if o.By == 0 {
		return Op{}, snag.Refuse("bad_operation", "no time to put in or to take out")
	}
	all := len(o.Tracks) == 0
	which := set(o.Tracks)
	torn := r.torn(func(track string, c Clip) bool { return (all || which[track]) && c.At >= o.At })
	back := Ripple{At: o.At + o.By, By: -o.By, Tracks: o.Tracks, Curves: map[string]Drawn{}}
	for i, t := range r.Tracks {
		if !all && !which[t.ID] {
			continue
		}
		delete(which, t.ID)
		clips := slices.Clone(t.Clips)
		for k, c := range clips {
			switch {
			case c.At >= o.At:
				clips[k].At += o.By
				if torn[c.Tie] {
					clips[k].Away += o.By
				}
			case o.By < 0 && c.At >= o.At+o.By:
				return Op{}, snag.Refuse("bad_ripple", "%s on track %s begins in the time that would be taken out", c.Name, t.Label)
			}
		}
		if err := r.place(i, clips); err != nil {
			return Op{}, err
		}
		now := Drawn{Gain: o.curve(t.Gain), Treat: t.TreatMoves.Curves(o.curve), Sends: o.sends(r.Weave.Sends[t.ID])}
		if given, ok := o.Curves[t.ID]; ok {
			now = given
		}
		if len(now.Gain)+len(t.Gain)+len(now.Treat)+len(t.TreatMoves) > 0 || moving(now.Sends) {
			back.Curves[t.ID] = Drawn{Gain: t.Gain, Treat: t.TreatMoves, Sends: r.Weave.Sends[t.ID]}
			r.Tracks[i].Gain, r.Tracks[i].TreatMoves = now.Gain, now.Treat
			r.put(t.ID, now.Sends)
		}
	}
	for id := range which {
		return Op{}, snag.Refuse("no_such_track", "there is no track %q in this reel any more", id)
	}
	if all {
		for _, b := range r.Weave.Buses {
			level := r.Weave.Levels[b.ID]
			now := Drawn{Gain: o.curve(level.Gain), Treat: level.TreatMoves.Curves(o.curve), Sends: o.sends(r.Weave.Sends[b.ID])}
			if given, ok := o.Curves[b.ID]; ok {
				now = given
			}
			drawn := len(now.Gain)+len(level.Gain)+len(now.Treat)+len(level.TreatMoves) > 0
			if drawn || moving(now.Sends) {
				back.Curves[b.ID] = Drawn{Gain: level.Gain, Treat: level.TreatMoves, Sends: r.Weave.Sends[b.ID]}
				r.put(b.ID, now.Sends)
				if drawn {
					level.Gain, level.TreatMoves = now.Gain, now.Treat
					r.Weave.Levels[b.ID] = level
				}
			}
		}
	}
	if all {
		o.corrections(r, &back)
		if err := o.pictures(r); err != nil {
			return Op{}, err
		}
	}
	if err := o.markers(r, all); err != nil {
		return Op{}, err
	}
	if len(back.Curves) == 0 {
		back.Curves = nil
	}
	return Op{Ripple: &back}, nil
}

// markers moves markers along where all tracks move.
func (o *Ripple) markers(r *Reel, all bool) error {
	if !all || len(r.Markers) == 0 {
		return nil
	}
	now := slices.Clone(r.Markers)
	for i, m := range now {
		if err := o.along(&now[i].At, "marker "+m.Name+" lies"); err != nil {
			return err
		}
	}
	sortMarkers(now)
	r.Markers = now
	return nil
}

// along moves a place along; one in the time that is taken out is refused, said as what lies or begins there.
func (o *Ripple) along(at *int64, what string) error {
	switch {
	case *at >= o.At:
		*at += o.By
	case o.By < 0 && *at >= o.At+o.By:
		return snag.Refuse("bad_ripple", "%s in the time that would be taken out", what)
	}
	return nil
}

func (r *Reel) put(id string, sends []weave.Send) {
	if len(sends) > 0 {
		r.Weave.Sends[id] = sends
	}
}

func (o *Ripple) curve(c automation.Curve) automation.Curve {
	switch {
	case len(c) == 0:
		return c
	case o.By > 0:
		return c.Opened(o.At, o.By)
	}
	return c.Closed(o.At+o.By, o.At)
}

func (o *Ripple) sends(all []weave.Send) []weave.Send {
	out := slices.Clone(all)
	for i := range out {
		out[i].Gain, out[i].Patch = o.curve(out[i].Gain), out[i].Patch.Curves(o.curve)
	}
	return out
}

func moving(sends []weave.Send) bool {
	return slices.ContainsFunc(sends, func(s weave.Send) bool { return len(s.Gain) > 0 || s.Patch.Moves() })
}
