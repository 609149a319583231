package httpapi

import (
	"context"

	"zestyloom/core/cutlist"
	"zestyloom/internal/httpapi/contract"
)

func (s *server) readCutList(ctx context.Context, at ofReel, body contract.CutListOrder) (contract.CutList, error) {
	c, err := s.app.ReadCutList(ctx, at.Reel, incoming(body.Text, body.Columns, body.Keep))
	if err != nil {
		return contract.CutList{}, err
	}
	out := contract.CutList{Title: c.Title, Kind: contract.CutListKind(c.Kind), Left: c.Left, Events: []contract.CutEvent{}, Gone: []contract.GoneEvent{}, Says: c.Says}
	if len(c.Table.Columns) > 0 {
		t := columnsRead(c.Table, c.Kept, cutlist.Fields)
		out.Table = &t
	}
	for _, g := range c.Gone {
		out.Gone = append(out.Gone, contract.GoneEvent{Name: g.Name, Timecode: c.Timecode(g.At)})
	}
	for i, m := range c.Matches {
		e := contract.CutEvent{
			Since: contract.CutEventSince(c.Since[i]), Number: m.Event.Number, Name: m.Event.Name, Reel: m.Event.Reel, At: m.Event.At, Length: m.Event.Length, Fade: m.Event.Fade,
			Timecode: c.Timecode(m.Event.At), Source: c.Timecode(m.Event.In),
			Takes: []string{}, Says: m.Says, Short: m.Short,
		}
		for _, k := range m.Takes {
			name := c.Takes[k].Name
			if roll := c.Takes[k].Roll; roll != "" {
				name += " (" + roll + ")"
			}
			e.Takes = append(e.Takes, name)
		}
		out.Events = append(out.Events, e)
	}
	return out, nil
}

func (s *server) layCutList(ctx context.Context, at ofReel, body contract.CutListOrder) (contract.ReelEdited, error) {
	e, err := s.app.LayCutList(ctx, at.Reel, incoming(body.Text, body.Columns, body.Keep), given(body.Handle))
	if err != nil {
		return contract.ReelEdited{}, err
	}
	return s.edited(ctx, e)
}
