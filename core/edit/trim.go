package edit

import (
	"zestyloom/core/reel"
	"zestyloom/core/snag"
)

// Edge is an end of a clip.
type Edge string

// The edges.
const (
	Head Edge = "head"
	Tail Edge = "tail"
)

// Trim moves an edge of clips to a sample, or by so many later, as far as there is sound and until the next clip.
type Trim struct {
	Clips []string `json:"clips"`
	Edge  Edge     `json:"edge"`
	To    *int64   `json:"to,omitempty"`
	By    int64    `json:"by,omitempty"`
	Alone bool     `json:"alone,omitempty"` // further than its neighbours: what is heard stays in step
}

func (o *Trim) plan(d *draft) error {
	return d.edges(o.Clips, o.Edge, o.Alone, func(s spot) int64 {
		at := s.At
		if o.Edge == Tail {
			at = s.End()
		}
		if o.To != nil {
			return *o.To
		}
		return at + o.By
	})
}

// Extend moves an edge of clips to the neighbour on their track, as far as there is sound.
type Extend struct {
	Clips []string `json:"clips"`
	Edge  Edge     `json:"edge"`
	Alone bool     `json:"alone,omitempty"`
}

func (o *Extend) plan(d *draft) error {
	return d.edges(o.Clips, o.Edge, o.Alone, func(s spot) int64 {
		clips := d.Tracks[s.track].Clips
		switch {
		case o.Edge == Head && s.index > 0:
			return min(s.At, clips[s.index-1].End())
		case o.Edge == Head:
			return s.At
		case s.index+1 < len(clips):
			return max(s.End(), clips[s.index+1].At)
		}
		return s.End()
	})
}

// edges moves an edge of clips to where to says, as far as they can.
func (d *draft) edges(ids []string, edge Edge, alone bool, to func(spot) int64) error {
	if edge != Head && edge != Tail {
		return snag.Refuse("bad_operation", "an edge is head or tail, not %q", edge)
	}
	clips, err := d.atEdge(ids, edge, alone)
	if err != nil {
		return err
	}
	room, err := d.room(clips)
	if err != nil {
		return err
	}
	var changed []spot
	for _, s := range clips {
		at := to(s)
		lane := d.Tracks[s.track].Clips
		was := s.Clip
		if edge == Head {
			least := max(0, s.At-room[s.ID][0])
			if s.index > 0 {
				p := lane[s.index-1]
				least = max(least, min(s.At, p.End()-min(p.FadeOut.Length, s.FadeIn.Length)))
			}
			by := min(max(at, least), s.End()-1) - s.At
			s.At, s.In, s.Length = s.At+by, s.In+by, s.Length-by
		} else {
			most := s.End() + room[s.ID][1]
			if s.index+1 < len(lane) {
				n := lane[s.index+1]
				most = min(most, max(s.End(), n.At+min(n.FadeIn.Length, s.FadeOut.Length)))
			}
			s.Length = max(min(at, most), s.At+1) - s.At
		}
		if s.Length == was.Length {
			continue
		}
		s.Clip = fit(s.Clip)
		changed = append(changed, s)
	}
	if len(changed) == 0 {
		return snag.Refuse("no_room", "there is no more sound there, or another clip begins")
	}
	return d.set(changed)
}

// Slip moves the sound within clips so many samples later; their edges stay. All that are tied go as far as each of them
// can.
type Slip struct {
	Clips []string `json:"clips"`
	By    int64    `json:"by"`
	Alone bool     `json:"alone,omitempty"`
}

func (o *Slip) plan(d *draft) error {
	clips, err := d.chosen(o.Clips, o.Alone)
	if err != nil {
		return err
	}
	room, err := d.room(clips)
	if err != nil {
		return err
	}
	by := o.By
	for _, s := range clips {
		by = max(-room[s.ID][1], min(by, room[s.ID][0]))
	}
	if by == 0 {
		return snag.Refuse("no_room", "there is no more sound to slip to")
	}
	for i := range clips {
		clips[i].In -= by
		if o.Alone {
			clips[i].Away += by
		}
	}
	return d.set(clips)
}

// Home brings clips back to where their kin have them, or, with Meant, says that they are meant to lie where they do.
type Home struct {
	Clips []string `json:"clips"`
	Meant bool     `json:"meant,omitempty"`
}

func (o *Home) plan(d *draft) error {
	clips, err := d.chosen(o.Clips, true)
	if err != nil {
		return err
	}
	moved := false
	for _, s := range clips {
		if s.Away == 0 {
			continue
		}
		moved = true
		if o.Meant {
			s.Away = 0
			if err := d.set([]spot{s}); err != nil {
				return err
			}
			continue
		}
		if err := d.do(reel.Op{Move: &reel.Move{IDs: []string{s.ID}, By: -s.Away, Alone: true}}); err != nil {
			return err
		}
	}
	if !moved {
		return snag.Refuse("nothing_to_do", "what is chosen is at home")
	}
	return nil
}
