package httpapi

import (
	"context"

	"zestyloom/core/cutlist"
	"zestyloom/internal/httpapi/contract"
)

// ReadCutList implements contract.StrictServerInterface.
func (s *server) ReadCutList(ctx context.Context, r contract.ReadCutListRequestObject) (contract.ReadCutListResponseObject, error) {
	c, err := s.app.ReadCutList(ctx, r.Reel, incoming(r.Body.Text, r.Body.Columns, r.Body.Keep))
	if err != nil {
		return nil, err
	}
	out := contract.ReadCutList200JSONResponse{Title: c.Title, Kind: contract.CutListKind(c.Kind), Left: c.Left, Events: []contract.CutEvent{}, Gone: []contract.GoneEvent{}, Says: c.Says}
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

// LayCutList implements contract.StrictServerInterface.
func (s *server) LayCutList(ctx context.Context, r contract.LayCutListRequestObject) (contract.LayCutListResponseObject, error) {
	e, err := s.app.LayCutList(ctx, r.Reel, incoming(r.Body.Text, r.Body.Columns, r.Body.Keep), given(r.Body.Handle))
	if err != nil {
		return nil, err
	}
	v, err := s.edited(ctx, e)
	return contract.LayCutList200JSONResponse(v), err
}
